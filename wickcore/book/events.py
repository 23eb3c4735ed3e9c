"""What happens to bars whatever a book does: splits and dividends, delistings, and where the bars of longer frames end."""

import numpy as np

from wickcore.bars.bars import Bars, Bools, Days, Floats, Ints
from wickcore.bars.frame_names import within_day
from wickcore.bars.frames import finished, number_of
from wickcore.bars.market import Market
from wickcore.book.tape import NEVER


def gone_at(market: Market, days: Days) -> Ints:
    """The first step at which each instrument is known to trade no more; a step beyond all others where no listing says so."""
    found = np.full(len(market.bars.symbols), NEVER, np.int64)
    if len(market.delisted):
        told = market.delisted >= 0
        found[told] = np.searchsorted(days, np.maximum(market.delisted, market.stopped)[told], "right")
    return found


def ended(bars: Bars, frame: str) -> Bools:
    """True on each bar with which its bar of a longer frame is over, as it is known then: the next session lies in another one. A
    name that
    misses the week's last session ends no week: on the day before nobody knew that it would."""
    if within_day(frame):
        return finished(bars, frame)
    sessions = bars.sessions
    following = np.append(sessions[1:], bars.calendar.following(sessions[-1:]))
    over = (number_of(following, frame) != number_of(sessions, frame))[np.searchsorted(sessions, bars.days)]
    if bars.minute is not None:  # of a session's bars the last
        over &= np.append((bars.days[1:] != bars.days[:-1]) | (bars.owner[1:] != bars.owner[:-1]), True)
    return np.asarray(over)


def actions(market: Market, bars: Bars, only: int | None = None) -> tuple[Ints, Floats, Floats]:
    """The bars before whose open the factor moves, by how much shares multiply there, and the money a share (after the split) is
    paid; of one instrument only, if its number is given.

    Where no dividend is recorded, whatever moves the factor is taken as shares: what was paid is put into the name again.
    """
    whole = slice(0, len(bars)) if only is None else slice(int(bars.offsets[only]), int(bars.offsets[only + 1]))
    factor = bars.factor[whole]
    moves = np.flatnonzero(factor[1:] != factor[:-1]) + 1 + whole.start
    rows = np.setdiff1d(moves, bars.offsets[:-1], assume_unique=True)
    money = np.zeros(len(rows))
    if market.dividends is not None and len(rows):
        offsets, ex, amounts = market.dividends
        for k in np.flatnonzero(np.diff(offsets)).tolist() if only is None else [only]:
            begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
            own = slice(int(offsets[k]), int(offsets[k + 1]))
            at = begin + np.searchsorted(bars.days[begin:end], ex[own])
            place = np.searchsorted(rows, at)
            hit = (at < end) & (place < len(rows)) & (rows[np.minimum(place, len(rows) - 1)] == at)
            np.add.at(money, place[hit], amounts[own][hit])
    total = bars.factor[rows] / bars.factor[rows - 1]
    shares = total / (1.0 + total * money / bars.close[rows - 1])
    near = np.where(money > 0.0, 0.005, 1e-9)  # what an adjusted close has left of a 1 by rounding
    shares = np.where(np.abs(shares - 1.0) < near, 1.0, shares)
    short = np.round(shares, 6)
    return rows.astype(np.int64), np.where(np.abs(shares - short) < 1e-9, short, shares), money
