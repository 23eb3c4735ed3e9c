"""How the dates and numbers of a file are written; the same ones as 2024-06-28 and with a decimal point."""

import re
from datetime import date
from typing import Any
from zoneinfo import ZoneInfo, available_timezones

import pyarrow as pa
import pyarrow.compute as pc

from upperwick.data.reading.answers import Answers, Known, Question
from upperwick.data.reading.formats import (
    EPOCHS,
    FORMS,
    are_daily,
    canonical_days,
    canonical_numbers,
    decimals_of,
    forms_of,
    have_offsets,
    is_text,
    long_day,
    read_day_as,
)
from upperwick.data.reading.source import PriceFileError
from upperwick.data.reading.tables import BARS, Table


def canonical(
    table: Table, taken: dict[str, Any], answers: Answers, known: Known, questions: list[Question]
) -> tuple[pa.Table, str, str]:
    """The columns that are taken with dates and numbers written one way; the form of dates, and the decimal sign. What can be read two ways is
    added to the questions."""
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
        options = [(name, f"{name}: {long_day((read_day_as(name, example) or ('',))[0])}") for name in could]
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
