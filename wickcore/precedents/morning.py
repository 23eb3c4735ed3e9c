"""A morning: the session that is to come, as far as it is known, laid behind the history of a few indices.

What is asked of it decides at the open, so it is evaluated like any session of the past. Its bar holds nothing but, at the bell, the open: what
a line could learn from it otherwise is unknown.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from wickcore.bars.bars import FIELDS, Bars, Ints
from wickcore.bars.market import Dated, Market
from wickcore.language.operations import Op, each
from wickcore.scan.across import ACROSS
from wickcore.scan.evaluate import Evaluator

Stage = Literal["evening", "night", "bell"]
STAGES: tuple[Stage, ...] = ("evening", "night", "bell")


@dataclass(frozen=True, slots=True)
class Morning:
    """session: the day that is to come, since 1970. stage: what is known of it. engine: over the history before it and its bar, which is
    the last of each of the instruments that have one; whole: over all instruments, not only the indices."""

    session: int
    stage: Stage
    engine: Evaluator
    whole: bool


def next_session(market: Market, evening: int) -> int:
    """The session after an evening: the next one there are bars of, else the calendar's."""
    bars = market.bars
    after = int(np.searchsorted(bars.sessions, evening, "right"))
    if after < len(bars.sessions):
        return int(bars.sessions[after])
    inner = market.tables[-1]
    later = inner.sessions[inner.sessions > evening]
    return int(later[0]) if len(later) else int(bars.calendar.following([evening])[0])


def stages_of(market: Market, session: int, symbols: Sequence[str]) -> tuple[Stage, ...]:
    """What is in the data of a session's morning: whether the night, and whether the open, of any of the instruments."""
    found: list[Stage] = ["evening"]
    numbers = [market.bars.number[s] for s in symbols if s in market.bars.number]
    night = market.overnight.get("close")
    if night is not None and any(session in night.days[night.offsets[k] : night.offsets[k + 1]] for k in numbers):
        found.append("night")
    if any(_open_of(market, k, session) is not None for k in numbers):
        found.append("bell")
    return tuple(found)


def _open_of(market: Market, k: int, session: int) -> float | None:
    """The open of an instrument's session as printed; None where it has not opened."""
    for bars in market.tables:
        begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
        at = begin + int(np.searchsorted(bars.days[begin:end], session))
        if at < end and bars.days[at] == session:
            return float(bars.open[at])
    return None


def needs_all(ops: Sequence[Op], symbols: Sequence[str]) -> bool:
    """Whether lines look at more than the benchmark and the instruments they are asked of, those symbols."""
    return any(
        op.kind in ACROSS and op.kind != "benchmark" and not (op.kind == "of" and op.params[0] in symbols) for op in each(*ops)
    )


def morning(market: Market, session: int, stage: Stage, symbols: Sequence[str], whole: bool = False) -> Morning:
    """The morning of a session for a few indices. whole: all instruments are kept, for lines that look across them."""
    keep = [k for k, s in enumerate(market.bars.symbols) if whole or s in symbols or s == market.benchmark]
    among = [k for k in keep if market.bars.symbols[k] in symbols]
    bars = _laid(market, session, stage, keep, set(among))
    night = {name: _before(of, keep, session + (0 if stage == "evening" else 1)) for name, of in market.overnight.items()}
    parts = np.array(keep, np.int64)

    def taken(column: Any) -> Any:
        return column[parts] if len(column) else column

    small = replace(
        market,
        tables=(bars,),
        texts={name: tuple(of[k] for k in keep) for name, of in market.texts.items() if len(of)},
        names=tuple(market.names[k] for k in keep) if market.names else (),
        delisted=taken(market.delisted),
        listed=taken(market.listed),
        optionable=taken(market.optionable),
        weekly_options=taken(market.weekly_options),
        facts=market.facts if whole else None,
        dividends=market.dividends if whole else None,
        universes=market.universes if whole else {},
        own={name: _before(of, keep, session) for name, of in market.own.items()},
        overnight=night,
        version=f"{market.version} morning {session} {stage}",
    )
    if whole:  # the owner's lists are told anew by whoever asks
        small._lists.update(market._lists)
    return Morning(session, stage, Evaluator(small, cache_bytes=100_000_000), whole)


def _before(of: Dated, keep: Sequence[int], until: int) -> Dated:
    """The values of some instruments that were given before a day."""
    parts = [
        slice(int(of.offsets[k]), int(of.offsets[k]) + int(np.searchsorted(of.days[of.offsets[k] : of.offsets[k + 1]], until)))
        for k in keep
    ]
    lengths = [p.stop - p.start for p in parts]
    rows = np.concatenate([np.arange(p.start, p.stop) for p in parts]) if parts else np.empty(0, np.int64)
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    return Dated(offsets, of.days[rows], of.values[rows])


def _laid(market: Market, session: int, stage: Stage, keep: Sequence[int], among: set[int]) -> Bars:
    """The daily bars of some instruments before the session, and the session's own bar behind those of the indices."""
    bars = market.bars
    ends = bars.ends(session - 1)
    spans = [(int(bars.offsets[k]), int(ends[k])) for k in keep]
    extra = [1 if k in among and end > begin else 0 for k, (begin, end) in zip(keep, spans, strict=True)]
    lengths = np.array([end - begin for begin, end in spans], np.int64) + extra
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    rows: Ints = np.concatenate([np.arange(b, e) for b, e in spans]) if spans else np.empty(0, np.int64)
    added = np.array([offsets[i + 1] - 1 for i, one in enumerate(extra) if one], np.int64)
    kept = np.ones(int(offsets[-1]), np.bool_)
    kept[added] = False
    columns: dict[str, Any] = {}
    for name in ("days", *FIELDS, "factor"):
        source = getattr(bars, name)
        column = np.full(int(offsets[-1]), np.nan if name in FIELDS else 0, source.dtype)
        column[kept] = source[rows]
        columns[name] = column
    columns["days"][added] = session
    with_bar = [k for k, one in zip(keep, extra, strict=True) if one]
    for at, k in zip(added.tolist(), with_bar, strict=True):
        # The night is printed on the session's own scale: a split is known by then.
        before = columns["factor"][at - 1]
        columns["factor"][at] = before if stage == "evening" else _factor_of(market, k, session, before)
        opened = _open_of(market, k, session) if stage == "bell" else None
        columns["open"][at] = np.nan if opened is None else opened
    return Bars(tuple(bars.symbols[k] for k in keep), offsets, calendar=bars.calendar, **columns)


def _factor_of(market: Market, k: int, session: int, before: float) -> float:
    """The factor of a session that has opened."""
    for bars in market.tables:
        begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
        at = begin + int(np.searchsorted(bars.days[begin:end], session))
        if at < end and bars.days[at] == session:
            return float(bars.factor[at])
    return before
