"""Made bars for tests: random walks with gaps in trading, late listings and splits. Invented, small, and the same for one seed."""

from dataclasses import replace
from typing import Any

import numpy as np

from wickcore.bars.bars import Bars, build_bars
from wickcore.bars.calendar import Calendar
from wickcore.bars.market import Beside, Dated, Facts, Market, Membership, market_of, nights
from wickcore.bars.reports import Published, facts_of
from wickcore.demo.market import make_market

FIRST = int(np.datetime64("2020-01-01", "D").astype(int))


def weekdays(count: int, first: int = FIRST) -> np.ndarray:
    """So many weekdays from `first` on, as days since 1970."""
    start = np.datetime64(first, "D")
    return np.busday_offset(start, np.arange(count), roll="forward").astype("datetime64[D]").astype(np.int32)


def walk(days: np.ndarray, rng: np.random.Generator, start: float = 20.0, spread: float = 0.02) -> dict[str, Any]:
    """Bars of one random walk on the given days. Prices are not rounded: to the cent, averages of one length would now and then equal
    those of another, and which is the greater were a matter of the last digit."""
    close = start * np.exp(np.cumsum(rng.normal(0, spread, len(days))))
    open_ = np.concatenate([[start], close[:-1]]) * np.exp(rng.normal(0, spread / 3, len(days)))
    high = np.maximum(open_, close) * np.exp(np.abs(rng.normal(0, spread / 2, len(days))))
    low = np.minimum(open_, close) * np.exp(-np.abs(rng.normal(0, spread / 2, len(days))))
    volume = np.round(np.exp(rng.normal(11, 0.6, len(days))), -2)
    prices = {"open": open_, "high": high, "low": low, "close": close}
    return {"days": days, **prices, "volume": volume}


def split_at(table: dict[str, Any], at: int, ratio: float) -> dict[str, Any]:
    """The same table with a split on bar `at`: printed prices fall, volumes rise, and `factor` says so. No rounding, so that the
    continuous scale is what it was."""
    factor = np.ones(len(table["days"]))
    factor[at:] *= ratio
    before = table.get("factor", np.ones(len(factor)))
    prices = {name: table[name] / factor for name in ("open", "high", "low", "close")}
    return {"days": table["days"], **prices, "volume": table["volume"] * factor, "factor": before * factor}


