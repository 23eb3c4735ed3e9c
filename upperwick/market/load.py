"""The market in memory: loaded once a process for each data version, shared by all requests, read-only."""

from collections import defaultdict
from concurrent.futures import ThreadPoolExecutor
from itertools import groupby, islice
from threading import Lock
from typing import Any

import numpy as np
import pyarrow as pa

from upperwick.market.models import BarBlock, CalendarEvent, DataVersion, Dividend, Instrument, Member, Report, Split
from upperwick.market.store import fits, to_day
from wickcore.bars.bars import FIELDS, Bars
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
    table, lengths = _table()
    instruments = [i for i in Instrument.objects.order_by("symbol") if i.id in lengths]
    splits, dividends = _by_instrument(Split, "ratio"), _by_instrument(Dividend, "amount")
    bars = _bars(instruments, table, lengths, splits, dividends)
    del table
    number = {i.id: k for k, i in enumerate(instruments)}
    latest = DataVersion.objects.last()
    return Market(
        bars=bars,
        texts={"sector": tuple(i.sector for i in instruments), "kind": tuple(i.kind for i in instruments)},
        names=tuple(i.name for i in instruments),
        delisted=_delisted(instruments, bars.last_day),
        listed=np.array([to_day(i.listed) if i.listed else -1 for i in instruments], np.int32),
        optionable=np.array([i.optionable for i in instruments], np.bool_),
        weekly_options=np.array([i.weekly_options for i in instruments], np.bool_),
        facts=_facts(instruments, splits),
        dividends=_ragged([dividends[i.id] for i in instruments]),
        universes=_universes(number),
        benchmark=latest.benchmark or None if latest else None,
        events=_events(),
        version=version or data_version(),
    )


def _table() -> tuple[pa.Table, dict[int, list[int]]]:
    """All daily bars as one table, instrument by instrument in the order of their ids, and the rows of each one's blocks by id.

    A thousand blocks at a time are read as one Arrow stream; checksums are held against the bytes on other threads meanwhile.
    """
    tables: list[pa.Table] = []
    lengths: dict[int, list[int]] = defaultdict(list)
    waiting: list[Any] = []
    stored = BarBlock.objects.filter(frame="day").order_by("instrument_id", "frame", "year")
    rows = stored.values_list("instrument_id", "year", "checksum", "data", "rows").iterator(1_000)
    with ThreadPoolExecutor(2) as pool:
        while chunk := list(islice(rows, 1_000)):
            waiting.append(pool.submit(_damaged, chunk))
            for owner, _, _, _, count in chunk:
                lengths[owner].append(count)
            tables += [_read(list(part)) for _, part in groupby((row[3] for row in chunk), _schema)]
        for found in waiting:
            if (damaged := found.result()) is not None:
                symbol = Instrument.objects.get(id=damaged[0]).symbol
                raise DamagedBlock(f"The stored bars of {symbol} for {damaged[1]} are damaged; import that year again.")
    kinds = {"days": pa.int32(), **dict.fromkeys(FIELDS, pa.float64())}
    if not tables:
        return pa.schema(list(kinds.items())).empty_table(), lengths
    # Where a block has no factor, its rows come out without one: it stands at what it was before.
    return pa.concat_tables(tables, promote_options="default"), lengths


def _schema(data: bytes) -> bytes:
    """The first message of an Arrow stream, which says its columns (Arrow columnar format, “Encapsulated message format”)."""
    return data[: 8 + int.from_bytes(data[4:8], "little")]


def _read(streams: list[bytes]) -> pa.Table:
    """Streams of the same columns as one: one schema, all batches, one end. Raises DamagedBlock where that is no stream."""
    head, end = _schema(streams[0]), streams[0][-8:]
    try:
        with pa.ipc.open_stream(b"".join([head, *(s[len(head) : -8] for s in streams), end])) as reader:
            return reader.read_all()
    except (pa.ArrowException, OSError) as error:
        raise DamagedBlock(f"Some of the stored bars cannot be read ({error}); import the prices again.") from None


def _damaged(chunk: list[tuple[int, int, str, bytes, int]]) -> tuple[int, int] | None:
    """The first block (instrument id, year) whose checksum does not fit its bytes."""
    return next(((owner, year) for owner, year, checksum, data, _ in chunk if not fits(checksum, data)), None)


def _bars(
    instruments: list[Instrument], table: pa.Table, lengths: dict[int, list[int]], splits: dict[int, list[tuple[int, float]]],
    dividends: dict[int, list[tuple[int, float]]],
) -> Bars:  # fmt: skip
    where = _places(instruments, lengths)

    def sorted_by_symbol(name: str) -> Any:
        values = table[name].to_numpy()
        return values if where is None else np.concatenate([values[part] for part in where])

    column = {name: sorted_by_symbol(name) for name in ("days", *FIELDS)}
    given = sorted_by_symbol("factor") if "factor" in table.column_names else None
    offsets = np.concatenate([[0], np.cumsum([sum(lengths[i.id]) for i in instruments])]).astype(np.int64)
    factors = np.ones(len(column["days"]))
    for k, instrument in enumerate(instruments):
        part = slice(int(offsets[k]), int(offsets[k + 1]))
        if given is not None and not np.isnan(given[part]).all():
            factors[part] = _filled(given[part])
        elif splits[instrument.id] or dividends[instrument.id]:
            own = splits[instrument.id], dividends[instrument.id]
            factors[part] = factor(column["days"][part], column["close"][part], *own)
    prices = {name: np.ascontiguousarray(column[name]) for name in FIELDS}
    return Bars(tuple(i.symbol for i in instruments), offsets, column["days"].astype(np.int32), factor=factors, **prices)


def _places(instruments: list[Instrument], lengths: dict[int, list[int]]) -> list[slice] | None:
    """Where in the table each instrument's rows lie; None where they lie in the right order already."""
    by_id = sorted(lengths)
    if [i.id for i in instruments] == by_id:
        return None
    ends = dict(zip(by_id, np.cumsum([sum(lengths[n]) for n in by_id]).tolist(), strict=True))
    return [slice(ends[i.id] - sum(lengths[i.id]), ends[i.id]) for i in instruments]


def _filled(given: Any) -> Any:
    """A factor with gaps: each stands at what it was before; anchored at the first bar."""
    known = np.maximum.accumulate(np.where(np.isnan(given), -1, np.arange(len(given))))
    filled = np.where(known >= 0, given[np.maximum(known, 0)], 1.0)
    return filled / filled[0]


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
