"""What files are: which table, what each column means, how dates and numbers are written, and what has to be asked first.

Files of one layout (the same headings, from one sender) are inferred together, so that one answer counts for all of them.
"""

import re
from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from functools import cached_property
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc

from upperwick.data.reading import columns as column_inference
from upperwick.data.reading.formats import (
    EPOCHS,
    FORMS,
    are_daily,
    canonical_days,
    canonical_numbers,
    decimals_of,
    forms_of,
    have_offsets,
    plain,
    read_day_as,
)
from upperwick.data.reading.source import PriceFileError, Source, open_source
from upperwick.data.reading.tables import BARS, FILLS, OWN, TABLES, Table

FIRST_ROWS = 6  # shown before anything is taken
SKIP = ""  # the answer that leaves a column out
ADJUSTMENTS = {
    "": "as printed, or with adjusted closes beside them",
    "splits": "adjusted for splits already",
    "full": "adjusted for splits and dividends already",
}


@dataclass(frozen=True, slots=True)
class Answers:
    """What a person has answered about files of one layout; all may be left out.

    table: its name. dates: a form's name. decimal: `point` or `comma`. zone: the exchange's (IANA). columns: our name by heading, SKIP for none;
    `confirmed` once a person has agreed to the columns that were proposed. suffix: `keep` or `remove` the ending that all symbols share. names:
    `yes` where the files' names are the symbols. adjusted: see ADJUSTMENTS. fact: the name of the dated number that a file
    with a column a symbol
    holds. checked: `yes` once a person has agreed to what is odd about the values.
    """

    table: str = ""
    dates: str = ""
    decimal: str = ""
    zone: str = ""
    columns: dict[str, str] = field(default_factory=dict)
    confirmed: str = ""
    suffix: str = ""
    names: str = ""
    adjusted: str = ""
    fact: str = ""
    checked: str = ""


@dataclass(frozen=True, slots=True)
class Question:
    """key: of Answers. options: (answer, what it means in this file). heading: of the column that is asked about, where it is one."""

    key: str
    ask: str
    options: list[tuple[str, str]]
    heading: str = ""


@dataclass(frozen=True)
class Known:
    """What is known of the market that files are read for. symbols: its instruments. weekdays: on which it has sessions, 0 for
    Monday; empty where
    nothing is stored. expected: the day of the next session, as 2024-06-28."""

    symbols: Collection[str] = ()
    load_sessions: Callable[[], tuple[Collection[int], str]] = lambda: ((), "")

    @cached_property
    def _sessions(self) -> tuple[Collection[int], str]:
        return self.load_sessions()

    @property
    def weekdays(self) -> Collection[int]:
        return self._sessions[0] or range(5)

    @property
    def expected(self) -> str:
        return self._sessions[1]


@dataclass(slots=True)
class Inference:
    """Files of one layout, inferred.

    rows: the columns that are taken under our names, dates as 2024-06-28 and numbers with a decimal point. headings: (heading, our name or ""
    where it is not taken). first: the first rows as they stand in the file. notes: what a person should read. span: from which day to which bars
    run, in a sentence.
    """

    sources: list[Source]
    table: Table
    rows: pa.Table
    headings: list[tuple[str, str]]
    dates: str
    decimal: str
    questions: list[Question]
    first: list[list[str]]
    notes: list[str] = field(default_factory=list)
    adjusted: str = ""
    names: str = ""
    span: str = ""

    @property
    def file(self) -> Path:
        return self.sources[0].file

    @property
    def starts(self) -> Any:
        """The number of the first row of each file, and of all rows."""
        return np.concatenate([[0], np.cumsum([s.table.num_rows for s in self.sources])])

    def place_of(self, row: int) -> tuple[Source, int]:
        """The file of a row, and its line there."""
        at = int(np.searchsorted(self.starts, row, "right")) - 1
        return self.sources[at], self.sources[at].line_of(row - int(self.starts[at]))


def infer_file(file: Path, answers: Answers | None = None, known: Known | None = None) -> Inference:
    """Opens a file and infers what it is. Raises PriceFileError."""
    return infer([open_source(file)], answers, known)


