"""The factor that makes prices continuous across splits and dividends: from recorded events, or from adjusted closes.

It stands still between two events, exactly, so that prices that are equal as printed stay equal. An adjusted close is rounded, and its
quotient with the close differs from day to day though nothing happened; the factor moves only where the quotient has moved by more than
rounding can explain. With the adjusted close a given in units of u and the close c in units of v, the quotient a / c of a day lies within a
share of u / 2a + v / 2c of the true one. As long as these spans of all days since the last event have something in common, nothing happened;
the first day whose span lies outside is that of the next. Only days up to it are looked at.
"""

from typing import Any

import numpy as np
from numba import njit

from wickcore.bars.bars import Floats

DIGITS = 12  # of a step of the factor: so that the last digits of a quotient make no difference
LEAST_DECIMALS, MOST_DECIMALS = 2, 6  # prices are kept in cents at least (common practice), whatever a few of them show
SINGLE = 2.0**-24  # of a price with more decimals: half a unit of single precision, in which many sources keep them
DOUBLE = 1e-12  # and what arithmetic adds


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
    adjusted = ratio * close
    noise = _noise(adjusted[known]) + DOUBLE
    moved = np.abs(np.diff(ratio[known])) / ratio[known][1:]
    # A close that was printed is exact; one that a source has worked out and rounded shows by the quotient never standing still.
    if len(moved) and np.mean(moved <= noise[1:] + noise[:-1]) < 0.5:
        noise = noise + _noise(close[known])
    steps = np.ones(len(ratio))
    steps[known] = _steps(ratio[known], noise)
    return steps


def decimals_of(values: Floats) -> int | None:
    """The fewest decimals that hold all the values, LEAST_DECIMALS at least; None for more than MOST_DECIMALS."""
    for decimals in range(LEAST_DECIMALS, MOST_DECIMALS + 1):
        units = values * 10.0**decimals
        if (np.abs(units - np.rint(units)) <= np.maximum(1e-6, 1e-15 * units)).all():
            return decimals
    return None


def _noise(values: Floats) -> Floats:
    """The share of each value by which rounding can have moved it."""
    decimals = decimals_of(values)
    return np.full(len(values), SINGLE) if decimals is None else 0.5 * 10.0**-decimals / values


@njit(nogil=True, cache=True)
def _steps(ratio: Floats, noise: Floats) -> Floats:
    """The step at each of the known bars: against the middle of what all days since the last step have in common."""
    out = np.ones(len(ratio))
    low, high = ratio[0] * (1.0 - noise[0]), ratio[0] * (1.0 + noise[0])
    for i in range(1, len(ratio)):
        least, most = ratio[i] * (1.0 - noise[i]), ratio[i] * (1.0 + noise[i])
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
