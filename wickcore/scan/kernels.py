"""Which kernel computes an operation, by its kind."""

from collections.abc import Callable
from typing import Any

import numpy as np

from wickcore.measures import counts, fits, ordered, pointwise, recurrence, since, since_fits, since_order, swings, windows

Column = Any  # Floats or Truth, by the operation's result

# Kernels over a window take their columns, the frame, then the operation's whole numbers.
WINDOWED: dict[str, Callable[..., Column]] = {
    "sma": windows.sma, "ema": windows.ema, "rma": windows.rma, "wma": windows.wma, "stdev": windows.stdev, "sum": windows.sum_,
    "highest": windows.highest, "lowest": windows.lowest, "mean_dev": windows.mean_dev, "ema_by": windows.ema_by,
    "ago": counts.ago, "held": counts.held, "once": counts.once, "count": counts.count, "bars_since": counts.bars_since,
    "streak": counts.streak, "value_at": counts.value_at, "sum_since": counts.sum_since, "total": counts.total,
    "slope": fits.slope, "fit": fits.fit, "corr": fits.corr, "median": ordered.median, "percentile": ordered.percentile,
    "bars_since_highest": ordered.bars_since_highest, "bars_since_lowest": ordered.bars_since_lowest, "ha_open": swings.ha_open,
    "swing_high": swings.swing_high, "swing_low": swings.swing_low, "is_swing_high": swings.is_swing_high,
    "is_swing_low": swings.is_swing_low, "swing_high.age": swings.swing_high_age, "swing_low.age": swings.swing_low_age,
    "zigzag_high.age": swings.zigzag_high_age, "zigzag_low.age": swings.zigzag_low_age,
    "zigzag_high": swings.zigzag_high, "zigzag_low": swings.zigzag_low,
    "sma_since": since.sma, "sum_since_window": since.sum_, "highest_since": since.highest, "lowest_since": since.lowest,
    "stdev_since": since.stdev, "first_known": since.first_known, "count_since": since.count,
    "median_since": since_order.median, "percentile_since": since_order.percentile, "mean_dev_since": since_order.mean_dev,
    "slope_since": since_fits.slope, "fit_since": since_fits.fit, "wma_since": since_fits.wma, "corr_since": since_fits.corr,
    "bars_since_highest_since": since.bars_since_highest,
    "bars_since_lowest_since": since.bars_since_lowest,
    "parabolic": recurrence.parabolic,
    "is_zigzag_high": swings.is_zigzag_high, "is_zigzag_low": swings.is_zigzag_low,
}  # fmt: skip
POINTWISE: dict[str, Callable[..., Column]] = {
    "+": np.add, "-": np.subtract, "*": pointwise.multiply, "/": pointwise.divide, "negate": np.negative, "abs": np.abs,
    "sqrt": pointwise.sqrt, "log": pointwise.log, "round": pointwise.rounded, "max": np.maximum, "min": np.minimum,
    "pick": pointwise.pick, "not": pointwise.not_, "and": pointwise.and_, "or": pointwise.or_, "any": pointwise.or_,
    "all": pointwise.and_, "^": pointwise.power, "exp": pointwise.exp, "floor": np.floor, "ceil": np.ceil, "sign": np.sign,
    "mod": pointwise.mod, "count_of": pointwise.count_of,
}  # fmt: skip

# Those that count bars of a frame of their own.
FRAMED = frozenset(WINDOWED) | {"field", "pattern", "opens", "begins", "carry", "opening", "pace"}
