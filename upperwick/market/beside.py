"""What lies beside price files: instruments, reports, splits, dividends, members, announcements and holidays, as CSV or Parquet.

Columns in any order and case; those that are not needed may be left out. Each row is checked, and what is wrong is said with its line.
"""

import math
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date
from pathlib import Path
from typing import Any

import pandas as pd

from upperwick.market.formats import PARQUET
from wickcore.bars.market import Beside
from wickcore.bars.moment import to_day
from wickcore.bars.reports import Published, facts_of

FOREVER = to_day(date.max)
SHOWN = 5  # of what is wrong in a file


class BesideError(ValueError):
    """A file that cannot be taken; the message says which, where and why."""


@dataclass(frozen=True, slots=True)
class Kind:
    """columns: those that must be there, with how their cells are read. optional: those that may be."""

    columns: dict[str, Callable[[str], Any]]
    optional: dict[str, Callable[[str], Any]]


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


def _kind(said: str) -> str:
    if said.lower() not in ("share", "fund", "index"):
        raise ValueError(f"`{said}` is no kind; kinds are share, fund and index")
    return said.lower()


def _of_calendar(said: str) -> str:
    if said.lower() not in ("announcement", "holiday"):
        raise ValueError(f"`{said}` is no kind of day; kinds are announcement and holiday (a day without a session)")
    return said.lower()


KINDS = {
    "instruments": Kind(
        {"symbol": _text},
        {
            "name": _text,
            "kind": _kind,
            "sector": _text,
            "listed": _day,
            "delisted": _day,
            "optionable": _truth,
            "weekly_options": _truth,
        },
    ),
    "reports": Kind(
        {"symbol": _text, "day": _day, "shares": _above_zero, "revenue": _number, "earnings": _number}, {"expected": _number}
    ),
    "splits": Kind({"symbol": _text, "day": _day, "ratio": _above_zero}, {}),
    "dividends": Kind({"symbol": _text, "day": _day, "amount": _above_zero}, {}),
    "members": Kind({"universe": _text, "symbol": _text, "first": _day}, {"last": _day}),
    "announcements": Kind({"day": _day, "name": _text}, {"kind": _of_calendar}),
}


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
        if row.get("kind") == "holiday":
            found.holidays.add(row["day"])
        else:
            found.events.setdefault(row["name"], []).append(row["day"])
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


def _rows(kind: str, path: Path) -> list[dict[str, Any]]:
    """The rows of a file, each cell read; an optional cell that is empty is left out."""
    try:
        parquet = path.suffix.lower() in PARQUET
        table = pd.read_parquet(path) if parquet else pd.read_csv(path, dtype=str, keep_default_na=False, sep=None, engine="python")
    except (OSError, ValueError, pd.errors.ParserError) as error:
        raise BesideError(f"{path} cannot be read: {str(error).splitlines()[0]}") from None
    table.columns = [str(name).strip().lower().replace(" ", "_") for name in table.columns]
    if "day" not in table and "date" in table:
        table = table.rename(columns={"date": "day"})
    wanted = KINDS[kind]
    missing = [name for name in wanted.columns if name not in table]
    if missing:
        raise BesideError(f"{path} has no column {', '.join(missing)}; {kind} need {', '.join(wanted.columns)}.")
    known = {name: read for name, read in {**wanted.columns, **wanted.optional}.items() if name in table}
    texts = table[list(known)].astype(object).where(table[list(known)].notna(), "").astype(str)
    found, wrong = [], []
    for line, cells in enumerate(texts.itertuples(index=False), 2):
        row: dict[str, Any] = {}
        for (name, read), cell in zip(known.items(), cells, strict=True):
            said = cell.strip()
            if not said and name in wanted.optional:
                continue
            try:
                row[name] = read(said)
            except ValueError as error:
                wrong.append(f"{path.name}, line {line}: {name} {error}.")
        found.append(row)
    if wrong:
        more = [f"… and {len(wrong) - SHOWN} more."] if len(wrong) > SHOWN else []
        raise BesideError("\n".join([*wrong[:SHOWN], *more]))
    return found
