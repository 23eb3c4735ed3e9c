"""Wrong formulas are found: the engine's answers are made a little wrong, and the comparison with the slow evaluation has to notice.

The suite tries a fixed twenty entries; `make mutate` tries all.
"""

import os
from typing import Any

import numpy as np
import pytest

from tests.core.test_meaning import FRAMES, engine, example_of, market, same  # noqa: F401 - fixtures
from wickcore.language.catalogue import CATALOGUE
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN
from wickcore.scan.evaluate import Evaluator

TWENTY = (
    "sma", "ema", "rsi", "atr", "adx", "stoch_k", "bb_width", "cci", "obv", "highest", "percentile", "slope", "beta", "gap", "hammer",
    "is_swing_high", "double_bottom.trigger", "channel_up.upper.now", "pe", "rank",
)  # fmt: skip
ALL = tuple(sorted(n for n, e in CATALOGUE.entries.items() if not e.inner and e.result != "text" and e.family != "overnight"))
NAMES = ALL if os.environ.get("MUTANTS") == "all" else TWENTY


def off_by_a_millionth(column: Any) -> Any:
    """A number a millionth too large; a condition that is not true where it is."""
    if column.dtype == np.int8:
        return np.where(column == TRUE, FALSE, column)
    return column * (1 + 1e-6)


def a_bar_late(column: Any) -> Any:
    """What was true a bar ago."""
    late = np.roll(column, 1)
    late[:1] = UNKNOWN if column.dtype == np.int8 else np.nan
    return late


class Wrong:
    """An evaluator whose columns are not right. changed: whether any of them is another for it."""

    def __init__(self, right: Evaluator, mutation: Any) -> None:
        self.market, self.bars, self.table = right.market, right.bars, right.table
        self._right, self._mutation, self.changed = right, mutation, False

    def rows(self, ops: list[Any], symbol: str) -> list[Any]:
        columns = self._right.rows(ops, symbol)
        wrong = [self._mutation(np.array(column)) for column in columns]
        self.changed |= any(not np.array_equal(a, b, equal_nan=a.dtype != np.int8) for a, b in zip(columns, wrong, strict=True))
        return wrong


@pytest.mark.parametrize("mutation", [off_by_a_millionth, a_bar_late])
@pytest.mark.parametrize("name", NAMES)
def test_a_wrong_formula_is_found(engine: Evaluator, name: str, mutation: Any) -> None:  # noqa: F811 - a fixture
    wrong: Any = Wrong(engine, mutation)
    found = False
    for frame in FRAMES:
        try:
            same(wrong, example_of(name), frame, every=False)
        except AssertionError:
            found = True
            break
    if NAMES is ALL and not wrong.changed:
        pytest.skip("The same with it on this market: never true, or always one value.")
    assert found, f"{name} may be {mutation.__name__} and nobody notices."