def tables(seed: int, count: int = 5, length: int = 160, splits: bool = True) -> dict[str, dict[str, Any]]:
    """Some instruments: each skips a few days, some are listed late or stop early, some split."""
    rng = np.random.default_rng(seed)
    days = weekdays(length)
    holidays = rng.random(length) < 0.03
    found = {}
    for k in range(count):
        first = 0 if k % 3 else int(rng.integers(0, length // 3))
        last = length if k % 4 else int(rng.integers(2 * length // 3, length))
        traded = ~holidays[first:last] & (rng.random(last - first) > 0.04)
        table = walk(days[first:last][traded], rng, start=float(rng.uniform(3, 80)))
        if splits and k % 2:
            table = split_at(table, int(rng.integers(10, len(table["days"]) - 5)), 2.0)
        found[f"S{k:02d}"] = table
    return found


def market(seed: int = 7, count: int = 5, length: int = 160, splits: bool = True) -> Market:
    """A market of made bars with sectors, facts, a universe with dated members and a benchmark."""
    return dress(build_bars(tables(seed, count, length, splits)), seed)


SESSION = Calendar(frozenset(), 570, 700)  # two bars of 65 minutes


def inner_market(seed: int = 9, count: int = 3, length: int = 70, inner: int = 9, splits: bool = True) -> Market:
    """Daily bars, and five-minute bars of the latest sessions: a few of each missing, the last day running: it has no daily bar yet. A day's own
    bar has more volume than its five-minute bars, and one instrument splits in between."""
    rng = np.random.default_rng(seed)
    days = weekdays(length)
    daily, within = {}, {}
    for k in range(count):
        symbol = f"S{k:02d}"
        whole = walk(days, rng, start=float(rng.uniform(10, 60)))
        day = np.repeat(days[-inner:], 26)
        table = walk(day, rng, start=float(whole["close"][-inner - 1]), spread=0.004)
        if k == 1 and splits:
            table, whole = split_at(table, 26 * (inner - 4), 2.0), split_at(whole, length - 4, 2.0)
        table["minute"] = np.tile(570 + np.arange(26, dtype=np.int32) * 5, inner)
        for i, d in enumerate(days[-inner:], length - inner):
            rows = day == d
            whole["open"][i], whole["close"][i] = table["open"][rows][0], table["close"][rows][-1]
            whole["high"][i], whole["low"][i] = table["high"][rows].max(), table["low"][rows].min()
            whole["volume"][i] = table["volume"][rows].sum() * 1.25
        table["factor"] = whole["factor"][np.searchsorted(days, day)] if "factor" in whole else np.ones(len(day))
        traded = (rng.random(len(day)) > 0.06) & (day != days[-3 if k else -5])
        there = ((rng.random(length) > 0.05) | (days >= days[-inner])) & (days != days[-1])
        daily[symbol] = {name: column[there] for name, column in whole.items()}
        within[symbol] = {name: column[traded] for name, column in table.items()}
    bars = build_bars(daily)
    return replace(dress(bars, seed), tables=(bars, build_bars(within, "5min", SESSION)), overnight=made_nights(bars, rng))


def made_nights(bars: Bars, rng: np.random.Generator) -> dict[str, Dated]:
    """Overnight bars of every instrument but the first, a few nights missing, as printed on the session's day."""
    found = []
    for k in range(len(bars.symbols)):
        rows: list[tuple[int, float, float, float, float, float]] = []
        for i in range(int(bars.offsets[k]), int(bars.offsets[k + 1])):
            first, last = bars.open[i] * np.exp(rng.normal(0, 0.01)), bars.open[i]
            high, low = max(first, last) * np.exp(abs(rng.normal(0, 0.005))), min(first, last) * np.exp(-abs(rng.normal(0, 0.005)))
            if k and rng.random() > 0.1:
                rows.append((int(bars.days[i]), first, high, low, last, float(rng.random() < 0.5)))
        found.append(rows)
    return nights(found)


def dress(bars: Bars, seed: int = 7) -> Market:
    """Texts, facts, membership and a benchmark around given bars."""
    rng = np.random.default_rng(seed + 1)
    count = len(bars.symbols)
    rows, days, kinds, values = [0], [], [], []
    for k in range(count):
        own = bars.days[bars.offsets[k] : bars.offsets[k + 1]]
        reports = own[10::30] if k != 1 else own[:0]
        rows.append(rows[-1] + len(reports))
        days.extend(int(d) for d in reports)
        kinds.extend([True] * len(reports))
        values.extend(rng.normal(1, 1, 5) for _ in reports)
    columns = dict(zip(("shares", "eps", "revenue_growth", "eps_growth", "eps_surprise"), np.array(values).T, strict=True))
    paid = [bars.days[bars.offsets[k] + 20 : bars.offsets[k + 1] : 40] for k in range(count)]
    pay_offsets = np.concatenate([[0], np.cumsum([len(p) for p in paid])]).astype(np.int64)
    first, last = int(bars.days.min()), int(bars.days.max())
    middle = (first + last) // 2
    half = count // 2
    membership = Membership(
        np.array([*range(half), *range(half, count)], np.int64),
        np.array([first] * half + [middle] * (count - half), np.int32),
        np.array([middle] * half + [last + 999] * (count - half), np.int32),
    )
    return Market(
        tables=(bars,),
        texts={"sector": tuple("Power" if k % 2 else "Metals" for k in range(count)), "kind": ("share",) * count},
        names=tuple(f"Made {symbol}" for symbol in bars.symbols),
        listed=bars.days[np.minimum(bars.offsets[:-1], len(bars) - 1)].astype(np.int32),
        optionable=np.array([k % 2 == 0 for k in range(count)]),
        weekly_options=np.array([k % 4 == 0 for k in range(count)]),
        facts=Facts(np.array(rows, np.int64), np.array(days, np.int32), np.array(kinds, np.bool_), columns),
        dividends=(pay_offsets, np.concatenate(paid).astype(np.int32), np.full(int(pay_offsets[-1]), 0.1)),
        events={"Lending rate": bars.sessions[7::23].astype(np.int32)},
        universes={"Turning": membership},
        benchmark=bars.symbols[-1],
    )


def one(closes: list[float], volumes: list[float] | None = None, first: int = FIRST, symbol: str = "A", **columns: Any) -> Bars:
    """One instrument whose four prices are the given closes, unless columns say otherwise, on weekdays."""
    close = np.array(closes, float)
    table = {name: np.array(columns.get(name, close), float) for name in ("open", "high", "low")}
    volume = np.array(volumes if volumes is not None else [1000.0] * len(close), float)
    extra = {"factor": np.array(columns["factor"], float)} if "factor" in columns else {}
    return build_bars({symbol: {"days": weekdays(len(close), first), **table, "close": close, "volume": volume, **extra}})


def demo_market(listed: int, delisted: int, frames: tuple[str, ...] = ("day",)) -> Market:
    """A small demo market, as it would be read from the database. frames: `day`, and `5min` for those that have bars within the day."""
    found = make_market(listed=listed, delisted=delisted)
    all_ = found.instruments
    tables: dict[str, dict[str, Any]] = {"day": {i.symbol: {"days": i.days, **i.columns} for i in all_}}
    if "5min" in frames:
        tables["5min"] = {
            i.symbol: {"days": i.inner.days, "minute": i.inner.minute, **i.inner.columns} for i in all_ if i.inner is not None
        }
    beside = Beside(
        texts={"sector": {i.symbol: i.sector for i in all_}, "kind": {i.symbol: i.kind for i in all_}},
        names={i.symbol: i.name for i in all_},
        listed={i.symbol: i.listed for i in all_},
        delisted={i.symbol: i.delisted for i in all_ if i.delisted is not None},
        splits={i.symbol: i.splits for i in all_},
        dividends={i.symbol: i.dividends for i in all_},
        members=found.universes,
        events={name: [day for day, kind in found.events if kind == name] for name in {kind for _, kind in found.events}},
        holidays={day for day, _ in found.holidays},
        overnight={
            i.symbol: [
                (int(day), *(float(i.nights.columns[name][at]) for name in ("open", "high", "low", "close", "low_first")))
                for at, day in enumerate(i.nights.days)
            ]
            for i in all_
            if i.nights is not None
        },  # type: ignore[dict-item]
        benchmark=found.benchmark,
        facts=lambda _: facts_of(
            [
                ([Published(r.day, r.shares, r.revenue, r.earnings, r.expected) for r in i.reports], i.splits)
                for i in sorted(all_, key=lambda i: i.symbol)
            ]
        ),
    )
    return market_of(tables, beside)