def infer(sources: list[Source], answers: Answers | None = None, known: Known | None = None) -> Inference:
    """What files of one layout are. Raises PriceFileError for what cannot be any table."""
    answers, known = answers or Answers(), known or Known()
    file, whole = sources[0].file, _joined(sources)
    headings = list(whole.column_names)
    shown = [[_shown(whole.column(i)[row].as_py()) for i in range(len(headings))] for row in range(min(FIRST_ROWS, whole.num_rows))]
    notes = sorted({f"Left out beside the table: {note}" for s in sources for note in s.notes})[:5]
    encodings = {s.layout.encoding for s in sources if s.layout} - {"utf-8", "utf-8-sig"}
    notes += [f"The text is read as {name}." for name in sorted(encodings)]
    answers = replace(answers, columns=_by_heading(file, answers.columns, headings))
    profile = column_inference.profile(whole, sources[0].headed)
    questions: list[Question] = []
    if column_inference.is_wide(profile) and answers.table in ("", OWN.name) and not answers.columns:
        if answers.table != OWN.name:
            reason = (
                f"It has one number a symbol and day ({', '.join(headings[1:4])} …) and no open, high, low and close, so it cannot be taken as "
                "prices. Take it as a dated number of your own?"
            )
            ask = Question("table", reason, [(OWN.name, f"{OWN.title}: {column_inference.fact_name(file)}")])
            pairs = [(h, "") for h in headings]
            return Inference(sources, BARS, pa.table({}), pairs, "", "", [ask], shown, notes)
        name = answers.fact or column_inference.fact_name(file)
        whole = column_inference.melted(whole, name)
        melted = Source(file, whole, None)
        melted_answers = replace(answers, columns={"symbol": "symbol", "day": "day", "name": "name", "value": "value"})
        inference = infer([melted], melted_answers, known)
        inference.headings, inference.first = [(h, "value") for h in headings], shown
        inference.notes = [*notes, f"Each column is a symbol; its numbers become own.{name}."]
        return inference
    table = _table_of(file, profile, answers, questions)
    names = column_inference.names_of(file, profile, table, answers.columns)
    if table is BARS:
        names = _bar_columns(file, profile, names, answers, questions)
    taken = {name: whole.column(i) for i, name in enumerate(names) if name}
    missing = [name for name in table.needed if name not in taken]
    if missing:
        unclear = column_inference.ColumnsUnclear(
            f"{file} has no column {', '.join(missing)}; {table.title.lower()} need {', '.join(table.needed)}. Its columns are "
            f"{', '.join(h or '(no heading)' for h in headings) or 'none'}. Say what each of them means.",
            table,
            list(zip(headings, names, strict=True)),
        )
        unclear.first = shown
        raise unclear
    rows, dates, decimal = _canonical(file, table, taken, answers, known, questions)
    inference = Inference(
        sources, table, rows, list(zip(headings, names, strict=True)), dates, decimal, questions, shown, notes, answers.adjusted
    )
    if table is BARS and whole.num_rows and not any(q.key == "dates" for q in questions):
        inference.span = _days_of(rows)
    if table is BARS and "symbol" not in taken:
        _symbols_from_names(inference, answers, known)
    if "symbol" in inference.rows.column_names and whole.num_rows:
        _settle_symbols(inference, answers, known)
    return inference


def _days_of(rows: pa.Table) -> str:
    """From which day to which a file's bars run, as a sentence."""
    if not is_text(rows["date"]):
        return ""
    days = sorted(t[:10] for t in pc.unique(rows["date"]).to_pylist() if re.match(r"\d{4}-\d\d-\d\d", t or ""))
    try:
        return f"Its days run from {_long(days[0])} to {_long(days[-1])}." if days else ""
    except ValueError:  # no day of the calendar: said as a bad row
        return ""


def _by_heading(file: Path, columns: dict[str, str], headings: list[str]) -> dict[str, str]:
    """What columns mean, by their headings; `#2` stands for the second. Raises PriceFileError for one that is not there."""
    found = {}
    for key, name in columns.items():
        number = re.fullmatch(r"#(\d+)", key)
        at = int(number[1]) - 1 if number else headings.index(key) if key in headings else -1
        if number and not 0 <= at < len(headings):
            raise PriceFileError(f"{file} has {len(headings)} columns; there is no column {number[1]}.")
        if at < 0 and name:
            raise PriceFileError(f"{file} has no column headed {key}; its headings are {', '.join(headings)}.")
        if at >= 0:
            found[headings[at]] = name
    return found


