"""How dates and numbers are written in a file: found out from all of its cells, and asked about where they can be read two ways."""

import re
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pyarrow as pa
import pyarrow.compute as pc

_TIME = r"(?:[T ]+(?P<time>\d{1,2}:\d\d(?::\d\d(?:\.\d+)?)?)\s*(?P<offset>Z|[+-]\d\d:?\d\d)?)?"
_YEAR = r"(?P<y>\d{4}|\d\d)"
_MONTHS = {m: i for i, m in enumerate(("jan", "feb", "mar", "apr", "may", "jun", "jul", "aug", "sep", "oct", "nov", "dec"), 1)}
# The first letters of months in other languages, where they are not those of English ones.
_MONTHS |= {
    "mrz": 3, "mär": 3, "mae": 3, "mai": 5, "okt": 10, "dez": 12, "fev": 2, "fév": 2, "mars": 3, "avr": 4, "abr": 4, "juin": 6,
    "juil": 7, "aoû": 8,
    "aou": 8, "ago": 8, "set": 9, "out": 10, "déc": 12, "dic": 12, "ene": 1, "gen": 1, "mag": 5, "giu": 6, "lug": 7, "ott": 10,
    "mei": 5, "maj": 5,
}  # fmt: skip
EPOCHS = ("seconds since 1970", "milliseconds since 1970")
# Common practice: what stands for no value.
UNKNOWN = {"", "n/a", "#n/a", "na", "n.a.", "nan", "null", "none", "nil", "-", "--", "–", "—", ".", "?"}  # fmt: skip
_CELL_NUMBER = re.compile(r"^[+-]?(\d[\d.,'’\u00a0\u202f ]*|[.,]\d+)([eE][+-]?\d+)?%?$")


@dataclass(frozen=True, slots=True)
class Form:
    """A way to write a day. pattern: with the groups y, m, d."""

    name: str
    example: str
    pattern: "re.Pattern[str]"


FORMS = {
    form.name: form
    for form in (
        Form("year first", "2024-06-28", re.compile(rf"(?P<y>\d{{4}})[-/.](?P<m>\d{{1,2}})[-/.](?P<d>\d{{1,2}}){_TIME}$")),
        Form("digits", "20240628", re.compile(rf"(?P<y>\d{{4}})(?P<m>\d\d)(?P<d>\d\d){_TIME}$")),
        Form("day first", "28/6/2024", re.compile(rf"(?P<d>\d{{1,2}})[-/.](?P<m>\d{{1,2}})[-/.]{_YEAR}{_TIME}$")),
        Form("month first", "6/28/2024", re.compile(rf"(?P<m>\d{{1,2}})[-/.](?P<d>\d{{1,2}})[-/.]{_YEAR}{_TIME}$")),
        Form("day and month's name", "28 Jun 2024", re.compile(rf"(?P<d>\d{{1,2}})[-. ]*(?P<m>[^\W\d_]{{3,10}})\.?[-. ]*{_YEAR}{_TIME}$")),
        Form("month's name and day", "Jun 28, 2024", re.compile(rf"(?P<m>[^\W\d_]{{3,10}})\.?[- ](?P<d>\d{{1,2}}),? +{_YEAR}{_TIME}$")),
        Form("seconds since 1970", "1719532800", re.compile(r"(?P<seconds>\d{9,10})(?:\.0+)?$")),
        Form("milliseconds since 1970", "1719532800000", re.compile(r"(?P<milliseconds>\d{12,13})(?:\.0+)?$")),
    )
}  # fmt: skip
ISO = "year first"


def _month(text: str) -> int:
    return int(text) if text.isdigit() else _MONTHS.get(text[:4].lower()) or _MONTHS.get(text[:3].lower(), 0)


def _year(text: str) -> int:
    """Of two digits, the year from 1970 to 2069 that they mean (as POSIX has it, from memory: 69 to 99 are of the last century)."""
    return int(text) if len(text) == 4 else int(text) + (1900 if int(text) >= 69 else 2000)


def is_number(text: str) -> bool:
    """Whether a cell is a number in any usual way to write it."""
    return bool(_CELL_NUMBER.match(text.strip()))


def is_day(text: str) -> bool:
    """Whether a cell is a day in any form but one of digits alone."""
    return any(read_day_as(name, text.strip()) for name in FORMS if name not in EPOCHS and name != "digits")


def read_day_as(form: str, text: str) -> tuple[str, str, str] | None:
    """A text in a form as (2024-06-28, time or "", offset or ""); None where it is not in it, or no day of the calendar."""
    match = FORMS[form].pattern.match(text)
    if not match:
        return None
    if form in EPOCHS:
        seconds = int(match["seconds"]) if form == EPOCHS[0] else int(match["milliseconds"]) // 1000
        moment = datetime.fromtimestamp(seconds, UTC)
        return moment.date().isoformat(), f"{moment:%H:%M:%S}", "Z"
    try:
        day = datetime(_year(match["y"]), _month(match["m"]), int(match["d"]))
    except ValueError:
        return None
    return day.date().isoformat(), match["time"] or "", match["offset"] or ""


def forms_of(texts: Iterable[str], past: bool = False) -> list[str]:
    """The forms in which the most of the texts are days; more than one where they say different days, and it must be asked which is meant.

    past: the days are of the past, so a form that puts some of them after next week gives way to one that does not.
    """
    read = {name: {t: day for t in texts if (day := read_day_as(name, t))} for name in FORMS}
    most = max(map(len, read.values()), default=0)
    if not most:
        return [ISO]
    best = [name for name, days in read.items() if len(days) == most]
    if past:
        last = (date.today() + timedelta(days=7)).isoformat()
        best = [name for name in best if max(day for day, _, _ in read[name].values()) <= last] or best
    same = [name for name in best[1:] if read[name] != read[best[0]]]
    return [best[0], *same]


