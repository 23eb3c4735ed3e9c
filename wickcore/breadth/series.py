"""A breadth through all of history: how many members of each session's day pass, fail and are unknown."""

from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bars, Bools, Days, Floats, Ints
from wickcore.bars.frames import number_of
from wickcore.bars.moment import PER_DAY, Moment, moment_of
from wickcore.language.breadth import CheckedBreadth
from wickcore.scan.cross_section import ACROSS, tally_of
from wickcore.scan.evaluate import Evaluator, Limits

MOST_SMOOTHED = 250


@dataclass(frozen=True, slots=True)
class BreadthSeries:
    """One value a session, or a week of them: the last session of each.

    days: since 1970, ascending. passed, failed, unknown: members of that day. value: what the breadth shows (a share as a fraction),
    unknown where no member is known; smoothed: its mean over the last values, the same where nothing is smoothed. frame: day or week.
    running: the last value is of a week that goes on, or of a session that has not ended.
    """

    days: Days
    passed: Ints
    failed: Ints
    unknown: Ints
    value: Floats
    smoothed: Floats
    frame: str
    running: bool

    def over(self) -> "BreadthSeries":
        """Without what is still running: what passings are read from."""
        return self.taken(slice(0, len(self.days) - 1), False) if self.running else self

    def taken(self, part: "slice | Ints | Bools", running: bool) -> "BreadthSeries":
        """Some of its values."""
        return BreadthSeries(
            self.days[part], self.passed[part], self.failed[part], self.unknown[part], self.value[part], self.smoothed[part], self.frame,
            running,
        )  # fmt: skip


def breadth_series(
    evaluator: Evaluator,
    breadth: CheckedBreadth,
    as_of: int | Moment | None = None,
    by: str = "day",
    smooth: int = 1,
    limits: Limits | None = None,
) -> BreadthSeries:
    """The breadth of each session up to a moment (a day stands for its close), or of each week.

    by: `day`, where a condition on weekly bars sees the week so far, or `week`: its last session, the week that runs marked so. smooth:
    over how many values the mean is taken. Inside a session the day so far is the last value. Raises Stopped when `limits` say so.
    """
    day = evaluator.on("day")
    market, bars = evaluator.market, day.bars
    moment = market.latest if as_of is None else moment_of(as_of)
    columns = _tallied(day, breadth, limits)
    size = int(np.searchsorted(bars.sessions, moment.day if moment.closed else moment.day - 1, "right"))
    days, members, value = bars.sessions[:size], columns[0][:size], columns[1][:size]
    running = False
    if not moment.closed and market.finest != "day":
        inner = evaluator.on(market.finest)
        found, of_moment = _tallied(inner, breadth, limits)
        at = int(np.searchsorted(inner.bars.moments, moment.key, "right")) - 1
        if at >= 0 and inner.bars.moments[at] // PER_DAY == moment.day:
            days = np.append(days, np.int32(moment.day))
            members, value, running = np.vstack([members, found[at]]), np.append(value, of_moment[at]), True
    frame = "week" if by == "week" else "day"
    keep = np.arange(len(days))
    if frame == "week" and len(days):
        week = number_of(days, "week")
        keep = np.flatnonzero(np.append(week[1:] != week[:-1], True))
        running = running or _goes_on(bars, int(days[-1]))
    value = value[keep]
    return BreadthSeries(
        days[keep], members[keep, 2], members[keep, 0], members[keep, 1], value, smoothed(value, smooth), frame, running,
    )  # fmt: skip


def _tallied(engine: Evaluator, breadth: CheckedBreadth, limits: Limits | None) -> tuple[Ints, Floats]:
    """Members that fail, are unknown and pass by moment of the engine's table, and the value."""
    whole = engine.whole(limits)
    op = breadth.op
    members, value = tally_of(whole, op, engine.table)
    return members, value if op.params[1] != "sum" else ACROSS[op.kind].make(whole, op, engine.table)


def _goes_on(bars: Bars, day: int) -> bool:
    following = int(bars.calendar.following([day])[0])
    return bool(number_of([following], "week")[0] == number_of([day], "week")[0])


def smoothed(value: Floats, n: int) -> Floats:
    """The mean of the last n values, unknown until there are so many known ones in a row."""
    if n <= 1 or not len(value):
        return value
    out = np.full(len(value), np.nan)
    if len(value) >= n:
        out[n - 1 :] = np.lib.stride_tricks.sliding_window_view(value, n).mean(axis=1)
    return out
