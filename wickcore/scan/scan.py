"""One evening's scan: the truth of each line, the taper, hits and near misses."""

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, replace

import numpy as np
from numba import njit

from wickcore.bars.bars import Bars, Bools, Floats, Ints, Truth
from wickcore.bars.frames import goes_on
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, moment_of
from wickcore.language.rule import CheckedRule, Line, Value
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN
from wickcore.scan.at_moment import at_moment
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.scales import on_scale
from wickcore.scan.tail import Reach, Tail, tail_of


@dataclass(frozen=True, slots=True)
class LineCount:
    """What one line says of the scanned instruments.

    true, false, unknown: how many, looked at by itself. left: how many remain after this and all lines above it that decide.
    alone: how many more hits there would be without this line. ever, never_known: on what share of the whole history's bars it is
    true, and on what share unknown; None where only the moment was looked at.
    """

    line: Line
    true: int
    false: int
    unknown: int
    left: int
    alone: int
    ever: float | None
    never_known: float | None


@dataclass(frozen=True, slots=True)
class Hit:
    """number: the instrument. position: its bar. days: on how many bars in a row it has been a hit, this one included. longer: whether it was
    one before those too, and nobody asked since when."""

    number: int
    symbol: str
    position: int
    days: int
    longer: bool = False

    @property
    def fresh(self) -> bool:
        return self.days == 1


@dataclass(frozen=True, slots=True)
class NearMiss:
    number: int
    symbol: str
    line: Line


@dataclass(frozen=True, slots=True)
class ScanResult:
    """as_of: the moment stood on. scanned: instruments of the universe with a bar of that day known then. partial: the bar of the rule's
    frame is the one so far: its week, month or day has not ended at that moment."""

    as_of: Moment
    scanned: int
    no_bar: int
    lines: tuple[LineCount, ...]
    hits: tuple[Hit, ...]
    near_misses: tuple[NearMiss, ...]
    partial: bool = False


def hit_truth(evaluator: Evaluator, rule: CheckedRule, members: Bools | None, limits: Limits | None = None) -> Bools:
    """For each bar of the evaluator's table whether every deciding line is true and the instrument belonged to the universe that day."""
    evaluator = evaluator.stepping(rule.frame)
    hits = np.ones(len(evaluator.bars), np.bool_) if members is None else members.copy()
    for _, column in evaluator.each([line.op for line in rule.deciding], limits):
        evaluator.require(hits, column)
    return hits


def scan(
    evaluator: Evaluator,
    rule: CheckedRule,
    as_of: int | Moment,
    members: Bools | None = None,
    limits: Limits | None = None,
    ever: bool = True,
    runs: bool = True,
) -> ScanResult:
    """Scans one moment; a day (since 1970) stands for its close. Inside a session a daily rule sees the day so far.

    members: for each bar of the table the rule stands on then (`Evaluator.stepping`) whether it belongs to the universe, None for all
    instruments. ever: whether to say what the lines were over the whole history; without that a moment is scanned several times as fast.
    runs: whether to say of each hit on how many bars in a row it was one, however many; without that as far back as is looked anyway.
    Raises Stopped when `limits` say so.
    """
    as_of = moment_of(as_of)
    evaluator = evaluator.stepping(rule.frame, as_of)
    bars = evaluator.bars
    position = bars.on(as_of)
    scanned = position >= 0
    if members is not None:
        scanned &= members[np.maximum(position, 0)]
    numbers = np.flatnonzero(scanned)
    at = position[numbers]
    deciding = [i for i, line in enumerate(rule.lines) if line.decides]
    end = None if ever else tail_of(evaluator, [line.op for line in rule.lines], as_of)
    truths, on_tail = {}, []  # type: dict[int, Truth], list[Truth]
    if end is None:
        for i, (op, column) in enumerate(evaluator.each([line.op for line in rule.lines], limits)):
            truths[i] = column[at]
            if ever:
                evaluator.history(op, limits)
    else:
        on_tail = end[0].columns([line.op for line in rule.lines], end[1], limits)
        place = end[0].place(at)
        truths = {i: column[place] for i, column in enumerate(on_tail)}
    fails = sum(((truths[i] != TRUE).astype(np.int64) for i in deciding), np.zeros(len(at), np.int64))
    hits = np.flatnonzero(fails == 0)
    days = np.zeros(len(hits), np.int64)
    far = np.ones(len(hits), np.bool_)  # those whose run is not known to begin inside the tail
    if end is not None:
        needed = replace(max(end[1], key=lambda r: r.bars), across=any(r.across for r in end[1]))
        days, far = _on_tail(end[0], needed, numbers[hits], place[hits], [on_tail[i] for i in deciding], members)
    longer = far & (days > 1) if not runs and end is not None else np.zeros(len(hits), np.bool_)
    far &= ~longer
    if far.any():
        columns = (column for _, column in evaluator.each([rule.lines[i].op for i in deciding], limits))
        days[far] = _run_lengths(bars, numbers[hits][far], at[hits][far], columns, members)
    who = numbers[hits].tolist()
    found = zip(who, at[hits].tolist(), days.tolist(), longer.tolist(), strict=True)
    return ScanResult(
        as_of,
        len(at),
        _without_bar(evaluator.market, bars, as_of, position, members),
        _taper(evaluator, rule, truths, fails, ever),
        tuple(Hit(k, bars.symbols[k], *run) for k, *run in found),
        tuple(_near(rule, bars.symbols, numbers, truths, deciding, fails)),
        _partial(bars, rule.frame, at, as_of),
    )


