"""What a file is: which table, what each of its columns means, how its dates and numbers are written, and what has to be asked first."""

import re
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

import pyarrow as pa
import pyarrow.compute as pc

from upperwick.data.reading.formats import (
    FORMS,
    canonical_days,
    canonical_numbers,
    decimals_of,
    forms_of,
    have_offsets,
    read_day_as,
)
from upperwick.data.reading.source import PriceFileError, opened
from upperwick.data.reading.tables import BARS, TABLES, Table

FIRST_ROWS = 6  # shown before anything is taken
NOT_TAKEN = ""  # the answer that leaves a column out


@dataclass(frozen=True, slots=True)
class Answers:
    """What a person said of files: table (its name), dates (a form's name), decimal (`point`, `comma`), zone (the exchange's, IANA), columns
    (our name by heading, NOT_TAKEN for none). All may be left out."""

    table: str = ""
    dates: str = ""
    decimal: str = ""
    zone: str = ""
    columns: dict[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Question:
    """key: of Answers. options: (answer, what it means in this file)."""

    key: str
    ask: str
    options: list[tuple[str, str]]


@dataclass(slots=True)
class Understood:
    """rows: the columns that are taken under our names, dates as 2024-06-28 and numbers with a decimal point. headings: (heading, our name or
    "" where it is not taken). first: the first rows as they stand in the file. skipped: lines with another number of cells than the head has.
    """

    file: Path
    table: Table
    rows: pa.Table
    headings: list[tuple[str, str]]
    dates: str
    decimal: str
    questions: list[Question]
    first: list[list[str]]
    skipped: list[tuple[int, str]]


def plain_heading(said: str) -> str:
    """A heading as it is compared: small letters, one `_` for all between words."""
    return re.sub(r"[^a-z0-9]+", "_", said.strip().strip("\ufeff").lower()).strip("_")


def understand(file: Path, answers: Answers | None = None) -> Understood:
    """Reads a file and says what it is. Raises PriceFileError."""
    answers = answers or Answers()
    found, skipped = opened(file)
    headings = list(found.column_names)
    plain = [plain_heading(h) for h in headings]
    table, questions = _table_of(file, plain, answers)
    names = _names_of(file, headings, plain, table, answers)
    taken = {name: found.column(i) for i, name in enumerate(names) if name}
    missing = [name for name in table.needed if name not in taken]
    if missing:
        raise PriceFileError(
            f"{file} has no column {', '.join(missing)}; {table.title.lower()} need {', '.join(table.needed)}. Its columns are "
            f"{', '.join(plain) or 'none'}."
        )
    rows, dates, decimal, more = _canonical(file, table, taken, answers)
    first = [[_shown(found.column(i)[row].as_py()) for i in range(len(headings))] for row in range(min(FIRST_ROWS, found.num_rows))]
    return Understood(
        file, table, rows, list(zip(headings, names, strict=True)), dates, decimal, [*questions, *more], first, skipped
    )


def _shown(value: Any) -> str:
    return "" if value is None else str(value)


def _table_of(file: Path, plain: list[str], answers: Answers) -> tuple[Table, list[Question]]:
    """The table whose columns the headings are. Where two fit alike, the file's name decides, and else it is asked."""
    if answers.table:
        if answers.table not in TABLES:
            raise PriceFileError(f"There is no table {answers.table}; tables are {', '.join(TABLES)}.")
        return TABLES[answers.table], []
    said = {*plain, *(a for a in answers.columns.values() if a)}
    fits = {t: sum(any(n in said for n in (c.name, *c.also)) for c in t.columns) for t in TABLES.values()}
    whole = {t: n for t, n in fits.items() if all(any(x in said for x in (c.name, *c.also)) for c in t.columns if c.needed)}
    if not whole:
        # Nothing fits: bars are what is brought most, so what they lack is said.
        named = [t for t in TABLES.values() if t.name.rstrip("s") in plain_heading(file.stem)]
        return (named[0] if named else BARS), []
    most = max(whole.values())
    best = [t for t, n in whole.items() if n == most]
    if len(best) > 1:
        stem = plain_heading(file.stem)
        named = [t for t in best if t.name.rstrip("s") in stem]
        best = named or best
    ask = (
        [Question("table", "What does the file hold?", [(t.name, f"{t.title}: {t.about}") for t in best])] if len(best) > 1 else []
    )
    return best[0], ask


def _names_of(file: Path, headings: list[str], plain: list[str], table: Table, answers: Answers) -> list[str]:
    """Our name of each column, "" for those that are not taken."""
    names = []
    for heading, short in zip(headings, plain, strict=True):
        if heading in answers.columns:
            names.append(answers.columns[heading])
            continue
        exact = [c.name for c in table.columns if short == c.name]
        also = [c.name for c in table.columns if short in c.also]
        names.append((exact or also or [""])[0])
    for i, (short, name) in enumerate(zip(plain, names, strict=True)):
        # A column that goes by its own name keeps it; another heading for the same is left out.
        if name and headings[i] not in answers.columns and short != name and names.count(name) > 1 and name in plain:
            names[i] = ""
    for name in {n for n in names if n}:
        if names.count(name) > 1:
            raise PriceFileError(
                f"{file} has {names.count(name)} columns named {name}; which of them is meant? Rename or remove the others."
            )
    return names


def _canonical(file: Path, table: Table, taken: dict[str, Any], answers: Answers) -> tuple[pa.Table, str, str, list[Question]]:
    questions: list[Question] = []
    days = [c.name for c in table.columns if c.kind == "day" and c.name in taken and _is_text(taken[c.name])]
    numbers = [c.name for c in table.columns if c.kind in ("number", "above zero") and c.name in taken and _is_text(taken[c.name])]
    out = dict(taken)
    dates = decimal = ""
    if days:
        texts = sorted({t for name in days for t in pc.unique(taken[name]).to_pylist() if t and t.strip()})
        dates = _dates_of(file, [t.strip() for t in texts], answers, questions)
        if have_offsets(texts) and not answers.zone:
            questions.append(
                Question("zone", "Its times say how far their clock is from UTC: in which time zone is the exchange?", [])
            )
        for name in days:
            out[name] = canonical_days(taken[name], dates, _zone(answers.zone))
    if numbers:
        could = decimals_of(taken[name] for name in numbers)
        decimal = answers.decimal if answers.decimal in ("point", "comma") else could[0]
        if len(could) > 1 and not answers.decimal:
            example = _with_comma([taken[name] for name in numbers])
            said = example.replace(",", "")
            questions.append(
                Question(
                    "decimal", f"Is the comma of {example} between thousands, or is it the decimal comma?",
                    [("point", f"between thousands: {said}"), ("comma", f"the decimal comma: {example.replace(',', '.')}")],
                )
            )  # fmt: skip
        for name in numbers:
            out[name] = canonical_numbers(taken[name], decimal)
    return pa.table(out) if out else pa.table({}), dates, decimal, questions


def _dates_of(file: Path, texts: list[str], answers: Answers, questions: list[Question]) -> str:
    if answers.dates:
        if answers.dates not in FORMS:
            raise PriceFileError(f"There is no way to write dates called `{answers.dates}`; there are: {', '.join(FORMS)}.")
        return answers.dates
    could = forms_of(texts)
    if len(could) > 1:
        example = next(t for t in texts if len({(read_day_as(name, t) or ("",))[0] for name in could}) > 1)
        options = [(name, f"{name}: {_long((read_day_as(name, example) or ('',))[0])}") for name in could]
        questions.append(Question("dates", f"Which day is {example}?", options))
    return could[0]


def _long(day: str) -> str:
    return f"{date.fromisoformat(day):%-d %B %Y}" if day else "none"


def _with_comma(columns: list[Any]) -> str:
    for column in columns:
        for text in pc.unique(column).to_pylist():
            if text and re.fullmatch(r"[+-]?\d{1,3},\d{3}", text.strip()):
                return str(text).strip()
    return "1,234"


def _zone(said: str) -> str | None:
    if not said:
        return None
    if said not in available_timezones():
        raise PriceFileError(f"There is no time zone `{said}`; zones are named as Europe/Helsinki is.")
    return ZoneInfo(said).key


def _is_text(column: Any) -> bool:
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


FLAGS = {"table": "--table", "dates": "--dates", "decimal": "--decimal", "zone": "--zone"}


class FileUnclear(PriceFileError):
    """A file that can be read two ways, and how a command is told which is meant. flags: by the question's key."""

    def __init__(self, file: object, question: Question, flags: dict[str, str] = FLAGS) -> None:
        flag = flags[question.key]
        ways = " or ".join(f'{flag} "{answer}" ({said})' for answer, said in question.options)
        super().__init__(f"{file}: {question.ask} Say it with {ways or f'{flag} ZONE, for instance Europe/Helsinki'}.")
        self.question = question


def unasked(found: Understood) -> Understood:
    """The file, where nothing has to be asked. Raises FileUnclear."""
    for question in found.questions:
        raise FileUnclear(found.file, question)
    return found
