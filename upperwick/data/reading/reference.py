"""What lies beside price files: instruments, reports, splits, dividends, members, the calendar and own facts, as CSV, Parquet or Arrow.

Columns in any order and case; those that are not needed may be left out. Each row is checked, and what is wrong is said with its line.
"""

import math
import re
from collections import defaultdict
from collections.abc import Callable
from dataclasses import replace
from datetime import date
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from upperwick.data.reading.answers import Answers
from upperwick.data.reading.headings import plain_heading
from upperwick.data.reading.infer import infer_file
from upperwick.data.reading.inference import Inference, without_questions
from upperwick.data.reading.source import PriceFileError
from upperwick.data.reading.symbols import wrong_symbol
from upperwick.data.reading.tables import (
    CALENDAR,
    DIVIDENDS,
    INSTRUMENTS,
    MEMBERS,
    OVERNIGHT,
    OWN,
    REPORTS,
    RULE_NAME,
    SPLITS,
    Column,
)
from wickcore.bars.day_kinds import ANNOUNCEMENT, HOLIDAY, USUAL
from wickcore.bars.market import Beside
from wickcore.bars.moment import to_day
from wickcore.bars.reports import Published, facts_of

FOREVER = to_day(date.max)
SHOWN = 5  # of what is wrong in a file


class BesideError(ValueError):
    """A file that cannot be taken; the message says which, where and why."""


def _text(said: str) -> str:
    if not said:
        raise ValueError("is missing")
    return said


def _day(said: str) -> int:
    try:
        return to_day(date.fromisoformat(said[:10]))
    except ValueError:
        raise ValueError(f"`{said}` is not a date of the form 2024-06-28") from None


def _number(said: str) -> float:
    try:
        found = float(said)
    except ValueError:
        found = math.nan
    if not math.isfinite(found):
        raise ValueError(f"`{said}` is not a number")
    return found


def _above_zero(said: str) -> float:
    found = _number(said)
    if found <= 0:
        raise ValueError(f"`{said}` is not above zero")
    return found


def _truth(said: str) -> bool:
    found = {"true": True, "yes": True, "1": True, "false": False, "no": False, "0": False}.get(said.lower())
    if found is None:
        raise ValueError(f"`{said}` is neither true nor false")
    return found


def read_cell(column: Column, said: str) -> Any:
    """A cell as its column has it: a text, days since 1970, a number or a truth. Raises ValueError with what is wrong with it."""
    if column.kind == "choice":
        if said.lower() not in column.choices:
            raise ValueError(f"`{said}` is no kind; kinds are {', '.join(column.choices[:-1])} and {column.choices[-1]}")
        return said.lower()
    found = READERS[column.kind](said)
    if column.name in ("symbol", "former") and (wrong := wrong_symbol(found)):
        raise ValueError(wrong)
    if len(str(found)) > LONGEST.get(column.name, 300):
        raise ValueError(f"`{found[:20]}…` has {len(found)} characters; at most {LONGEST.get(column.name, 300)} are kept")
    return found


def own_name(said: str) -> str:
    """An own fact's name as rules say it: `Tone of news` is tone_of_news. Raises ValueError."""
    found = plain_heading(said)
    if not re.fullmatch(RULE_NAME, found):
        raise ValueError(f"`{said}` cannot be a name in a rule; names begin with a letter, as in `tone_of_news`")
    return found


READERS: dict[str, Callable[[str], Any]] = {
    "text": _text, "day": _day, "number": _number, "above zero": _above_zero, "truth": _truth,
}  # fmt: skip
LONGEST = {"currency": 8, "symbol": 32, "former": 32, "universe": 80, "name": 80, "sector": 60, "reason": 60}
# What goes beside --prices, by the option that gives it.
KINDS = {
    "instruments": INSTRUMENTS, "reports": REPORTS, "splits": SPLITS, "dividends": DIVIDENDS, "members": MEMBERS,
    "announcements": CALENDAR, "own": OWN, "overnight": OVERNIGHT,
}  # fmt: skip


