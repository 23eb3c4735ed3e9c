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
        last = np.maximum(market.delisted, market.stopped)[told]
        found[told] = np.where(last > days[-1], NEVER - 1, np.searchsorted(days, last, "right"))
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
    return rows.astype(np.int64), _multiplied(total, money, bars.close[rows - 1]), money


def _multiplied(total: Floats, money: Floats, before: Floats) -> Floats:
    """By how much shares multiply where the factor moves by `total`. money: a share, after that; before: the close before."""
    shares = total / (1.0 + total * money / before)
    near = np.where(money > 0.0, 0.005, 1e-9)  # what an adjusted close has left of a 1 by rounding
    shares = np.where(np.abs(shares - 1.0) < near, 1.0, shares)
    short = np.round(shares, 6)
    return np.asarray(np.where(np.abs(shares - short) < 1e-9, short, shares))


def acts_by_day(market: Market, k: int) -> dict[int, tuple[float, float, float]]:
    """Splits and dividends of one instrument by the day before whose open they are: by how much shares multiply, the money a share (after that),
    and by what a price before moves. A session that runs has no daily bar yet: it is told by its first bar within the day."""
    bars = market.bars
    found = {
        int(bars.days[row]): (float(shares), float(money), float(bars.factor[row - 1] / bars.factor[row]))
        for row, shares, money in zip(*actions(market, bars, k), strict=True)
    }
    end = int(bars.offsets[k + 1])
    inner = next((table for table in market.tables if table.frame != "day"), None)
    if inner is None or end == bars.offsets[k]:
        return found
    seen, factor, close = int(bars.days[end - 1]), float(bars.factor[end - 1]), float(bars.close[end - 1])
    begin, last = int(inner.offsets[k]), int(inner.offsets[k + 1])
    for row in range(begin + int(np.searchsorted(inner.days[begin:last], seen, "right")), last):
        day, now = int(inner.days[row]), float(inner.factor[row])
        if now != factor:
            money = _paid_between(market, k, seen, day)
            times = float(_multiplied(np.array([now / factor]), np.array([money]), np.array([close]))[0])
            found[day] = (times, money, factor / now)
        seen, factor, close = day, now, float(inner.close[row])
    return found


def _paid_between(market: Market, k: int, after: int, until: int) -> float:
    """Dividends a share whose day lies after one day and up to another."""
    if market.dividends is None:
        return 0.0
    offsets, ex, amounts = market.dividends
    own = slice(int(offsets[k]), int(offsets[k + 1]))
    return float(amounts[own][(ex[own] > after) & (ex[own] <= until)].sum())
