"""The frames there are, from the shortest to the longest. Nothing else is needed to check a rule."""

from typing import Literal

FRAMES = ("5min", "15min", "30min", "65min", "day", "week", "month", "quarter", "year")
ChartFrame = Literal["5min", "15min", "30min", "65min", "day", "week", "month"]  # of which charts can be drawn
OLD_FRAMES = FRAMES[:7]  # whose names a rule cannot take; those that came later it may have taken before
MINUTES = {"5min": 5, "15min": 15, "30min": 30, "65min": 65}
DAYS = {"day": 1, "week": 7, "month": 31, "quarter": 92, "year": 366}


def finer(frame: str, than: str) -> bool:
    """Whether bars of `frame` are shorter than those of `than`."""
    return FRAMES.index(frame) < FRAMES.index(than)


def within_day(frame: str) -> bool:
    """Whether several bars of the frame make a day."""
    return frame in MINUTES