def read_beside(files: dict[str, Path], benchmark: str | None = None) -> Beside:
    """Reads the given files, by their kind. Raises BesideError."""
    found = Beside(benchmark=benchmark)
    rows = {kind: _rows(kind, path) for kind, path in files.items()}
    for row in rows.get("instruments", []):
        _take_instrument(found, row)
    for name, value, into in (("splits", "ratio", found.splits), ("dividends", "amount", found.dividends)):
        for row in sorted(rows.get(name, []), key=lambda r: r["day"]):
            into.setdefault(row["symbol"], []).append((row["day"], row[value]))
    for row in rows.get("members", []):
        found.members.setdefault(row["universe"], []).append((row["symbol"], row["first"], row.get("last", FOREVER)))
    for row in rows.get("announcements", []):
        kind = row.get("kind", USUAL.name)
        if kind == HOLIDAY.name:
            found.holidays.add(row["day"])
        elif kind == ANNOUNCEMENT.name:
            found.events.setdefault(row["name"], []).append(row["day"])
    for row in sorted(rows.get("own", []), key=lambda r: r["day"]):
        found.own.setdefault(row["name"], {}).setdefault(row["symbol"], {})[row["day"]] = row["value"]
    for row in sorted(rows.get("overnight", []), key=lambda r: r["day"]):
        night = (row["day"], row["open"], row["high"], row["low"], row["close"], float(row["low_first"]))
        found.overnight.setdefault(row["symbol"], []).append(night)
    if "reports" in rows:
        by_symbol: dict[str, list[Published]] = defaultdict(list)
        for row in sorted(rows["reports"], key=lambda r: r["day"]):
            by_symbol[row["symbol"]].append(
                Published(row["day"], row["shares"], row["revenue"], row["earnings"], row.get("expected"))
            )
        found.facts = lambda symbols: facts_of([(by_symbol[s], found.splits.get(s, [])) for s in symbols])
    return found


def _take_instrument(found: Beside, row: dict[str, Any]) -> None:
    symbol = row["symbol"]
    for text in ("sector", "kind"):
        if text in row:
            found.texts.setdefault(text, {})[symbol] = row[text]
    for name, into in (("name", found.names), ("listed", found.listed), ("delisted", found.delisted)):
        if name in row:
            into[symbol] = row[name]
    for mark in ("optionable", "weekly_options"):
        if mark in row:
            chosen = getattr(found, mark) or set()
            setattr(found, mark, chosen | {symbol} if row[mark] else chosen)


def rows_of(read: Inference, wrong: list[str]) -> list[dict[str, Any]]:
    """The rows of a file that holds no bars, each cell read; an optional cell that is empty is left out. What is wrong is added to `wrong`,
    with its line."""
    known = {name: read.table.column(name) for name in read.rows.column_names}
    columns = {name: _cells(read.rows[name]) for name in known}
    found = []
    for i in range(read.rows.num_rows):
        row: dict[str, Any] = {}
        bad = False
        for name, column in known.items():
            said = columns[name][i]
            if not said and not column.needed:
                continue
            try:
                row[name] = read_cell(column, said)
                if read.table is OWN and name == "name":
                    row[name] = own_name(said)
            except ValueError as error:
                source, line = read.place_of(i)
                wrong.append(f"{source.file.name}, line {line}: {name} {error}.")
                bad = True
        if not bad:
            found.append(row)
    wrong += [f"{s.file.name}, line {line}: {reason}." for s in read.sources for line, reason in s.skipped if reason]
    return found


def _cells(column: Any) -> list[str]:
    if pa.types.is_date(column.type) or pa.types.is_timestamp(column.type):
        column = pc.cast(pc.cast(column, pa.date32()), pa.string())
    elif pa.types.is_boolean(column.type) or pa.types.is_floating(column.type) or pa.types.is_integer(column.type):
        return ["" if value is None or value != value else repr(value) for value in column.to_pylist()]
    return ["" if value is None else str(value).strip() for value in column.to_pylist()]


def _rows(kind: str, path: Path, answers: Answers | None = None) -> list[dict[str, Any]]:
    """The rows of a file of one kind. Raises BesideError."""
    wrong: list[str] = []
    try:
        read = without_questions(infer_file(path, replace(answers or Answers(), table=KINDS[kind].name)))
        found = rows_of(read, wrong)
    except PriceFileError as error:
        raise BesideError(str(error)) from None
    if wrong:
        raise BesideError(shortened(wrong))
    return found


def shortened(wrong: list[str]) -> str:
    """What is wrong, the first few of it."""
    more = [f"… and {len(wrong) - SHOWN} more."] if len(wrong) > SHOWN else []
    return "\n".join([*wrong[:SHOWN], *more])
