"""Values off the continuous scale, on which they are computed: as they are said of one day."""

from typing import Any

import numpy as np

from wickcore.language.rule import Value


def on_scale(column: Any, value: Value, factor: Any) -> Any:
    """A column of a number's values in the money (or shares) of the day that has the given split factor.

    column: on the continuous scale. factor: one number, or one for each value.
    """
    if value.shift:
        column = column - value.shift * np.log(factor)
    if not value.degree:
        return column
    return column / factor if value.degree == 1 else column / np.power(factor, value.degree)
