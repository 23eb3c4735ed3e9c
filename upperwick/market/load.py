"""The market in memory: loaded once a process for each data version, shared by all requests, read-only."""

from collections import defaultdict
from threading import Lock
from typing import Any

import numpy as np

from upperwick.market.models import BarBlock, CalendarEvent, DataVersion, Dividend, Instrument, Member, Report, Split
from upperwick.market.store import digest, to_day, unpack
from wickcore.bars.bars import FIELDS, build_bars
from wickcore.bars.market import Facts, Market, Membership
from wickcore.scan.evaluate import Evaluator


class DamagedBlock(RuntimeError):
    """A stored block whose checksum does not fit its bytes."""


_lock = Lock()
_held: tuple[str, Evaluator] | None = None


def data_version() -> str:
    """The version of the stored data; "0" when nothing was ever stored."""
    latest = DataVersion.objects.order_by("-id").values_list("id", flat=True).first()
    return str(latest or 0)


def evaluator() -> Evaluator:
    """The evaluator over the present data version, loaded on first use."""
    global _held
    version = data_version()
    with _lock:
        if _held is None or _held[0] != version:
            _held = (version, Evaluator(load_market(version)))
        return _held[1]


def load_market(version: str | None = None) -> Market:
    """Reads the whole market. Raises DamagedBlock naming the instrument and year when a checksum fails."""
    instruments = list(Instrument.objects.order_by("symbol"))
    tables = _tables()
    instruments = [i for i in instruments if i.id in tables]
    splits, dividends = _by_instrument(Split, "ratio"), _by_instrument(Dividend, "amount")
    for instrument in instruments:
        table = tables[instrument.id]
        if "factor" not in table:
            table["factor"] = factor(table["days"], table["close"], splits[instrument.id], dividends[instrument.id])
    bars = build_bars({i.symbol: tables[i.id] for i in instruments})
    number = {i.id: k for k, i in enumerate(instruments)}
    latest = DataVersion.objects.last()
    return Market(
        bars=bars,
        texts={"sector": tuple(i.sector for i in instruments), "kind": tuple(i.kind for i in instruments)},
        names=tuple(i.name for i in instruments),
        delisted=_delisted(instruments, bars.last_day),
        listed=np.array([to_day(i.listed) if i.listed else -1 for i in instruments], np.int32),
        optionable=np.array([i.optionable for i in instruments], np.bool_),
        facts=_facts(instruments, splits),
        dividends=_ragged([dividends[i.id] for i in instruments]),
        universes=_universes(number),
        benchmark=latest.benchmark or None if latest else None,
        events=_events(),
        version=version or data_version(),
    )


def _tables() -> dict[int, dict[str, Any]]:
    parts: dict[int, list[dict[str, Any]]] = defaultdict(list)
    rows = BarBlock.objects.filter(frame="day").order_by("instrument_id", "year")
    for owner, year, checksum, data in rows.values_list("instrument_id", "year", "checksum", "data").iterator(500):
        data = bytes(data)
        if digest(data) != checksum:
            symbol = Instrument.objects.get(id=owner).symbol
            raise DamagedBlock(f"The stored bars of {symbol} for {year} are damaged; import that year again.")
        parts[owner].append(unpack(data))
    return {owner: _joined(tables) for owner, tables in parts.items()}


def _joined(tables: list[dict[str, Any]]) -> dict[str, Any]:
    joined = {name: np.concatenate([t[name] for t in tables]) for name in ("days", *FIELDS)}
    if any("factor" in t for t in tables):
        parts, latest = [], 1.0
        for t in tables:
            parts.append(t["factor"] if "factor" in t else np.full(len(t["days"]), latest))
            latest = float(parts[-1][-1])
        factors = np.concatenate(parts)
        joined["factor"] = factors / factors[0]
    return joined


def factor(days: Any, close: Any, splits: list[tuple[int, float]], dividends: list[tuple[int, float]]) -> Any:
    """The cumulative factor, 1 on the first bar: times the ratio at a split, times 1 / (1 - amount / previous close) at a dividend.

    Events outside the bars have no effect; one on a day without a bar counts from the next bar. Where both fall on one day, the
    dividend is money on the shares after the split.
    """
    steps = np.ones(len(days))
    ratio = np.ones(len(days))
    for day, value in splits:
        at = int(np.searchsorted(days, day))
        if 0 < at < len(days):
            steps[at] *= value
            ratio[at] *= value
    for day, amount in dividends:
        at = int(np.searchsorted(days, day))
        if 0 < at < len(days):
            before = close[at - 1] / ratio[at]
            if amount < before:
                steps[at] *= 1.0 / (1.0 - amount / before)
    return np.cumprod(steps)


