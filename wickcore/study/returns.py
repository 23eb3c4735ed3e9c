"""From hits to returns: what each signal of a study would have brought, beside what all members brought at the same moment."""

from dataclasses import dataclass

import numpy as np
from numba import njit

from wickcore.bars.bars import Bars, Bools, Floats, Ints
from wickcore.bars.frame_names import MINUTES
from wickcore.bars.frames import finished, number_of
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, moment_of
from wickcore.trade.costs import net_return
from wickcore.trade.entries import entry_bar, first_met, price_paid
from wickcore.trade.excursions import excursions as trade_excursions
from wickcore.trade.exits import COUNTED, DELISTED, NO_ENTRY, PENDING, last_held


@dataclass(frozen=True, slots=True)
class RuleBars:
    """The bars a rule steps on: positions of each instrument's finished bars in the rule's frame, ragged by `offsets`.

    moment: which bar of the frame each is, the same number for all instruments, from 0 on: a member whose last piece of a week or of a quarter
    of an hour is missing has its bar of that week all the same, known a little earlier.
    """

    positions: Ints
    offsets: Ints
    moment: Ints

    @staticmethod
    def of(bars: Bars, frame: str, as_of: int | Moment) -> "RuleBars":
        """Positions up to `as_of` (a day stands for its close); a bar of the frame that is unfinished there is left out."""
        if frame == bars.frame:
            lengths = bars.ends(as_of) - bars.offsets[:-1]
            offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
            positions = np.arange(offsets[-1])
            if offsets[-1] < len(bars):
                positions += np.repeat(bars.offsets[:-1] - offsets[:-1], lengths)
            return RuleBars(positions, offsets, bars.step[positions].astype(np.int64))
        known = bars if moment_of(as_of) >= bars.last_moment else bars.cut(as_of)
        ends = bars.ends(as_of)
        begins = bars.offsets[:-1]
        keep = np.zeros(len(bars) + 1, np.bool_)
        marks = finished(known, frame)
        inside = np.repeat(begins - known.offsets[:-1], np.diff(known.offsets)) + np.arange(len(known.days))
        keep[inside[marks]] = True
        positions = np.flatnonzero(keep).astype(np.int64)
        offsets = np.searchsorted(positions, np.append(begins, ends[-1] if len(ends) else 0)).astype(np.int64)
        return RuleBars(positions, offsets, _numbered(bars, frame, positions))


def _numbered(bars: Bars, frame: str, positions: Ints) -> Ints:
    """Which bar of a coarser frame each position lies in, by small numbers."""
    if frame in MINUTES:
        assert bars.minute is not None
        slot = (bars.minute[positions].astype(np.int64) - bars.calendar.opens) // MINUTES[frame]
        return np.asarray(bars.session[positions].astype(np.int64) * (slot.max(initial=0) + 1) + slot)
    number = number_of(bars.days[positions], frame)
    return np.asarray(number - number.min(initial=0) if len(number) else number)


@njit(nogil=True, cache=True)
def _follow(
    positions: Ints, offsets: Ints, ends: Ints, stopped: Bools, open_: Floats, close: Floats, factor: Floats, moment: Ints,
    belongs: Bools, wanted: Bools, where: Ints, h: int, entry: int, side: int, cost: float, total: Floats, count: Ints, out: Floats,
    status: Ints,
) -> None:  # fmt: skip
    """Each step's return at the moments that are wanted: summed by moment over those that belong, and kept for the hits at `where`."""
    hit = 0
    for k in range(len(offsets) - 1):
        for j in range(offsets[k], offsets[k + 1]):
            if not wanted[moment[j]]:
                continue
            at = positions[j]
            state, r = COUNTED, np.nan
            into, leave = entry_bar(at, entry), last_held(j, h, entry)
            gone = PENDING if not stopped[k] else NO_ENTRY
            if into >= ends[k]:
                state = gone
            else:
                paid = price_paid(open_[into], close[at], entry) * factor[into]
                if leave < offsets[k + 1]:
                    to = positions[leave]
                    r = net_return(paid, close[to] * factor[to], side, cost)
                elif stopped[k] and first_met(at, entry) < ends[k]:
                    to = ends[k] - 1
                    r, state = net_return(paid, close[to] * factor[to], side, cost), DELISTED
                else:
                    state = gone
            if r == r and belongs[j]:
                total[moment[j]] += r
                count[moment[j]] += 1
            if hit < len(where) and where[hit] == j:
                out[hit], status[hit] = r, state
                hit += 1


