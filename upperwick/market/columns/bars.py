"""Bars whose columns lie in files: opened, and compared with their checksums, when they are first read."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from upperwick.market.columns.checksums import ColumnDamaged, read_labels
from upperwick.market.columns.previous import intact_column
from wickcore.bars.bars import FIELDS, Bars
from wickcore.bars.calendar import Calendar

LAZY = frozenset(("days", *FIELDS, "factor"))
Mend = Callable[["KeptBars", str, ColumnDamaged], Any]  # a column as it should be, in place of a damaged one


class KeptBars(Bars):
    """A table of columns in files; for whoever reads it, `Bars`."""

    _place: Path
    _labels: dict[str, Any]
    _mend: Mend

    def __getattr__(self, name: str) -> Any:
        # Asked for what is not there yet only.
        if name not in LAZY or "_place" not in self.__dict__:
            raise AttributeError(name)
        try:
            column = intact_column(self._place, name, self._labels)
        except ColumnDamaged as damaged:
            column = self._mend(self, name, damaged)
        self.__dict__[name] = column
        return column


def opened(place: Path, mend: Mend) -> KeptBars:
    """The table in a folder. Raises one of UNREADABLE."""
    labels = read_labels(place)
    missing = [name for name in sorted(LAZY) if not (place / f"{name}.npy").exists()]
    if missing:
        raise FileNotFoundError(place / f"{missing[0]}.npy")
    hours = labels["calendar"]
    bars = object.__new__(KeptBars)
    bars.__dict__.update(
        symbols=tuple(labels["symbols"]),
        offsets=intact_column(place, "offsets", labels),
        minute=intact_column(place, "minute", labels) if "minute" in labels["checksums"] else None,
        frame=labels["frame"],
        calendar=Calendar(frozenset(hours["holidays"]), hours["opens"], hours["closes"]),
        day_ends=None, before=None, _place=place, _labels=labels, _mend=mend,
    )  # fmt: skip
    return bars
