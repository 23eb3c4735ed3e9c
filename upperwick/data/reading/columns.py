"""Which column of a file is which of ours: by its heading, and where that does not tell, by what it holds."""

import re
from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from upperwick.data.reading.formats import UNKNOWN, canonical_numbers, decimals_of, forms_of, is_number, plain, read_day_as
from upperwick.data.reading.headings import is_ambiguous_volume, meaning, plain_heading
from upperwick.data.reading.source import PriceFileError
from upperwick.data.reading.tables import BARS, INSTRUMENTS, OWN, TABLES, Table

SAMPLE_ROWS = 2_000
PRICES = ("open", "high", "low", "close")
_SYMBOL = re.compile(r"[A-Za-z0-9^][A-Za-z0-9.\-_/=^ ]{0,15}")
_WIDE_SYMBOL = re.compile(r"[A-Za-z][A-Za-z0-9.\-_/=^:]{0,15}")


class ColumnsUnclear(PriceFileError):
    """A file whose columns do not tell all that its table needs; a person can say what each means. headings: (heading, our name or "")."""

    def __init__(self, text: str, table: Table, headings: list[tuple[str, str]]) -> None:
        super().__init__(text)
        self.table, self.headings = table, headings
        self.first: list[list[str]] = []


@dataclass(frozen=True)
class Profile:
    """The columns of a file. kinds: `day`, `time`, `number`, `symbol`, `text` or `empty`, by what their first and last rows hold. sample: those
    rows as texts."""

    headings: list[str]
    kinds: list[str]
    sample: list[list[str]]
    headed: bool

    def numbers(self, i: int) -> Any:
        """The sample of a column as numbers, NaN where a cell is none."""
        column = pa.array(self.sample[i])
        texts = canonical_numbers(column, decimals_of([column])[0]).to_pylist()
        return np.array([float(t) if re.fullmatch(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?", t) else np.nan for t in texts])

    def ambiguous_volume(self, i: int) -> bool:
        return self.headed and is_ambiguous_volume(self.headings[i])


def profile(table: pa.Table, headed: bool) -> Profile:
    """The columns of a table, by a sample of its rows."""
    count = table.num_rows
    rows = (
        table
        if count <= SAMPLE_ROWS
        else pa.concat_tables([table.slice(0, SAMPLE_ROWS // 2), table.slice(count - SAMPLE_ROWS // 2)])
    )
    sample: list[list[str]] = []
    kinds: list[str] = []
    for i in range(rows.num_columns):
        column = rows.column(i)
        kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
        if pa.types.is_date(kind) or pa.types.is_timestamp(kind):
            sample.append([])
            kinds.append("day")
            continue
        if pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind):
            texts = [
                "" if v is None or v != v else repr(float(v)) if not pa.types.is_integer(kind) else str(v)
                for v in column.to_pylist()
            ]
        else:
            texts = plain(column).to_pylist() if not pa.types.is_nested(kind) and not pa.types.is_boolean(kind) else []
        sample.append(texts)
        kinds.append(_kind(texts))
    return Profile(list(table.column_names), kinds, sample, headed)


def _kind(texts: list[str]) -> str:
    filled = [t for t in texts if t.lower() not in UNKNOWN]
    if not filled:
        return "empty"
    few = list(dict.fromkeys(filled))[:200]

    def mostly(test: Any) -> bool:
        return sum(bool(test(t)) for t in few) >= 0.9 * len(few)

    if mostly(lambda t: re.fullmatch(r"\d{1,2}:\d\d(:\d\d(\.\d+)?)?", t)):
        return "time"
    form = forms_of(few)[0]
    days = [day for t in few if (day := read_day_as(form, t))]
    if len(days) >= 0.9 * len(few) and all("1900" < day[0] < "2100" for day in days):
        return "day"
    if mostly(is_number):
        return "number"
    if mostly(_SYMBOL.fullmatch) and mostly(lambda t: " " not in t.strip() or len(t) < 10):
        return "symbol"
    return "text"


# -- which table -----------------------------------------------------------------------------------------------------


def tables_that_fit(file: Path, profile: Profile, chosen: Mapping[str, str]) -> list[Table]:
    """The tables that the columns may be of, the likeliest first; more than one where nothing tells them apart."""
    meant = {t: _meant(profile, t, chosen) for t in TABLES.values()}
    if set(PRICES) <= meant[BARS] and "low_first" not in meant[TABLES["overnight"]]:
        return [BARS]
    whole = {t: len(names) for t, names in meant.items() if set(t.needed) <= names and t is not BARS and _holds(profile, t, names)}
    if not whole:
        # Nothing fits: by the file's name, or prices, which are brought most, so that what they lack is said.
        stem = plain_heading(file.stem)
        return [t for t in TABLES.values() if t.name.rstrip("s") in stem and not _looks_like_bars(profile)][:1] or [BARS]
    if _looks_like_bars(profile) and not any(profile_has(t, meant[t]) for t in whole):
        return [BARS]
    most = max(whole.values())
    best = [t for t, n in whole.items() if n == most]
    named = [t for t in best if t.name.rstrip("s") in plain_heading(file.stem)]
    return named or best


def profile_has(table: Table, names: set[str]) -> bool:
    """Whether columns say more of a table than its key."""
    return bool(names - set(table.key))


def _meant(profile: Profile, table: Table, chosen: Mapping[str, str]) -> set[str]:
    found = {meaning(h, table)[0] for h in profile.headings if h not in chosen} if profile.headed else set()
    return (found | {name for name in chosen.values() if name in {c.name for c in table.columns}}) - {""}


def _holds(profile: Profile, table: Table, names: set[str]) -> bool:
    """Whether the values can be a table's: instruments stand once each, and say more than their symbol."""
    if table is not INSTRUMENTS:
        return True
    if names == {"symbol"}:
        return False
    at = next((i for i, h in enumerate(profile.headings) if meaning(h, table)[0] == "symbol"), None)
    symbols = [s for s in profile.sample[at] if s] if at is not None else []
    return not symbols or 2 * len(set(symbols)) > len(symbols)


def _looks_like_bars(profile: Profile) -> bool:
    """Whether the values are a day and at least three numbers close to one another, as prices are."""
    return "day" in profile.kinds and len(_price_like(profile, [])) >= 3


def names_of(file: Path, profile: Profile, table: Table, chosen: Mapping[str, str]) -> list[str]:
    """Our name of each column by its heading, "" for those that are not taken. Raises PriceFileError where two mean the same as surely."""
    names, sure = [], []
    for heading in profile.headings:
        if heading in chosen:
            names.append(chosen[heading])
            sure.append(4)
            continue
        name, how = meaning(heading, table) if profile.headed else ("", 0)
        names.append(name)
        sure.append(how)
    wrong = sorted({name for name in names if name} - {c.name for c in table.columns})
    if wrong:
        raise PriceFileError(
            f"{table.title} have no column {', '.join(wrong)}; theirs are {', '.join(c.name for c in table.columns)}."
        )
    for name in sorted({n for n in names if n}):
        at = [i for i, n in enumerate(names) if n == name]
        if len(at) < 2:
            continue
        best = max(sure[i] for i in at)
        rivals = [i for i in at if sure[i] == best]
        fitting = [i for i in rivals if _may_be(profile.kinds[i], name, table)] or rivals
        if name == "volume" and len(fitting) > 1:
            fitting = [i for i in fitting if not profile.ambiguous_volume(i)] or fitting
        if len(fitting) > 1:
            listed = ", ".join(profile.headings[i] for i in fitting)
            raise ColumnsUnclear(
                f"{file} has {len(fitting)} columns that may be {name}: {listed}. Say which of them is.",
                table,
                [(h, "" if i in fitting else n) for i, (h, n) in enumerate(zip(profile.headings, names, strict=True))],
            )
        for i in at:
            if i != fitting[0]:
                names[i] = ""
    return names


def _may_be(kind: str, name: str, table: Table) -> bool:
    """Whether a column's values can be what its heading says."""
    wanted = table.column(name).kind
    if wanted == "day":
        return kind == "day"
    if wanted in ("number", "above zero"):
        return kind == "number"
    return kind not in ("day",) if name == "symbol" else True


# -- by values -------------------------------------------------------------------------------------------------------


def by_values(profile: Profile, names: list[str], chosen: Mapping[str, str]) -> tuple[list[str], bool]:
    """The columns of a price file, those that its headings leave open told by their values; and whether any was.

    The highest and the lowest of the four prices are known by their values in every row, the open comes before the close (common practice).
    """
    names, guessed = list(names), False
    for name, kind in (("date", "day"), ("time", "time"), ("symbol", "symbol")):
        free = [i for i, k in enumerate(profile.kinds) if k == kind and not names[i] and profile.headings[i] not in chosen]
        if name == "time" and (profile.headed or len(free) != 1):
            continue
        if name in names and not _contradicted(profile, names, name, kind, chosen):
            continue
        if name == "symbol" and profile.headed:
            continue  # a text beside prices may be anything
        if len(free) == 1:
            names = [("" if n == name else n) for n in names]
            names[free[0]] = name
            guessed = guessed or not (profile.headed and name == "date")
    missing = [p for p in PRICES if p not in names]
    if missing:
        guessed |= _prices_by_values(profile, names, chosen, missing)
    if not profile.headed and "volume" not in names:
        free = [i for i, k in enumerate(profile.kinds) if k == "number" and not names[i] and profile.headings[i] not in chosen]
        if len(free) == 1:
            names[free[0]] = "volume"
    return names, guessed


def _contradicted(profile: Profile, names: list[str], name: str, kind: str, chosen: Mapping[str, str]) -> bool:
    """Whether the column that a heading names cannot be it: a `Time` that holds days, a `Date` that holds none."""
    at = names.index(name)
    return profile.headings[at] not in chosen and name == "date" and profile.kinds[at] not in (kind, "empty")


def _price_like(profile: Profile, names: list[str]) -> list[int]:
    """The columns of numbers that lie close to one another in nearly every row."""
    numbers = {i: profile.numbers(i) for i, k in enumerate(profile.kinds) if k == "number"}
    best: list[int] = []
    for mine in numbers.values():
        with np.errstate(invalid="ignore", divide="ignore"):
            near = [j for j, other in numbers.items() if np.nanmean((other / mine > 0.5) & (other / mine < 2.0)) >= 0.9]
        if len(near) > len(best):
            best = near
    return best


def _prices_by_values(profile: Profile, names: list[str], chosen: Mapping[str, str], missing: list[str]) -> bool:
    """Puts the prices that are missing into `names`. Returns whether all were told."""
    alike = _price_like(profile, names)
    free = [i for i in alike if not names[i] and profile.headings[i] not in chosen]
    if len(free) < len(missing) or len(alike) < 4:
        return False
    known = {n: profile.numbers(i) for i, n in enumerate(names) if n in PRICES}
    columns = {i: profile.numbers(i) for i in free}
    every = np.vstack([*known.values(), *columns.values()])
    placed = dict[str, int]()
    for name, extreme in (("high", np.fmax.reduce(every)), ("low", np.fmin.reduce(every))):
        if name in missing:
            fits = [
                i
                for i in free
                if i not in placed.values() and np.mean(columns[i] >= extreme if name == "high" else columns[i] <= extreme) > 0.99
            ]
            if not fits:
                return False
            placed[name] = fits[0]
    rest = [i for i in free if i not in placed.values()]
    for name in ("open", "close"):
        if name in missing and rest:
            placed[name] = rest.pop(0)
    if set(missing) - placed.keys():
        return False
    for name, i in placed.items():
        names[i] = name
    return True


# -- a column a symbol -----------------------------------------------------------------------------------------------


def is_wide(profile: Profile) -> bool:
    """Whether a file has a day and then a column of numbers a symbol."""
    if not profile.headed or len(profile.headings) < 3 or profile.kinds[0] != "day":
        return False
    rest = profile.headings[1:]
    named = sum(bool(meaning(h, t)[0]) for h in rest for t in (BARS, OWN))
    numbers = sum(k in ("number", "empty") for k in profile.kinds[1:])
    return numbers == len(rest) and named == 0 and all(_WIDE_SYMBOL.fullmatch(h) for h in rest)


def melted(table: pa.Table, name: str) -> pa.Table:
    """A table with a column a symbol as rows of own facts; empty cells are left out."""
    day, parts = table.column(0), []
    for i in range(1, table.num_columns):
        value = table.column(i)
        rows = pa.table({"symbol": pa.array([table.column_names[i]] * table.num_rows), "day": day, "value": value})
        filled = (
            pc.invert(pc.is_in(pc.utf8_lower(plain(value)), pa.array(sorted(UNKNOWN))))
            if pa.types.is_string(value.type)
            else pc.is_valid(value)
        )
        parts.append(rows.filter(filled))
    joined = pa.concat_tables(parts)
    return joined.append_column("name", pa.array([name] * joined.num_rows))


def fact_name(file: Path) -> str:
    """A name for the numbers of a file, from its own."""
    words = [w for w in plain_heading(file.stem).split("_") if w and not w.isdigit()]
    name = "_".join(words) or "number"
    return name if name[0].isalpha() else f"f_{name}"