def have_offsets(texts: Sequence[str]) -> bool:
    """Whether the texts are moments that say how far their clock is from UTC; a few among others that do not are mistakes."""
    return 2 * sum(bool(re.search(r"\d\d:\d\d.*(Z|[+-]\d\d:?\d\d)$", t)) for t in texts) > len(texts)


def are_daily(texts: Sequence[str], form: str) -> bool:
    """Whether moments with offsets are stamps of days: each at midnight, or on several days at no more than two times of the day (one an offset,
    as daylight saving makes of one)."""
    read = [moment for t in texts if (moment := read_day_as(form, t)) is not None]
    times = {time for _, time, _ in read}
    if all(time[:5] in ("", "00:00") for time in times):
        return True
    return len({day for day, _, _ in read}) > 2 and len({time[:5] for time in times}) <= 2


def canonical_days(column: Any, form: str, zone: str | None, daily: bool = False) -> pa.Array:
    """Texts in a form as 2024-06-28, or 2024-06-28T10:35 where there is a time; those that are not in it stay as they are, for whoever reads
    them to say so. zone: the exchange's, to which a moment with an offset is brought, daylight saving included. daily: moments
    with an offset are stamps of
    days (see `are_daily`): at midnight the day as it is written, else the zone's."""
    coded = plain(column).dictionary_encode()
    market = ZoneInfo(zone) if zone else None
    return pa.DictionaryArray.from_arrays(coded.indices, pa.array([_canonical(t, form, market, daily) for t in
    coded.dictionary.to_pylist()])).cast(
        pa.string()
    )  # fmt: skip


def _canonical(text: str, form: str, market: ZoneInfo | None, daily: bool) -> str:
    got = read_day_as(form, text)
    if got is None:
        return text
    day, time, offset = got
    if not time:
        return day
    hour, minute = time.split(":")[:2]
    if int(hour) > 23 or int(minute) > 59 or (len(time.split(":")) > 2 and float(time.split(":")[2]) >= 60):
        return text
    if not offset:
        rest = time.split(":")[2] if time.count(":") == 2 else "00"
        return f"{day}T{int(hour):02d}:{minute}" if float(rest) == 0 else text
    if daily and (market is None or time[:5] == "00:00"):
        return day
    if market is None:
        return text
    sign = "+00:00" if offset == "Z" else offset if ":" in offset else f"{offset[:3]}:{offset[3:]}"
    moment = datetime.fromisoformat(f"{day}T{int(hour):02d}:{minute}{sign}").astimezone(market)
    return f"{moment:%Y-%m-%d}" if daily else f"{moment:%Y-%m-%dT%H:%M}"


# -- numbers ---------------------------------------------------------------------------------------------------------

_SPACES = "[\\s\u00a0\u202f'’]"
_COMMA, _EITHER = re.compile(r"^[+-]?[\d.]*,(\d{1,2}|\d{4,})$|\.\d{3},\d+$"), re.compile(r"^[+-]?\d{1,3},\d{3}$")
_POINT = re.compile(r",\d{3}\.\d+$|^[+-]?\d{1,3}(,\d{3}){2,}$")


def decimals_of(columns: Iterable[Any]) -> list[str]:
    """How numbers are written: `point` or `comma`; both where `1,234` may be either and nothing tells."""
    comma = point = either = False
    for column in columns:
        texts = plain(column)
        with_comma = pc.unique(pc.filter(texts, pc.match_substring(texts, ","))).to_pylist()
        for text in with_comma:
            comma |= bool(_COMMA.search(text))
            point |= bool(_POINT.search(text))
            either |= bool(_EITHER.search(text))
        if not comma and either:  # a number with a point that is no thousand's says that the comma is not the decimal one
            point |= bool(pc.any(pc.match_substring_regex(texts, r"\.(\d{1,2}|\d{4,})$")).as_py())
    if comma:
        return ["comma"]
    return ["point"] if point or not either else ["point", "comma"]


def canonical_numbers(column: Any, decimal: str) -> pa.Array:
    """Numbers as texts with a decimal point and nothing between thousands."""
    texts = plain(column)
    if pc.any(pc.match_substring_regex(texts, _SPACES)).as_py():
        texts = pc.replace_substring_regex(texts, _SPACES, "")
    if decimal == "comma":
        return pc.replace_substring(pc.replace_substring(texts, ".", ""), ",", ".")
    if pc.any(pc.match_substring(texts, ",")).as_py():
        fits = pc.match_substring_regex(texts, r"^[+-]?\d{1,3}(,\d{3})+(\.\d+)?$")
        texts = pc.if_else(fits, pc.replace_substring(texts, ",", ""), texts)
    return texts


def plain(column: Any) -> pa.Array:
    whole = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    if isinstance(whole, pa.ChunkedArray):  # more than one array can hold
        whole = pa.concat_arrays(whole.chunks)
    text = whole if pa.types.is_string(whole.type) else pc.cast(whole, pa.string())
    return pc.fill_null(pc.utf8_trim_whitespace(text), "")


def long_day(day: str) -> str:
    """2024-06-28 as 28 June 2024."""
    return f"{date.fromisoformat(day):%-d %B %Y}" if day else "none"


def is_text(column: Any) -> bool:
    kind = column.type.value_type if pa.types.is_dictionary(column.type) else column.type
    return bool(pa.types.is_string(kind) or pa.types.is_large_string(kind))
