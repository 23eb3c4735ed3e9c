"""The whole invented market from one seed: same seed, same bytes."""

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from wickcore.demo import calendar, indices, names
from wickcore.demo.intraday import SHARED, Inner, Nights, inner_bars, overnight_bars, shared_ways
from wickcore.demo.paths import Grid, Paths, Shares, make_paths
from wickcore.demo.prices import Printed, print_bars

LISTED, DELISTED = 600, 80
WITHIN = 60  # of the latest sessions there are five-minute bars of everything; of the indices of all
SEED = 20_240_628


@dataclass(slots=True)
class DemoInstrument:
    """One instrument with all it has. Days are days since 1970; columns hold one value a bar."""

    symbol: str
    name: str
    kind: str
    sector: str
    listed: int
    delisted: int | None
    reason: str
    optionable: bool
    days: NDArray[np.int32]
    columns: dict[str, Grid]
    splits: list[tuple[int, float]] = field(default_factory=list)
    dividends: list[tuple[int, float]] = field(default_factory=list)
    reports: list["DemoReport"] = field(default_factory=list)
    inner: Inner | None = None
    nights: Nights | None = None

    @property
    def weekly_options(self) -> bool:
        """Whether options that run a week are listed too: on about a third of those that have any."""
        return self.optionable and has_weeklies(self.symbol)


def has_weeklies(symbol: str) -> bool:
    """By the symbol alone, so that a market stored before this was known can be completed."""
    return sum(map(ord, symbol)) % 3 == 0


@dataclass(frozen=True, slots=True)
class DemoReport:
    """A quarterly report in money of its day: shares outstanding, revenue, earnings, and what earnings had been expected."""

    day: int
    shares: float
    revenue: float
    earnings: float
    expected: float


@dataclass(slots=True)
class DemoMarket:
    """instruments; universes as (symbol, first day, last day); events as (day, kind); holidays as (day, name)."""

    instruments: list[DemoInstrument]
    universes: dict[str, list[tuple[str, int, int]]]
    events: list[tuple[int, str]]
    holidays: list[tuple[int, str]]
    benchmark: str = "HARBOUR"


@dataclass(frozen=True, slots=True)
class World:
    """What the market was made of, for whoever goes on with it: by share where an array has a value each, by session and share where two."""

    market: DemoMarket
    seed: int
    days: NDArray[np.int32]
    companies: list[tuple[str, str, str]]
    shares: Shares
    printed: Printed
    pays: Grid
    turnover: Grid
    outstanding: Grid
    members: dict[str, NDArray[np.bool_]]


def make_market(seed: int = SEED, listed: int = LISTED, delisted: int = DELISTED, index_within: int | None = None) -> DemoMarket:
    """Makes the market. `listed` and `delisted` count shares; `index_within` the latest sessions of which the indices have five-minute bars, all
    where it is left out; tests use fewer."""
    world = make_world(seed, listed, delisted)
    within_sessions(world.market.instruments, world.days, world.days[-WITHIN:], seed, index_within)
    return world.market


def make_world(seed: int = SEED, listed: int = LISTED, delisted: int = DELISTED) -> World:
    """The market without bars within the day, and what it was made of."""
    rng = np.random.default_rng(seed)
    days = calendar.sessions()
    count = listed + delisted
    companies = names.companies(count, rng)
    sectors = list(names.SECTORS)
    shares = _shares(companies, sectors, len(days), delisted, rng)
    paths = make_paths(days, shares, len(sectors), rng)
    start = np.exp(rng.normal(3.3, 0.7, count)).clip(5, 140)
    size = np.exp(rng.normal(20.0, 1.25, count))
    pays = np.where(rng.random(count) < 0.5, rng.uniform(0.008, 0.045, count), 0.0)
    turnover = size * np.exp(rng.normal(-5.9, 0.45, count))
    printed = print_bars(paths, shares, start, pays, turnover, rng)
    outstanding = np.round(size / start, -3) * np.cumprod(printed.split, axis=0)
    cap = outstanding * printed.close
    steps = np.arange(len(days))[:, None]
    trading = (steps >= shares.first) & (steps <= shares.last)
    yields = _trailing_yield(printed)
    members = indices.membership(days, cap, yields, trading)
    made = [_share(i, company, days, shares, paths, printed, outstanding, cap, size[i], rng) for i, company in enumerate(companies)]
    made += _baskets(days, printed, cap, members, trading, shares, sectors, rng)
    universes = {
        name: [(companies[i][0], first, last) for i, first, last in indices.intervals(mark, days)] for name, mark in members.items()
    }
    made.sort(key=lambda x: x.symbol)
    holidays = [(int(day.astype(int)), name) for day, name in calendar.holidays()]
    market = DemoMarket(made, universes, calendar.announcements(), holidays)
    return World(market, seed, days, companies, shares, printed, pays, turnover, outstanding, members)


def within_sessions(
    made: list[DemoInstrument], days: NDArray[np.int32], latest: NDArray[np.int32], seed: int, index_within: int | None = None
) -> None:
    """Gives the instruments five-minute bars of the latest sessions, and the indices of all `days` (or so many), with the nights between all of
    them. By symbol and day alone, so that a session is the same whenever it is made."""
    common = shared_ways(days, seed)
    for one in made:
        index = one.kind == "index"
        rows = np.flatnonzero(np.isin(one.days, days if index else latest))
        if not len(rows):
            continue
        daily, own = {name: column[rows] for name, column in one.columns.items()}, one.days[rows]
        rng = np.random.default_rng([seed, *one.symbol.encode(), int(own[0])])
        some = slice(-index_within if index and index_within else None, None)
        inner = {name: column[some] for name, column in daily.items()}
        one.inner = inner_bars(own[some], inner, common[np.searchsorted(days, own[some])], rng, 0.9 if index else SHARED)
        if index and len(own) > 1:
            one.nights = overnight_bars(own, daily, rng)


