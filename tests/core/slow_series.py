"""What the slow formulas see: a frame's bars, the period a bar lies in, and what stands in the place of a degree."""

from dataclasses import dataclass
from datetime import date, timedelta
from functools import lru_cache
from typing import Any

EPOCH = date(1970, 1, 1)


@lru_cache(None)
def period(day: int, frame: str, minute: int | None, opens: int) -> Any:
    if frame.endswith("min"):
        assert minute is not None
        return day, (minute - opens) // int(frame[:-3])
    when = EPOCH + timedelta(days=int(day))
    if frame == "week":
        return when.isocalendar()[:2]
    longer = {"month": (when.year, when.month), "quarter": (when.year, (when.month - 1) // 3), "year": when.year}
    return longer.get(frame, day)


class Series:
    """What an entry's slow formula sees: its frame's bars, oldest first, the last one the bar so far."""

    def __init__(self, slow: Any, frame: str, p: int) -> None:
        self.slow, self.frame, self.p = slow, frame, p
        self.at = slow.ends(frame, p)
        self.degree: int | None = None  # of the first number it is given

    def field(self, name: str) -> list[float]:
        """The field bar by bar; finished bars are looked up once."""
        return [self.slow.cached_field(name, self.frame, q) for q in self.at]

    def upto(self, i: int) -> "Series":
        """The same as it stood i + 1 bars in."""
        return Series(self.slow, self.frame, self.at[i])

    @property
    def open(self) -> list[float]:
        return self.field("open")

    @property
    def high(self) -> list[float]:
        return self.field("high")

    @property
    def low(self) -> list[float]:
        return self.field("low")

    @property
    def close(self) -> list[float]:
        return self.field("close")

    @property
    def volume(self) -> list[float]:
        return self.field("volume")


@dataclass(frozen=True)
class Log:
    """In the place of a degree: a logarithm, with the logarithm of the factor in it so many times."""

    shift: float
