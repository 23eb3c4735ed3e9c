"""Values off the continuous scale, on which they are computed: as they are said of one day."""

from collections.abc import Mapping
from typing import Any

import numpy as np

from wickcore.language.operations import Op
from wickcore.language.rule import Value

NOTHING: Mapping[Op, Any] = {}


def on_scale(column: Any, value: Value, factor: Any, lent: Mapping[Op, Any] = NOTHING) -> Any:
    """A column of a number's values in the money (or shares) of the day that has the given split factor.

    column: on the continuous scale. factor: one number, or one for each value. lent: the same of the other instruments whose scale the value
    has, by the operation of their factor.
    """
    for one in value.lent:
        column = column / np.power(lent[one.factor], one.degree) - one.shift * np.log(lent[one.factor])
    if value.shift:
        column = column - value.shift * np.log(factor)
    if not value.degree:
        return column
    return column / factor if value.degree == 1 else column / np.power(factor, value.degree)


def latest(factor: Any) -> float:
    """The last known value of another instrument's split factor; 1 where none is known."""
    known = factor[~np.isnan(factor)]
    return float(known[-1]) if len(known) else 1.0
