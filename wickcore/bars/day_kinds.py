"""The kinds of days in the calendar of a market, as files and the database name them."""

from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class DayKind:
    """name: as it is written in files and stored. about: what it is. words: how the day is told, from its own name."""

    name: str
    about: str
    words: Callable[[str], str]


ANNOUNCEMENT = DayKind("announcement", "an announcement, which rules and precedents can name", "{} announced".format)
HOLIDAY = DayKind("holiday", "a day without a session", "{}".format)
DAY_KINDS = {kind.name: kind for kind in (ANNOUNCEMENT, HOLIDAY)}
USUAL = ANNOUNCEMENT  # of a row that names no kind


def words_of(kind: str, name: str) -> str:
    """How a day is told. One of a kind that this version does not know is shown as it is stored."""
    known = DAY_KINDS.get(kind)
    return known.words(name) if known else f"{name} ({kind})"