def follow(
    market: Market,
    bars: Bars,
    steps: RuleBars,
    as_of: Moment,
    where: Ints,
    belongs: Bools,
    horizon: int,
    entry: int,
    side: int,
    cost: float,
) -> tuple[Floats, Ints, Floats]:
    """The return and status (counted, pending, delisted, no entry) of the hits at one horizon, and beside each the mean return of all steps that
    belong at the same moment.

    where: the hits, as places among the steps. belongs: one a step. cost: the whole round trip as a fraction. Prices on the continuous
    scale, so that splits and dividends between entry and exit count.
    """
    here = steps.moment[where]
    size = int(steps.moment.max(initial=-1)) + 1
    wanted = np.zeros(size, np.bool_)
    wanted[here] = True
    total, count = np.zeros(size), np.zeros(size, np.int64)
    out, status = np.empty(len(where)), np.empty(len(where), np.int64)
    stopped = market.stopped <= (as_of.day if as_of.closed else as_of.day - 1)
    _follow(
        steps.positions, steps.offsets, bars.ends(as_of), stopped, bars.open, bars.close, bars.factor, steps.moment,
        belongs, wanted, where, horizon, entry, side, cost, total, count, out, status,
    )  # fmt: skip
    return out, status, np.where(count[here] > 0, total[here] / np.maximum(count[here], 1), np.nan)


@njit(nogil=True, cache=True)
def _choose(hits: Bools, offsets: Ints, mode: int, apart: int, out: Bools) -> None:
    for k in range(len(offsets) - 1):
        allowed = offsets[k]
        for j in range(offsets[k], offsets[k + 1]):
            if not hits[j]:
                continue
            if mode == 0:
                out[j] = j == offsets[k] or not hits[j - 1]
            elif mode == 1:
                out[j] = True
            elif j >= allowed:
                out[j] = True
                allowed = j + apart


def choose_hits(hits: Bools, offsets: Ints, repeats: str, longest: int) -> Bools:
    """Which hits become events: `fresh` (the step before was no hit), `every`, or `apart` (none within the longest horizon)."""
    out = np.zeros(len(hits), np.bool_)
    _choose(hits, offsets, {"fresh": 0, "every": 1, "apart": 2}[repeats], longest, out)
    return out


@njit(nogil=True, cache=True)
def _excursions(
    positions: Ints, offsets: Ints, ends: Ints, open_: Floats, close: Floats, high: Floats, low: Floats, factor: Floats, where: Ints,
    h: int, entry: int, side: int, favourable: Floats, adverse: Floats,
) -> None:  # fmt: skip
    k = 0
    for i in range(len(where)):
        j = where[i]
        while j >= offsets[k + 1]:
            k += 1
        at = positions[j]
        favourable[i], adverse[i] = 0.0, 0.0
        into, leave = entry_bar(at, entry), last_held(j, h, entry)
        if into < ends[k]:
            last = positions[leave] if leave < offsets[k + 1] else ends[k] - 1
            paid = price_paid(open_[into], close[at], entry) * factor[into]
            favourable[i], adverse[i] = trade_excursions(high, low, factor, first_met(at, entry), last, paid, side)


def excursions(
    bars: Bars, steps: RuleBars, as_of: Moment, where: Ints, horizon: int, entry: int, side: int
) -> tuple[Floats, Floats]:
    """The largest moves for and against each hit's position between entry and exit, by the highs and lows of every bar there.

    Fractions of the entry, at least 0 and at most 0, before costs. A position entered at a close meets the bars after it. For hits that
    were counted; what stands for others means nothing.
    """
    favourable, adverse = np.empty(len(where)), np.empty(len(where))
    _excursions(
        steps.positions, steps.offsets, bars.ends(as_of), bars.open, bars.close, bars.high, bars.low, bars.factor, where, horizon, entry,
        side, favourable, adverse,
    )  # fmt: skip
    return favourable, adverse
