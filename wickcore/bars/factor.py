"""The factor that makes prices continuous across splits and dividends: from recorded events, or from adjusted closes.

It stands still between two events, exactly, so that prices that are equal as printed stay equal. An adjusted close is rounded, and its
quotient with the close differs from day to day though nothing happened; the factor moves only where the quotient has moved by more than
rounding can explain. With the adjusted close a given in units of u and the close c in units of v, the quotient a / c of a day lies within a
share of u / 2a + v / 2c of the true one. As long as these spans of all days since the last event have something in common, nothing happened;
the first day whose span lies outside is that of the next.

Only days up to it are looked at, for the units too: they are what the prices so far have shown, and a quotient that has hardly ever stood still
so far tells by how much it wanders (a file worked out from another's rounded prices has no units of its own to show).
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats

DIGITS = 12  # of a step of the factor: so that the last digits of a quotient make no difference
# Prices are kept in cents or finer (common practice), whatever a few of them show; a split brings cents to halves, fourths, fifths of them.
UNITS = (0.01, *(share * 10.0**-tens for tens in (3, 4, 5, 6) for share in (5.0, 4.0, 2.5, 2.0, 1.0)))
SINGLE = 2.0**-24  # of a price in none of these: half a unit of single precision, in which many sources keep them
DOUBLE = 1e-12  # and what arithmetic adds
ENOUGH = 5  # moves of a quotient from which its wandering can be told
LARGE = 0.01  # a move that is no rounding
SPREAD = (
    2.2  # two prices rounded to one unit are off by a unit together at most; their quotient moves by 0.46 of it a day in the mean
)


def factor(days: Any, close: Any, ratio: Any, splits: list[tuple[int, float]], dividends: list[tuple[int, float]]) -> Any:
    """The cumulative factor of one instrument's bars, 1 on the first.

    ratio: adjusted close over close, NaN where unknown, None where no bar has one. Between its first and its last known bar the ratio
    decides (a bar without one stands at that of the bar before); outside, the recorded splits and dividends do.
    """
    if ratio is None or np.isnan(ratio).all():
        return factor_of_events(days, close, splits, dividends)
    known = np.flatnonzero(~np.isnan(ratio))
    first, last = int(known[0]), int(known[-1])
    filled = np.cumprod(_rounded(steps_of_ratio(close, ratio)))
    if (first == 0 and last == len(ratio) - 1) or not (splits or dividends):
        return filled
    recorded = factor_of_events(days, close, splits, dividends)
    found = filled * recorded[first]
    found[:first] = recorded[:first]
    found[last:] = found[last] * recorded[last:] / recorded[last]
    return found


def factor_within(
    daily: tuple[Any, Any, Any], days: Any, splits: list[tuple[int, float]], dividends: list[tuple[int, float]]
) -> Any:
    """The factor of shorter bars: that of their day; after the last daily bar the splits and dividends since count too, which a session that
    runs has had at its open.

    daily: days, factors and closes of the daily bars. days: of the shorter bars, ascending.
    """
    known, factors, closes = daily
    found = factor_by_day(known, factors, days)
    if not len(known) or not len(days) or days[-1] <= known[-1]:
        return found
    close = float(closes[-1])
    later = sorted({day for day, _ in (*splits, *dividends) if known[-1] < day <= days[-1]})
    for day in later:
        steps = np.array([ratio for on, ratio in splits if on == day], np.float64)
        close /= float(np.prod(steps))
        step = float(np.prod(steps))
        for amount in (money for on, money in dividends if on == day):
            if amount < close:
                step *= 1.0 / (1.0 - amount / close)
        found = np.where(days >= day, found * _rounded(np.array([step]))[0], found)
    return found


def factor_by_day(daily_days: Any, daily_factor: Any, days: Any) -> Any:
    """The factor of shorter bars: that of their day, or of the latest day before; 1 before the first."""
    at = np.searchsorted(daily_days, days, "right") - 1
    return np.where(at >= 0, daily_factor[np.maximum(at, 0)], 1.0)


def factor_of_events(days: Any, close: Any, splits: list[tuple[int, float]], dividends: list[tuple[int, float]]) -> Any:
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
    return np.cumprod(_rounded(steps))


def steps_of_ratio(close: Floats, ratio: Floats) -> Floats:
    """By how much the factor moves at each bar, 1 where it stands. ratio: adjusted close over close, NaN where unknown."""
    known = ~np.isnan(ratio)
    adjusted = ratio[known] * close[known]
    noise = _noise(adjusted)
    steps = np.ones(len(ratio))
    # A close that was printed is exact; one that a source has worked out and rounded shows by the quotient never standing still.
    steps[known] = _steps(ratio[known], adjusted, noise, noise + _noise(close[known]))
    return steps


def units_of(values: Floats) -> Floats:
    """By value, the coarsest of UNITS in which it and all before it are whole; 0 where there is none."""
    found = np.zeros(len(values))
    for unit in reversed(UNITS):
        count = values / unit
        whole = np.abs(count - np.rint(count)) <= np.maximum(1e-6, 1e-15 * count)
        found[np.logical_and.accumulate(whole)] = unit
    return found


def _noise(values: Floats) -> Floats:
    """The share of each value by which rounding can have moved it."""
    units = units_of(values)
    return np.where(units > 0.0, 0.5 * units / values, SINGLE) + DOUBLE


@njit(nogil=True, cache=True)
def _steps(ratio: Floats, adjusted: Floats, exact: Floats, rounded: Floats) -> Floats:
    """The step at each of the known bars: against the middle of what all days since the last step have in common.

    exact, rounded: the share by which a quotient may be off where closes are exact, and where they are rounded too.
    """
    out = np.ones(len(ratio))
    low, high = ratio[0] * (1.0 - exact[0]), ratio[0] * (1.0 + exact[0])
    still, wanders, wandered = 0, 0, 0.0
    for i in range(1, len(ratio)):
        moved = abs(ratio[i] / ratio[i - 1] - 1.0)
        if moved <= exact[i] + exact[i - 1]:
            still += 1
        elif moved < LARGE:
            wanders += 1
            wandered += moved * adjusted[i]
        noise = exact[i]
        if wanders >= ENOUGH and 2 * wanders > still:  # more often than the shares that pay by the week do
            noise = max(rounded[i], SPREAD * wandered / wanders / adjusted[i])
        least, most = ratio[i] * (1.0 - noise), ratio[i] * (1.0 + noise)
        if least <= high and most >= low:
            low, high = max(low, least), min(high, most)
        else:
            out[i] = ratio[i] / ((low + high) / 2.0)
            low, high = least, most
    return out


def _rounded(steps: Floats) -> Floats:
    """To DIGITS digits; steps lie near 1, or are whole numbers or their shares."""
    scale = 10.0 ** (DIGITS - 1 - np.floor(np.log10(steps)))
    return np.rint(steps * scale) / scale