def _shares(
    companies: list[tuple[str, str, str]], sectors: list[str], length: int, delisted: int, rng: np.random.Generator
) -> Shares:
    count = len(companies)
    first = np.zeros(count, np.int64)
    last = np.full(count, length - 1)
    reason = np.full(count, -1)
    late = rng.permutation(count)[: int(count * 0.13)]
    first[late] = rng.integers(150, length - 260, len(late))
    leaving = rng.permutation(np.flatnonzero(first == 0))[:delisted]
    last[leaving] = rng.integers(300, length - 60, len(leaving))
    reason[leaving] = rng.choice(len(names.REASONS), len(leaving), p=[0.4, 0.25, 0.15, 0.12, 0.08])
    return Shares(
        np.array([sectors.index(sector) for _, _, sector in companies]),
        rng.normal(1.0, 0.32, count).clip(0.25, 2.2),
        np.exp(rng.normal(-4.25, 0.32, count)).clip(0.006, 0.035),
        first,
        last,
        reason,
        first + rng.integers(5, 63, count),
    )


def _trailing_yield(printed: Printed) -> Grid:
    paid = np.cumsum(printed.dividend, axis=0)
    paid[252:] = paid[252:] - paid[:-252].copy()
    return np.asarray(paid / printed.close)


def _share(
    i: int, company: tuple[str, str, str], days: NDArray[np.int32], shares: Shares, paths: Paths, printed: Printed,
    outstanding: Grid, cap: Grid, size: float, rng: np.random.Generator,
) -> DemoInstrument:  # fmt: skip
    first, last = int(shares.first[i]), int(shares.last[i])
    part = slice(first, last + 1)
    columns = {f: getattr(printed, f)[part, i].copy() for f in ("open", "high", "low", "close", "volume")}
    gone = shares.reason[i] >= 0
    ratio, paid = printed.split[part, i], printed.dividend[part, i]
    splits = [(int(days[first + t]), float(ratio[t])) for t in np.flatnonzero(ratio != 1)]
    dividends = [(int(days[first + t]), float(paid[t])) for t in np.flatnonzero(paid > 0)]
    return DemoInstrument(
        company[0], company[1], "share", company[2], int(days[first]), int(days[last]) if gone else None,
        names.REASONS[shares.reason[i]] if gone else "", bool(size > np.exp(19.6)), days[part].copy(), columns, splits, dividends,
        _reports(i, days, paths, outstanding, cap, rng),
    )  # fmt: skip


def _reports(
    i: int, days: NDArray[np.int32], paths: Paths, outstanding: Grid, cap: Grid, rng: np.random.Generator
) -> list[DemoReport]:
    """Earnings follow the company's size through a slowly moving multiple; one in nine companies mostly loses money."""
    multiple = np.exp(rng.normal(2.8, 0.35))
    sales = np.exp(rng.normal(-0.2, 0.6))
    loses = rng.random() < 0.11
    found = []
    smooth = np.nan
    for t in np.flatnonzero(~np.isnan(paths.surprise[:, i])).tolist():
        z = float(paths.surprise[t, i])
        worth = float(cap[max(0, t - 1), i])
        smooth = worth if np.isnan(smooth) else 0.7 * smooth + 0.3 * worth
        multiple *= np.exp(rng.normal(0, 0.04))
        usual = smooth / multiple / 4 * (-0.6 if loses else 1.0)
        expected = usual * (1 + rng.normal(0, 0.05))
        earnings = expected + abs(expected) * 0.07 * z
        revenue = smooth * sales / 4 * (1 + rng.normal(0, 0.03) + 0.01 * z)
        found.append(
            DemoReport(int(days[t]), float(outstanding[t, i]), *(float(round(v, -3)) for v in (revenue, earnings, expected)))
        )
    return found


def _baskets(
    days: NDArray[np.int32], printed: Printed, cap: Grid, members: dict[str, NDArray[np.bool_]], trading: NDArray[np.bool_],
    shares: Shares, sectors: list[str], rng: np.random.Generator,
) -> list[DemoInstrument]:  # fmt: skip
    made = []
    levels: dict[str, dict[str, Grid]] = {}
    for symbol, name, _ in names.INDICES:
        levels[symbol] = indices.index_bars(printed, cap, members[name], trading, 1_000.0)
        made.append(DemoInstrument(symbol, name, "index", "", int(days[0]), None, "", False, days.copy(), levels[symbol]))
    for (symbol, name), of in zip(names.FUNDS, names.FUND_OF, strict=True):
        if of in levels:
            bars = levels[of]
        else:
            inside = trading & (shares.sector == sectors.index(of))
            bars = indices.index_bars(printed, cap, inside, trading, 1_000.0)
        scale = rng.uniform(0.03, 0.08)
        columns = {f: np.round(bars[f] * scale, 2) for f in ("open", "high", "low", "close")}
        columns["volume"] = np.round(bars["volume"] * 0.02 * np.exp(0.3 * rng.standard_normal(len(days))), -2)
        made.append(DemoInstrument(symbol, name, "fund", "", int(days[0]), None, "", True, days.copy(), columns))
    return made
