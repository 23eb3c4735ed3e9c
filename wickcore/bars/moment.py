"""Moments: a session and a minute in it, or its close. The one place where dates become numbers and numbers dates.

A day is the number of days since 1970-01-01; a minute is that of the day on the exchange's own clock. A moment is when something is known:
the five-minute bar that begins at 10:30 is known from 10:35 on, and a day's bar from the close on.
"""

import re
from datetime import date
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

EPOCH = date(1970, 1, 1).toordinal()
CLOSE = 1_999  # the minute that stands for a session's close: after every minute of its day
PER_DAY = 2_000  # keys of one day never reach the next
_SAID = re.compile(r"(\d{4}-\d{2}-\d{2})(?:[T ](\d{2}):(\d{2})(?::00(?:\.0+)?)?)?$")


class Moment(NamedTuple):
    """day: days since 1970. minute: of the day, CLOSE for the session's close. Moments order as time does."""

    day: int
    minute: int = CLOSE

    @property
    def key(self) -> int:
        """The moment as one number, ordered as time is."""
        return self.day * PER_DAY + self.minute

    @property
    def closed(self) -> bool:
        """Whether the session is over."""
        return self.minute == CLOSE

    def __str__(self) -> str:
        """2024-06-28, or 2024-06-28T10:35 inside the session."""
        return iso(self.day) if self.closed else f"{iso(self.day)}T{clock(self.minute)}"


def of_key(key: int) -> Moment:
    """The moment of a key."""
    return Moment(*divmod(int(key), PER_DAY))


def moment_of(at: "int | Moment") -> Moment:
    """A day as the moment of its close; a moment as it is."""
    return at if isinstance(at, Moment) else Moment(int(at))


def keys(days: Any, minutes: Any) -> NDArray[np.int64]:
    """The keys of many moments; minutes may be one for all."""
    return np.asarray(days, np.int64) * PER_DAY + minutes


def read_moment(said: str) -> Moment:
    """`2024-06-28` is that session's close, `2024-06-28T10:35` a minute in it. Raises ValueError with a sentence."""
    found = _SAID.match(said.strip())
    if not found:
        raise ValueError(f"`{said}` is not a date of the form 2024-06-28, or a moment such as 2024-06-28T10:35.")
    day, hour, minute = found.groups()
    try:
        number = to_day(date.fromisoformat(day))
    except ValueError:
        raise ValueError(f"`{said}` is no day of the calendar.") from None
    if hour is None:
        return Moment(number)
    if int(hour) > 23 or int(minute) > 59:
        raise ValueError(f"`{said}` is no time of a day.")
    return Moment(number, int(hour) * 60 + int(minute))


def read_day(said: str) -> int:
    """`2024-06-28` as days since 1970. Raises ValueError with a sentence."""
    moment = read_moment(said)
    if not moment.closed:
        raise ValueError(f"`{said}` is a moment; a date of the form 2024-06-28 is needed.")
    return moment.day


def iso(day: int) -> str:
    """A day as 2024-06-28."""
    return str(np.datetime64(int(day), "D"))


def clock(minute: int) -> str:
    """A minute of the day as 10:35."""
    return f"{minute // 60:02d}:{minute % 60:02d}"


def to_date(day: int) -> date:
    """A day as a date."""
    return date.fromordinal(int(day) + EPOCH)


def to_day(when: date) -> int:
    """A date as days since 1970."""
    return when.toordinal() - EPOCH
