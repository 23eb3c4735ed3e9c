"""The island's calendar: sessions, holidays and economic announcements."""

import numpy as np
from numpy.typing import NDArray

FIRST_DAY, LAST_DAY = "2012-07-02", "2024-06-28"
HOLIDAYS = (
    ("01-01", "New Year"), ("02-12", "Lamp Day"), ("04-23", "Spring Tide"), ("05-17", "Charter Day"), ("08-06", "Herring Fair"),
    ("10-09", "Founders' Day"), ("11-26", "First Frost"), ("12-24", "Long Night Eve"), ("12-25", "Long Night"), ("12-26", "Long Night Morrow"),
)  # fmt: skip
ANNOUNCEMENTS = (
    ("Lending rate", "The island bank's lending rate, eight times a year"),
    ("Cost of living", "What a household's basket costs, monthly"),
    ("Employment report", "How many are employed, on the first Friday"),
    ("Harbour trade", "Goods in and out through the harbours, monthly"),
    ("Harvest and catch", "Quarterly report of fields and boats"),
)


def holidays() -> list[tuple[np.datetime64, str]]:
    """Every holiday of the demo years that falls on a weekday, with its name."""
    found: list[tuple[np.datetime64, str]] = []
    for year in range(int(FIRST_DAY[:4]), int(LAST_DAY[:4]) + 2):
        for date, name in HOLIDAYS:
            day = np.datetime64(f"{year}-{date}", "D")
            if np.is_busday(day):
                found.append((day, name))
    return found


def sessions(last: str = LAST_DAY) -> NDArray[np.int32]:
    """The trading days, as days since 1970."""
    closed = np.array([day for day, _ in holidays()], "datetime64[D]")
    every = np.arange(np.datetime64(FIRST_DAY), np.datetime64(last) + 1)
    return every[np.is_busday(every, holidays=closed)].astype(np.int32)


def announcements(more: int = 2) -> list[tuple[int, str]]:
    """Dated economic announcements (day, kind), ascending; moved forward from days without a session. more: months told from the last
    day's on."""
    closed = np.array([day for day, _ in holidays()], "datetime64[D]")
    found: list[tuple[int, str]] = []
    for month in np.arange(np.datetime64(FIRST_DAY[:7]), np.datetime64(LAST_DAY[:7]) + more):
        number = int(month.astype(int)) % 12 + 1
        first = month.astype("datetime64[D]")
        dated = [("Cost of living", first + 12), ("Harbour trade", first + 18)]
        friday = np.busday_offset(first, 0, roll="forward", weekmask="Fri")
        dated.append(("Employment report", friday))
        if number in (1, 3, 5, 6, 7, 9, 11, 12):
            dated.append(("Lending rate", np.busday_offset(first + 14, 0, roll="forward", weekmask="Wed")))
        if number in (2, 5, 8, 11):
            dated.append(("Harvest and catch", first + 21))
        for kind, day in dated:
            moved = np.busday_offset(day, 0, roll="forward", holidays=closed)
            found.append((int(moved.astype(int)), kind))
    return sorted(found)
