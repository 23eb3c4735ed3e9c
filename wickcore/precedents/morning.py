"""A morning: the session that is to come, as far as it is known, laid behind the history of a few indices.

What is asked of it decides at the open, so it is evaluated like any session of the past. Its bar holds nothing but, at the bell, the open: what
a line could learn from it otherwise is unknown.
"""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import Any, Literal

import numpy as np

from wickcore.bars.bars import COLUMNS, FIELDS, Bars
from wickcore.bars.market import Dated, Market
from wickcore.language.operations import Op, each
from wickcore.scan.cross_section import ACROSS
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
    small = replace(market, tables=(market.bars,))
    if not whole:
        # Lines of indices alone ask for neither facts nor members; those that do are laid out whole (`needs_all`).
        bare = replace(small, facts=None, dividends=None, universes={})
        small = bare.only([k for k, s in enumerate(market.bars.symbols) if s in symbols or s == market.benchmark])
    bars = _laid(market, small.bars, session, stage, symbols)
    night = session if stage == "evening" else session + 1
    laid = replace(
        small,
        tables=(bars,),
        own={name: _before(of, session) for name, of in small.own.items()},
        overnight={name: _before(of, night) for name, of in small.overnight.items()},
        version=f"{market.version} morning {session} {stage}",
    )
    return Morning(session, stage, Evaluator(laid, cache_bytes=100_000_000), whole)


def _before(of: Dated, until: int) -> Dated:
    """The values that were given before a day."""
    before = of.days < until
    offsets = np.concatenate([[0], np.cumsum(before)])[of.offsets].astype(np.int64)
    return Dated(offsets, of.days[before], of.values[before])


def _laid(market: Market, small: Bars, session: int, stage: Stage, symbols: Sequence[str]) -> Bars:
    """The daily bars before the session, and the session's own bar behind those of the indices. small: those of some of the market's
    instruments."""
    lengths = small.ends(session - 1) - small.offsets[:-1]
    has_bar = (lengths > 0) & np.isin(small.symbols, list(symbols))
    offsets = np.concatenate([[0], np.cumsum(lengths + has_bar)]).astype(np.int64)
    kept = np.ones(int(offsets[-1]), np.bool_)
    added = offsets[1:][has_bar] - 1
    kept[added] = False
    history = small.cut(session - 1)
    columns: dict[str, Any] = {}
    for name in COLUMNS:
        source = getattr(history, name)
        column = np.full(int(offsets[-1]), np.nan if name in FIELDS else 0, source.dtype)
        column[kept] = source
        columns[name] = column
    columns["days"][added] = session
    for at, small_number in zip(added.tolist(), np.flatnonzero(has_bar).tolist(), strict=True):
        k = market.bars.number[small.symbols[small_number]]
        # The night is printed on the session's own scale: a split is known by then.
        before = columns["factor"][at - 1]
        columns["factor"][at] = before if stage == "evening" else _factor_of(market, k, session, before)
        opened = _open_of(market, k, session) if stage == "bell" else None
        columns["open"][at] = np.nan if opened is None else opened
    return Bars(small.symbols, offsets, calendar=small.calendar, **columns)


def _factor_of(market: Market, k: int, session: int, before: float) -> float:
    """The factor of a session that has opened."""
    for bars in market.tables:
        begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
        at = begin + int(np.searchsorted(bars.days[begin:end], session))
        if at < end and bars.days[at] == session:
            return float(bars.factor[at])
    return before