def _taper(evaluator: Evaluator, rule: CheckedRule, truths: dict[int, Truth], fails: Ints, ever: bool) -> tuple[LineCount, ...]:
    left = np.ones(len(fails), np.bool_)
    found = []
    for i, line in enumerate(rule.lines):
        truth = truths[i]
        if line.decides:
            left &= truth == TRUE
        alone = int(np.sum((fails == 1) & (truth != TRUE))) if line.decides else 0
        history = evaluator.history(line.op) if ever else None
        counts = [int(np.sum(truth == state)) for state in (TRUE, FALSE, UNKNOWN)]
        of_all = (None, None) if history is None else (history.true, history.unknown)
        found.append(LineCount(line, counts[0], counts[1], counts[2], int(left.sum()), alone, *of_all))
    return tuple(found)


@njit(nogil=True, cache=True)
def _back(column: Truth | Bools, true: int, positions: Ints, broken: Ints) -> None:
    """Moves each `broken` on to the latest bar at or before its position on which the column is not `true`."""
    for h in range(len(positions)):
        at = positions[h]
        while at > broken[h] and column[at] == true:
            at -= 1
        broken[h] = max(broken[h], at)


def _run_lengths(bars: Bars, numbers: Ints, at: Ints, columns: Iterable[Truth], members: Bools | None) -> Ints:
    """On how many bars in a row, the given ones last, all columns are true and the instrument belonged."""
    broken = bars.offsets[numbers] - 1
    if not len(at):
        return broken
    for column in columns:
        _back(column, TRUE, at, broken)
    if members is not None:
        _back(members, True, at, broken)
    return at - broken


def _on_tail(
    tail: Tail, needed: Reach, numbers: Ints, place: Ints, columns: list[Truth], members: Bools | None
) -> tuple[Ints, Bools]:
    """As `_run_lengths`, on a tail; and for which the run reaches back to where the tail is not sound."""
    sound = tail.sound(needed)[numbers]
    broken = sound - 1
    for column in columns:
        _back(column, TRUE, place, broken)
    if members is not None:
        _back(members[tail.rows], True, place, broken)
    whole = tail.complete[numbers] & (sound == tail.offsets[numbers])
    return place - broken, (broken < sound) & ~whole


def _near(
    rule: CheckedRule, symbols: tuple[str, ...], numbers: Ints, truths: dict[int, Truth], deciding: list[int], fails: Ints
) -> list[NearMiss]:
    near = np.flatnonzero(fails == 1)
    failing = np.zeros(len(near), np.int64)
    false = np.zeros(len(near), np.bool_)
    for i in deciding:
        here = truths[i][near]
        failing[here != TRUE] = i
        false |= here == FALSE
    found = zip(numbers[near[false]].tolist(), failing[false].tolist(), strict=True)
    return [NearMiss(k, symbols[k], rule.lines[i]) for k, i in found]


def _partial(bars: Bars, frame: str, at: Ints, as_of: Moment) -> bool:
    """Whether the frame's bar that holds one of the bars `at` goes on after the moment."""
    return frame != bars.frame and bool(goes_on(bars, frame, at, as_of).any())


def _without_bar(market: Market, bars: Bars, as_of: Moment, position: Ints, members: Bools | None) -> int:
    """Instruments that could have been scanned but have no bar that day: listed before, not known to be delisted, and, where a
    universe is set, members on their latest bar."""
    latest = bars.ends(as_of) - 1
    missing = (position < 0) & (latest >= bars.offsets[:-1])
    if members is None:  # one that never had a five-minute bar, but traded on the days before, is missing inside a session too
        missing |= (position < 0) & (market.bars.ends(as_of) > market.bars.offsets[:-1])
    if len(market.delisted):
        missing &= (market.delisted < 0) | (market.delisted >= as_of.day)
    if members is not None:
        missing &= members[np.maximum(latest, 0)]
    return int(missing.sum())


def values_at(
    evaluator: Evaluator, columns: Mapping[str, Value], numbers: Ints, as_of: int | Moment, limits: Limits | None = None
) -> dict[str, Floats]:
    """Numbers (conditions as 1 and 0) of the given instruments at a moment, by name, on that day's scale; NaN where unknown.

    evaluator: on the table the rule stands on then.
    """
    bars = evaluator.bars
    scale = bars.factor[np.maximum(bars.ends(as_of)[numbers] - 1, 0)]
    found = {}
    made = at_moment(evaluator, [value.op for value in columns.values()], as_of, limits, numbers)
    for (name, value), whole in zip(columns.items(), made, strict=True):
        column = whole[numbers]
        if value.type == "condition":
            found[name] = np.where(column == UNKNOWN, np.nan, (column == TRUE).astype(np.float64))
        else:
            found[name] = np.asarray(on_scale(column, value, scale), np.float64)
    return found