def _by_instrument(model: Any, column: str) -> dict[int, list[tuple[int, float]]]:
    found: dict[int, list[tuple[int, float]]] = defaultdict(list)
    for owner, day, value in model.objects.order_by("instrument_id", "day").values_list("instrument_id", "day", column):
        found[owner].append((to_day(day), value))
    return found


def _delisted(instruments: list[Instrument], last_day: int) -> Any:
    """The last day each delisted instrument traded, -1 while it trades; empty where no listing was ever given, so that the bars decide."""
    if not any(i.delisted for i in instruments):
        return np.empty(0, np.int32)
    return np.array([to_day(i.delisted) if i.delisted else -1 for i in instruments], np.int32)


def _ragged(rows: list[list[tuple[int, float]]]) -> tuple[Any, Any, Any]:
    offsets = np.concatenate([[0], np.cumsum([len(r) for r in rows])]).astype(np.int64)
    flat = [pair for row in rows for pair in row]
    return offsets, np.array([d for d, _ in flat], np.int32), np.array([v for _, v in flat], np.float64)


def _universes(number: dict[int, int]) -> dict[str, Membership]:
    found: dict[str, list[tuple[int, int, int]]] = defaultdict(list)
    rows = Member.objects.order_by("universe__name", "instrument__symbol", "first")
    for name, owner, first, last in rows.values_list("universe__name", "instrument_id", "first", "last"):
        if owner in number:
            found[name].append((number[owner], to_day(first), to_day(last)))
    return {
        name: Membership(
            *(np.array(column, kind) for column, kind in zip(zip(*rows, strict=True), (np.int64, np.int32, np.int32), strict=True))
        )
        for name, rows in found.items()
    }


def _events() -> dict[str, Any]:
    found: dict[str, list[int]] = defaultdict(list)
    for name, day in CalendarEvent.objects.filter(kind="announcement").order_by("day").values_list("name", "day"):
        found[name].append(to_day(day))
    return {name: np.array(days, np.int32) for name, days in found.items()}


def _facts(instruments: list[Instrument], splits: dict[int, list[tuple[int, float]]]) -> Facts:
    """Reports as rows of facts, and a further row at each split that restates shares and earnings a share."""
    reports: dict[int, list[tuple[int, float, float, float, float | None]]] = defaultdict(list)
    rows = Report.objects.order_by("instrument_id", "day")
    for owner, day, *values in rows.values_list("instrument_id", "day", "shares", "revenue", "earnings", "expected"):
        reports[owner].append((to_day(day), *values))
    names = ("shares", "eps", "revenue_growth", "eps_growth", "eps_surprise")
    lengths, days, kinds, columns = [], [], [], {name: [] for name in names}  # type: ignore[var-annotated]
    for instrument in instruments:
        made = _fact_rows(reports[instrument.id], splits[instrument.id])
        lengths.append(len(made))
        for day, is_report, values in made:
            days.append(day)
            kinds.append(is_report)
            for name, value in zip(names, values, strict=True):
                columns[name].append(value)
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    return Facts(
        offsets, np.array(days, np.int32), np.array(kinds, np.bool_), {name: np.array(c, np.float64) for name, c in columns.items()}
    )


def _fact_rows(
    reports: list[tuple[int, float, float, float, float | None]], splits: list[tuple[int, float]]
) -> list[tuple[int, bool, tuple[float, ...]]]:
    made: list[tuple[int, bool, tuple[float, ...]]] = []
    nan = float("nan")
    for i, (day, shares, revenue, earnings, expected) in enumerate(reports):
        year = reports[i - 4] if i >= 4 else None
        four = sum(r[3] for r in reports[i - 3 : i + 1]) if i >= 3 else nan
        growth = revenue / year[2] - 1 if year and year[2] else nan
        # Earnings a share of both quarters on today's count of shares, so that a split between them does not look like a loss.
        earned = earnings / year[3] - 1 if year and year[3] > 0 else nan
        surprise = (earnings - expected) / abs(expected) if expected else nan
        made.append((day, True, (shares, four / shares if shares else nan, growth, earned, surprise)))
    for day, ratio in splits:
        before = [row for row in made if row[0] < day and row[1]]
        if before and not any(row[0] == day for row in made):
            shares, eps, *rest = next(v for d, _, v in reversed(sorted(made, key=lambda r: r[0])) if d < day)
            made.append((day, False, (shares * ratio, eps / ratio, *rest)))
    return sorted(made, key=lambda row: row[0])
