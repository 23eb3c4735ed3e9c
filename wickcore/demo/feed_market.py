"""The invented market beyond its last day, from the same seed: what the feed lays into the drop folder, session by session."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np
from numpy.typing import NDArray

from wickcore.demo import calendar, indices, names
from wickcore.demo.intraday import BARS, OPENS, SHARED, STEP, inner_bars, overnight_bars, shared_ways
from wickcore.demo.market import SEED, World, make_world
from wickcore.demo.paths import BASES_A_SHARE, Grid, Shares, make_paths
from wickcore.demo.prices import Printed, print_bars

SESSIONS = 60
LISTED, GONE = 6, 4  # shares that are listed in these sessions, and that leave
FOREVER = 2_932_896  # the day of a membership without an end
FIELDS = ("open", "high", "low", "close", "volume")
Row = dict[str, Any]


@dataclass(slots=True)
class Session:
    """One session. day: since 1970. bars: a row an instrument with its five fields. tables: rows of every other open table that its evening
    brings, days since 1970. nights: overnight bars, known before it opens."""

    day: int
    bars: dict[str, tuple[float, ...]]
    nights: list[Row] = field(default_factory=list)
    tables: dict[str, list[Row]] = field(default_factory=dict)


@dataclass(slots=True)
class Ahead:
    """The sessions to come, and what their five-minute bars are made with."""

    seed: int
    sessions: list[Session]
    indices: frozenset[str]

    def within(self, session: Session) -> dict[str, dict[str, Grid]]:
        """The session's five-minute bars by symbol, that add up to its daily bars: `minute` of the day, and the five fields."""
        day = np.array([session.day], np.int32)
        common = shared_ways(day, self.seed)
        found: dict[str, dict[str, Grid]] = {}
        for symbol, bar in session.bars.items():
            daily = {name: np.array([value]) for name, value in zip(FIELDS, bar, strict=True)}
            rng = np.random.default_rng([self.seed, *symbol.encode(), session.day])
            made = inner_bars(day, daily, common, rng, 0.9 if symbol in self.indices else SHARED)
            found[symbol] = {"minute": (OPENS + STEP * np.arange(BARS)).astype(np.float64), **made.columns}
        return found


def make_ahead(world: World | None = None, sessions: int = SESSIONS) -> Ahead:
    """Goes on with a world, by default with the demo's: the same sessions for the same seed."""
    world = world or make_world(SEED)
    rng = np.random.default_rng([world.seed, 1])
    days = np.concatenate([world.days[-1:], _days(int(world.days[-1]), sessions)])  # row 0 is the last session that is told already
    alive = np.flatnonzero(world.shares.reason < 0)
    companies = [world.companies[i] for i in alive] + _fresh(world)
    shares = _shares(world, alive, len(companies), len(days), rng)
    paths = make_paths(days, shares, len(names.SECTORS), rng, BASES_A_SHARE * len(days) / len(world.days), 1)
    for grid in (paths.total, paths.overnight):
        grid[0] = 0.0
    old, count = len(alive), len(companies)
    start = np.concatenate([world.printed.close[-1, alive], np.exp(rng.normal(3.0, 0.5, count - old)).round(2)])
    pays = np.concatenate([world.pays[alive], np.zeros(count - old)])
    turnover = np.concatenate([world.turnover[alive], np.exp(rng.normal(13.5, 0.8, count - old))])
    printed = print_bars(paths, shares, start, pays, turnover, rng)
    shares_out = np.concatenate([world.outstanding[-1, alive], np.round(np.exp(rng.normal(16.5, 0.7, count - old)), -3)])
    outstanding = shares_out * np.cumprod(printed.split, axis=0)
    cap = outstanding * printed.close
    steps = np.arange(len(days))[:, None]
    trading = (steps >= shares.first) & (steps <= shares.last)
    members = _members(world, alive, days, cap, printed, trading)
    told = [Session(int(day), {}) for day in days[1:]]
    _tell_shares(told, companies, printed, trading)
    _tell_events(told, world, alive, companies, shares, printed, paths.surprise, outstanding, rng)
    _tell_listing(told, world, companies, shares, days, old)
    _tell_members(told, world, companies, members, days)
    of_indices = _tell_baskets(told, world, companies, printed, cap, members, trading, shares, days, rng)
    _tell_calendar(told, world)
    return Ahead(world.seed, told, frozenset(of_indices))


def _days(last: int, count: int) -> NDArray[np.int32]:
    far = str(np.datetime64(last, "D") + 3 * count)
    return calendar.sessions(far)[-(len(calendar.sessions(far)) - len(calendar.sessions(str(np.datetime64(last, "D"))))) :][:count]