def _joined(sources: Sequence[Source]) -> pa.Table:
    if len(sources) == 1:
        return sources[0].table
    try:
        return pa.concat_tables([s.table for s in sources])
    except pa.ArrowInvalid:
        return pa.concat_tables([s.table for s in sources], promote_options="permissive")


def _shown(value: Any) -> str:
    return "" if value is None else str(value)


def _table_of(file: Path, profile: column_inference.Profile, answers: Answers, questions: list[Question]) -> Table:
    """The table that the columns are of. Where two fit alike, the file's name decides, and else it is asked."""
    if answers.table == FILLS.name:
        return FILLS
    if answers.table:
        if answers.table not in TABLES:
            raise PriceFileError(f"There is no table {answers.table}; tables are {', '.join(TABLES)}.")
        return TABLES[answers.table]
    best = column_inference.tables_that_fit(file, profile, answers.columns)
    if len(best) > 1:
        questions.append(Question("table", "What does the file hold?", [(t.name, f"{t.title}: {t.about}") for t in best]))
    return best[0]


def _bar_columns(
    file: Path, profile: column_inference.Profile, names: list[str], answers: Answers, questions: list[Question]
) -> list[str]:
    """The columns of a price file: those that no heading tells by what they hold, which a person has to agree to."""
    names, guessed = column_inference.by_values(profile, names, answers.columns)
    if guessed and not answers.confirmed:
        described = ", ".join(f"{h}: {n}" for h, n in zip(profile.headings, names, strict=True) if n)
        questions.append(Question("confirmed", f"Is this what its columns hold? {described}.", [("yes", "yes, take them so")]))
    if "volume" not in names:
        for i, heading in enumerate(profile.headings):
            if heading not in answers.columns and profile.kinds[i] == "number" and not names[i] and profile.ambiguous_volume(i):
                names[i] = "volume"
                options = [("volume", "shares traded"), (SKIP, "money; leave it out")]
                questions.append(Question("columns", f"What is {heading}?", options, heading))
                break
    return names


def _canonical(
    file: Path, table: Table, taken: dict[str, Any], answers: Answers, known: Known, questions: list[Question]
) -> tuple[pa.Table, str, str]:
    days = [c.name for c in table.columns if c.kind == "day" and c.name in taken]
    numbers = [c.name for c in table.columns if c.kind in ("number", "above zero") and c.name in taken and is_text(taken[c.name])]
    out = dict(taken)
    dates = decimal = ""
    for name in days:
        out[name] = taken[name] = _as_texts(taken[name])
    days = [name for name in days if is_text(taken[name])]
    if days:
        texts = sorted({t.strip() for name in days for t in pc.unique(taken[name]).to_pylist() if t and t.strip()})
        dates = _dates_of(table, texts, answers, known, questions)
        stamps = have_offsets(texts) or dates in EPOCHS
        daily = stamps and are_daily(texts, dates)
        zone = _zone(answers.zone)
        if stamps and not zone and (not daily or _off_session(texts, dates, known)):
            ask = "Its times say how far their clock is from UTC: in which time zone is the exchange?"
            questions.append(Question("zone", ask, []))
        for name in days:
            out[name] = canonical_days(taken[name], dates, zone, daily)
    if numbers:
        could = decimals_of(taken[name] for name in numbers)
        decimal = answers.decimal if answers.decimal in ("point", "comma") else could[0]
        if len(could) > 1 and not answers.decimal:
            example = _with_comma([taken[name] for name in numbers])
            questions.append(
                Question(
                    "decimal", f"Is the comma of {example} between thousands, or is it the decimal comma?",
                    [
                        ("point", f"between thousands: {example.replace(',', '')}"),
                        ("comma", f"the decimal comma: {example.replace(',', '.')}"),
                    ],
                )
            )  # fmt: skip
        for name in numbers:
            out[name] = canonical_numbers(taken[name], decimal)
    return pa.table(out) if out else pa.table({}), dates, decimal


