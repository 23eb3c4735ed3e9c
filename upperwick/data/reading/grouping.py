"""Files of one layout, which one set of answers is for: the same headings, and names of the same pattern."""

import re
from collections.abc import Iterable
from pathlib import Path

from upperwick.data.reading.endings import COLUMNAR
from upperwick.data.reading.headings import meaning, plain_heading
from upperwick.data.reading.source import Source
from upperwick.data.reading.tables import BARS

_MONTH = r"(?:jan|feb|mar|apr|may|jun|jul|aug|sep|oct|nov|dec)[a-z]*"


def name_pattern(name: str) -> str:
    """A file's name with `*` for what changes from day to day: digits, and the names of months beside them."""
    stem, dot, ending = name.rpartition(".")
    pattern = re.sub(rf"(?<=\d)[-_. ]?{_MONTH}(?=[-_. ]?\d)|(?<![a-z]){_MONTH}(?=[-_. ]?\d{{4}})", "0", stem or ending, flags=re.I)
    pattern = re.sub(r"\d+(?:[-_.: T]?\d+)*", "*", pattern)
    return f"{pattern}{dot}{ending.lower()}" if stem else pattern


def heading_key(source: Source) -> str:
    """What files of one layout share: their headings, as they are compared; of a text without headings, how many columns it has."""
    names = source.table.column_names
    return "|".join(plain_heading(n) for n in names) if source.headed else f"{len(names)} columns"


def pattern_of(source: Source) -> str:
    """The pattern of a source's name; any name where the name is the symbol."""
    headings = source.table.column_names
    if (
        source.headed
        and not any(meaning(h, BARS)[0] == "symbol" for h in headings)
        and any(meaning(h, BARS)[0] == "date" for h in headings)
    ):
        return f"*{source.file.suffix.lower()}"
    return name_pattern(source.file.name)


def grouped(sources: Iterable[Source]) -> list[list[Source]]:
    """Sources by their layout, in the order of the first of each."""
    groups: dict[tuple[object, ...], list[Source]] = {}
    for source in sources:
        columnar = source.file.suffix.lower() in COLUMNAR
        types = tuple(map(str, source.table.schema.types)) if columnar else ()
        groups.setdefault((heading_key(source), pattern_of(source), columnar, types), []).append(source)
    return list(groups.values())


def display_name(path: Path) -> str:
    """A file's name as it can be shown and stored, whatever bytes it has."""
    return path.name.encode("utf-8", "replace").decode("utf-8")