def _fresh(world: World) -> list[tuple[str, str, str]]:
    """Companies that nobody has heard of yet."""
    count = len(world.companies)
    return names.companies(count + LISTED, np.random.default_rng(world.seed))[count:]


def _shares(world: World, alive: NDArray[np.int64], count: int, length: int, rng: np.random.Generator) -> Shares:
    fresh, old = count - len(alive), world.shares
    first, last = np.zeros(count, np.int64), np.full(count, length - 1)
    first[len(alive) :] = np.sort(rng.integers(3, max(4, length - 8), fresh))
    reason = np.full(count, -1)
    leaving = rng.choice(len(alive), min(GONE, len(alive) // 8), replace=False)
    last[leaving] = np.sort(rng.integers(min(12, length - 2), length - 1, len(leaving)))
    reason[leaving] = rng.choice(len(names.REASONS), len(leaving), p=[0.4, 0.25, 0.15, 0.12, 0.08])
    sectors = list(names.SECTORS)
    gone_by = len(world.days) - 1  # sessions that lie before row 0
    return Shares(
        np.concatenate([old.sector[alive], [sectors.index(c[2]) for c in _fresh(world)]]).astype(np.int64),
        np.concatenate([old.beta[alive], rng.normal(1.0, 0.3, fresh).clip(0.25, 2.2)]),
        np.concatenate([old.volatility[alive], np.full(fresh, 0.02)]),
        first,
        last,
        reason,
        np.concatenate([(old.phase[alive] - gone_by) % 63, first[len(alive) :] + 40]).astype(np.int64),
    )


def _members(
    world: World, alive: NDArray[np.int64], days: NDArray[np.int32], cap: Grid, printed: Printed, trading: NDArray[np.bool_]
) -> dict[str, NDArray[np.bool_]]:
    """Membership by session; on row 0 that which is told already, which stands until the review."""
    paid = np.zeros((252 + len(days), cap.shape[1]))
    paid[:252, : len(alive)] = world.printed.dividend[-252:, alive]
    paid[252:] = printed.dividend
    year = np.cumsum(paid, axis=0)
    yields = (year[252:] - year[:-252]) / printed.close
    found = indices.membership(days, cap, yields, trading, len(world.companies))
    review = next((t for t in indices.reviews(days) if t > 0), len(days))
    for name, marks in found.items():
        now = np.zeros(cap.shape[1], np.bool_)
        now[: len(alive)] = world.members[name][-1, alive]
        marks[:review] = now & trading[:review]
        marks[0] = now
    return found


def _tell_shares(told: list[Session], companies: list[tuple[str, str, str]], printed: Printed, trading: NDArray[np.bool_]) -> None:
    for t, session in enumerate(told, 1):
        for i in np.flatnonzero(trading[t]).tolist():
            session.bars[companies[i][0]] = tuple(float(getattr(printed, name)[t, i]) for name in FIELDS)


def _tell_events(
    told: list[Session], world: World, alive: NDArray[np.int64], companies: list[tuple[str, str, str]], shares: Shares, printed: Printed,
    surprise: Grid, outstanding: Grid, rng: np.random.Generator,
) -> None:  # fmt: skip
    """Splits, dividends and reports on their days; earnings go on from those of the last four quarters."""
    by_symbol = {one.symbol: one for one in world.market.instruments}
    for t, session in enumerate(told, 1):
        here = (shares.first <= t) & (shares.last >= t)
        for table, grid, of, plain in (("splits", printed.split, "ratio", 1.0), ("dividends", printed.dividend, "amount", 0.0)):
            for i in np.flatnonzero((grid[t] != plain) & here).tolist():
                session.tables.setdefault(table, []).append({"symbol": companies[i][0], "day": session.day, of: float(grid[t, i])})
        for i in np.flatnonzero(~np.isnan(surprise[t]) & here).tolist():
            past = by_symbol[companies[i][0]].reports[-4:] if i < len(alive) else []
            worth = float(printed.close[t, i] * outstanding[t, i])
            earned = float(np.mean([r.earnings for r in past])) if past else worth / 70
            sold = float(np.mean([r.revenue for r in past])) if past else worth / 5
            expected = earned * (1 + rng.normal(0, 0.05))
            row = {"symbol": companies[i][0], "day": session.day, "shares": float(outstanding[t, i])}
            money = (sold * (1 + rng.normal(0, 0.03)), expected + abs(expected) * 0.07 * float(surprise[t, i]), expected)
            row |= {name: float(round(v, -3)) for name, v in zip(("revenue", "earnings", "expected"), money, strict=True)}
            session.tables.setdefault("reports", []).append(row)


def _tell_listing(
    told: list[Session], world: World, companies: list[tuple[str, str, str]], shares: Shares, days: NDArray[np.int32], old: int
) -> None:
    for i, (symbol, name, sector) in enumerate(companies):
        if i >= old:
            row = {"symbol": symbol, "name": name, "kind": "share", "sector": sector, "listed": int(days[shares.first[i]])}
            told[int(shares.first[i]) - 1].tables.setdefault("instruments", []).append(row)
        elif shares.reason[i] >= 0:
            row = {"symbol": symbol, "delisted": int(days[shares.last[i]]), "reason": names.REASONS[shares.reason[i]]}
            told[int(shares.last[i]) - 1].tables.setdefault("instruments", []).append(row)


def _tell_members(
    told: list[Session],
    world: World,
    companies: list[tuple[str, str, str]],
    members: dict[str, NDArray[np.bool_]],
    days: NDArray[np.int32],
) -> None:
    for name, marks in members.items():
        since = {symbol: first for symbol, first, last in world.market.universes[name] if last >= FOREVER - 1}
        for t in range(1, len(days)):
            rows = told[t - 1].tables.setdefault("members", [])
            for i in np.flatnonzero(marks[t] != marks[t - 1]).tolist():
                symbol = companies[i][0]
                if marks[t, i]:
                    since[symbol] = int(days[t])
                    rows.append({"universe": name, "symbol": symbol, "first": int(days[t])})
                elif symbol in since:
                    rows.append({"universe": name, "symbol": symbol, "first": since.pop(symbol), "last": int(days[t]) - 1})


def _tell_baskets(
    told: list[Session], world: World, companies: list[tuple[str, str, str]], printed: Printed, cap: Grid,
    members: dict[str, NDArray[np.bool_]], trading: NDArray[np.bool_], shares: Shares, days: NDArray[np.int32], rng: np.random.Generator,
) -> list[str]:  # fmt: skip
    """Indices with the nights before their sessions, and the funds that hold them or a sector."""
    last = {one.symbol: {name: float(one.columns[name][-1]) for name in FIELDS} for one in world.market.instruments}
    traded = {one.symbol: float(np.median(one.columns["volume"][-20:])) for one in world.market.instruments}
    sectors, made = list(names.SECTORS), {}
    for symbol, _, _ in names.INDICES:
        name = next(title for of, title, _ in names.INDICES if of == symbol)
        made[symbol] = indices.index_bars(printed, cap, members[name], trading, last[symbol]["close"])
        nights = overnight_bars(days, made[symbol], np.random.default_rng([world.seed, *symbol.encode(), 2]))
        for t, session in enumerate(told):
            night: Row = {name: float(column[t]) for name, column in nights.columns.items()}
            session.nights.append({"symbol": symbol, "day": session.day, **night, "low_first": night["low_first"] > 0})
    bars = dict(made)
    for (symbol, _), of in zip(names.FUNDS, names.FUND_OF, strict=True):
        of_one = made.get(of)
        if of_one is None:
            inside = trading & (shares.sector == sectors.index(of))
            of_one = indices.index_bars(printed, cap, inside, trading, last[symbol]["close"])
        scale = last[symbol]["close"] / float(of_one["close"][0])
        own = {name: np.round(of_one[name] * scale, 2) for name in ("open", "high", "low", "close")}
        usual = traded[symbol] / float(np.median(of_one["volume"]))
        own["volume"] = np.maximum(100.0, np.round(of_one["volume"] * usual * np.exp(0.3 * rng.standard_normal(len(days))), -2))
        bars[symbol] = own
    for symbol, columns in bars.items():
        for t, session in enumerate(told, 1):
            session.bars[symbol] = tuple(float(columns[name][t]) for name in FIELDS)
    return list(made)


def _tell_calendar(told: list[Session], world: World) -> None:
    """Announcements of a month are told with the last session of the month before the one before: two months ahead, as until now."""
    known = set(world.market.events)
    for t, session in enumerate(told):
        month = np.datetime64(session.day, "D").astype("datetime64[M]")
        if t and np.datetime64(told[t - 1].day, "D").astype("datetime64[M]") == month:
            continue
        ahead = int((month - np.datetime64(calendar.LAST_DAY[:7])).astype(int)) + 2
        fresh = [(day, kind) for day, kind in calendar.announcements(ahead) if (day, kind) not in known]
        known |= set(fresh)
        session.tables.setdefault("calendar", []).extend({"day": day, "kind": "announcement", "name": kind} for day, kind in fresh)