def _as_texts(column: Any) -> Any:
    """Moments with a time zone as texts with their offset, whole numbers as texts: both are read as a text file's would be."""
    kind = column.type
    if pa.types.is_timestamp(kind) and kind.tz is not None:
        if pc.all(pc.equal(pc.hour(column), 0)).as_py() and pc.all(pc.equal(pc.minute(column), 0)).as_py():
            return pc.cast(pc.cast(pc.local_timestamp(column), pa.date32()), pa.string())
        return pc.strftime(pc.cast(column, pa.timestamp("s", "UTC")), format="%Y-%m-%dT%H:%M:%SZ")
    if pa.types.is_integer(kind):
        return pc.cast(column, pa.string())
    return column


def _dates_of(table: Table, texts: list[str], answers: Answers, known: Known, questions: list[Question]) -> str:
    """The form of the dates. One that was answered before is asked anew where another reading fits the sessions better."""
    could = forms_of(texts, past=table is BARS)
    if answers.dates:
        if answers.dates not in FORMS:
            raise PriceFileError(f"There is no way to write dates called `{answers.dates}`; there are: {', '.join(FORMS)}.")
        others = [name for name in could if name != answers.dates and table is BARS and not answers.checked]
        better = [name for name in others if _fits_better(texts, name, answers.dates, known)]
        if not better:
            return answers.dates
        could = [answers.dates, *better]
    if len(could) > 1:
        example = next(t for t in texts if len({(read_day_as(name, t) or ("",))[0] for name in could}) > 1)
        options = [(name, f"{name}: {_long((read_day_as(name, example) or ('',))[0])}") for name in could]
        questions.append(Question("dates", f"Which day is {example}?", options))
    return could[0]


def _fits_better(texts: list[str], other: str, form: str, known: Known) -> bool:
    """Whether another form of dates fits the market's sessions where the form that was answered does not."""
    mine, theirs = ({(read_day_as(name, t) or ("",))[0] for t in texts} - {""} for name in (form, other))
    if not mine:
        return True
    off = [
        sum(date.fromisoformat(d).weekday() not in known.weekdays or d > date.today().isoformat() for d in days)
        for days in (mine, theirs)
    ]
    if off[0] > off[1] == 0:
        return True
    return bool(known.expected) and known.expected in theirs and known.expected not in mine and off[1] == 0


def _off_session(texts: list[str], form: str, known: Known) -> bool:
    """Whether days as they are written fall on days without a session."""
    days = {(read_day_as(form, t) or ("",))[0] for t in texts} - {""}
    return any(date.fromisoformat(d).weekday() not in known.weekdays for d in days)


def _long(day: str) -> str:
    return f"{date.fromisoformat(day):%-d %B %Y}" if day else "none"


def _with_comma(columns: list[Any]) -> str:
    for column in columns:
        for text in pc.unique(column).to_pylist():
            if text and re.fullmatch(r"[+-]?\d{1,3},\d{3}", text.strip()):
                return str(text).strip()
    return "1,234"


def _zone(name: str) -> str | None:
    if not name:
        return None
    if name not in available_timezones():
        raise PriceFileError(f"There is no time zone `{name}`; zones are named as Europe/Helsinki is.")
    return ZoneInfo(name).key


def is_text(column: Any) -> bool:
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))


# -- symbols ---------------------------------------------------------------------------------------------------------

_UPPER = re.compile(r"[A-Z0-9][A-Z0-9.\-_=^/]*")


def _symbols_from_names(inference: Inference, answers: Answers, known: Known) -> None:
    """A file without a column for it has its name for its symbol, where a person agrees or nothing speaks against it."""
    stems = [s.file.stem for s in inference.sources]
    upper = [stem.upper() for stem in stems]
    plainly = all(_UPPER.fullmatch(stem) for stem in stems) or all(stem in known.symbols for stem in upper)
    if not plainly and not answers.names:
        shown = ", ".join(upper[:3]) + (" …" if len(upper) > 3 else "")
        ask = f"It has no column for the symbol. Are the names of the files symbols: {shown}?"
        options = [("yes", f"yes: {upper[0]}"), ("no", "no; choose the column that is the symbol")]
        inference.questions.append(Question("names", ask, options))
    elif answers.names == "no" and not plainly:
        raise PriceFileError(f"{inference.file} has no column for the symbol; say which of its columns it is.")
    sizes = [s.table.num_rows for s in inference.sources]
    chosen = stems if all(_UPPER.fullmatch(stem) for stem in stems) else upper
    codes = np.repeat(np.arange(len(sizes), dtype=np.int32), sizes)
    column = pa.DictionaryArray.from_arrays(pa.array(codes), pa.array(chosen, pa.string()))
    inference.names = "yes"
    inference.rows = inference.rows.append_column("symbol", column)


