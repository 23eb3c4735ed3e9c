"""The exchange's sessions: on which days there is one, and from which minute to which."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import numpy as np

from wickcore.bars.moment import clock

OPEN, CLOSED = 9 * 60 + 30, 16 * 60


@dataclass(frozen=True, eq=False)
class Calendar:
    """holidays: days without a session, as far as they are published; other weekdays have one. opens, closes: minutes of the day."""

    holidays: frozenset[int] = field(default_factory=frozenset)
    opens: int = OPEN
    closes: int = CLOSED

    @cached_property
    def _off(self) -> Any:
        return np.array(sorted(self.holidays), np.int64).astype("datetime64[D]")

    def following(self, days: Any) -> Any:
        """The next session's day after each day, as far as the calendar tells. days: int, since 1970."""
        after = np.asarray(days).astype(np.int64).astype("datetime64[D]") + 1
        return np.busday_offset(after, 0, roll="forward", holidays=self._off).astype(np.int64)

    @property
    def hours(self) -> str:
        """When the sessions run, as 09:30 to 16:00."""
        return f"{clock(self.opens)} to {clock(self.closes)}"


def hours_of(days: Any, begins: Any, step: int) -> tuple[int, int]:
    """From which minute to which sessions run, as the first session tells: what comes later must not change what was known before.

    days, begins: of all bars, minutes of the day. step: a bar's minutes. Without bars the usual hours.
    """
    if not len(days):
        return OPEN, CLOSED
    first = begins[days == days.min()]
    return int(first.min()), int(first.max()) + step
