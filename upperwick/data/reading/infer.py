"""What files are: which table, what each column means, how dates and numbers are written, and what has to be asked first.

Files of one layout (the same headings, from one sender) are inferred together, so that one answer counts for all of them.
"""

import re
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc

from upperwick.data.reading import columns as column_inference
from upperwick.data.reading.answers import SKIP, Answers, Known, Question
from upperwick.data.reading.formats import is_text, long_day
from upperwick.data.reading.inference import Inference
from upperwick.data.reading.notation import canonical
from upperwick.data.reading.source import PriceFileError, Source, open_source
from upperwick.data.reading.symbols import settle_symbols, symbols_from_names
from upperwick.data.reading.tables import BARS, FILLS, OWN, TABLES, Table

FIRST_ROWS = 6  # shown before anything is taken


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
    rows, dates, decimal = canonical(table, taken, answers, known, questions)
    inference = Inference(
        sources, table, rows, list(zip(headings, names, strict=True)), dates, decimal, questions, shown, notes, answers.adjusted
    )
    if table is BARS and whole.num_rows and not any(q.key == "dates" for q in questions):
        inference.span = _days_of(rows)
    if table is BARS and "symbol" not in taken:
        symbols_from_names(inference, answers, known)
    if "symbol" in inference.rows.column_names and whole.num_rows:
        settle_symbols(inference, answers, known)
    return inference


def _days_of(rows: pa.Table) -> str:
    """From which day to which a file's bars run, as a sentence."""
    if not is_text(rows["date"]):
        return ""
    days = sorted(t[:10] for t in pc.unique(rows["date"]).to_pylist() if re.match(r"\d{4}-\d\d-\d\d", t or ""))
    try:
        return f"Its days run from {long_day(days[0])} to {long_day(days[-1])}." if days else ""
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