def _settle_symbols(inference: Inference, answers: Answers, known: Known) -> None:
    """Symbols as the market has them: without an ending that all share, where that is answered, and in capital letters where
    they are all small."""
    at = inference.rows.column_names.index("symbol")
    column = inference.rows.column(at)
    if not is_text(column):
        return
    whole = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    if isinstance(whole, pa.ChunkedArray):
        whole = pa.concat_arrays(whole.chunks)
    coded = whole if pa.types.is_dictionary(whole.type) else plain(whole).dictionary_encode()
    symbols = [(s or "").strip() for s in coded.dictionary.to_pylist()]
    changed = list(symbols)
    ending = _shared_ending(symbols)
    if ending and sum(s in known.symbols for s in symbols) * 2 < len(symbols):
        bare = symbols[0][: -len(ending)]
        if not answers.suffix:
            options = [("remove", f"remove it: {bare}"), ("keep", f"keep it: {symbols[0]}")]
            inference.questions.append(Question("suffix", f"All symbols end in {ending}. Is it part of the symbol?", options))
        if answers.suffix == "remove":
            changed = [s[: -len(ending)] if s.endswith(ending) else s for s in symbols]
            inference.notes.append(f"The ending {ending} of the symbols is removed.")
    letters = [s for s in changed if re.search("[A-Za-z]", s)]
    if letters and all(s == s.lower() for s in letters) and not any(s in known.symbols for s in letters):
        changed = [s.upper() for s in changed]
        inference.notes.append(f"Symbols in small letters are taken in capitals: {changed[0]}.")
    elif known.symbols and (small := [s for s in changed if s not in known.symbols and s.upper() in known.symbols]):
        changed = [s.upper() if s in small else s for s in changed]
        inference.notes.append(f"{small[0]} is taken as {small[0].upper()}, which is stored.")
    if changed != coded.dictionary.to_pylist():
        column = pa.array(changed, pa.string()).take(coded.indices)
        inference.rows = inference.rows.set_column(at, "symbol", column)


def _shared_ending(symbols: list[str]) -> str:
    """The ending after a point or a blank that all symbols share (an exchange's, mostly); "" where they do not, or there are too few."""
    filled = [s for s in symbols if s]
    match = re.search(r"[.\s:][A-Za-z]{1,4}$", filled[0]) if len(filled) > 1 else None
    return match[0] if match and all(s.endswith(match[0]) and len(s) > len(match[0]) for s in filled) else ""


# -- without a person to ask -----------------------------------------------------------------------------------------

FLAGS = {
    "table": "--table", "dates": "--dates", "decimal": "--decimal", "zone": "--zone", "columns": "--columns", "confirmed": "--columns",
    "suffix": "--suffix", "names": "--names", "checked": "--checked",
}  # fmt: skip


class FileUnclear(PriceFileError):
    """A file that can be read two ways, and how a command is told which is meant."""

    def __init__(self, file: object, question: Question, headings: Sequence[tuple[str, str]] = ()) -> None:
        flag = FLAGS[question.key]
        if question.key == "confirmed":
            proposed = ",".join(name or "-" for _, name in headings)
            answers = f"`{flag} {proposed}` (one name a column, - for none)"
        elif question.key == "columns":
            answers = " or ".join(f'`{flag} "{question.heading}={answer or "-"}"` ({text})' for answer, text in question.options)
        elif question.options:
            answers = " or ".join(
                f"`{flag} {f'{chr(34)}{a}{chr(34)}' if ' ' in a else a}` ({text})" for a, text in question.options
            )
        else:
            answers = f"`{flag} ZONE`, for instance Europe/Helsinki"
        super().__init__(f"{file}: {question.ask} Answer with {answers}.")
        self.question = question


def without_questions(inference: Inference) -> Inference:
    """The files, where nothing has to be asked. Raises FileUnclear."""
    for question in inference.questions:
        raise FileUnclear(inference.file, question, inference.headings)
    return inference
