"""What the API says and takes of the data."""

from datetime import date, datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

TableName = Literal["bars", "instruments", "renames", "splits", "dividends", "members", "reports", "overnight", "calendar", "own"]


class KindCount(Schema):
    kind: str
    instruments: int


class YearOfBars(Schema):
    year: int
    bars: int
    instruments: int


class FrameThere(Schema):
    """first, last: moments."""

    frame: str
    bars: int
    instruments: int
    first: str | None
    last: str | None
    years: list[YearOfBars]


class YearOfMembers(Schema):
    year: int
    members: int


class UniverseThere(Schema):
    """now: members without an end. years: how many were members on some day of each."""

    name: str
    now: int
    years: list[YearOfMembers]


class FactsThere(Schema):
    """name: an own fact's."""

    table: str
    name: str
    rows: int
    first: date | None
    last: date | None


class Counted(Schema):
    added: int
    replaced: int
    same: int
    left: int


class ChangeOut(Schema):
    table: str
    key: str
    old: str
    new: str


class ImportOut(Schema):
    id: int
    at: datetime
    by: str
    source: str
    what: str
    tables: dict[str, Counted]
    changes: list[ChangeOut]
    notes: list[str]
    undone: datetime | None
    undoable: bool


class ColumnKnown(Schema):
    name: str
    about: str
    needed: bool


class TableKnown(Schema):
    name: str
    title: str
    about: str
    columns: list[ColumnKnown]


class RefusedOut(Schema):
    name: str
    why: str
    at: datetime


class FolderOut(Schema):
    """path: of the drop folder. waiting: the files that lie in it. asked: those that wait for an answer. refused: the latest that could not be
    taken."""

    path: str
    waiting: list[str]
    asked: list[str]
    refused: list[RefusedOut]


class FindingKind(Schema):
    kind: str
    title: str
    open: int


class WayOut(Schema):
    way: str
    said: str


class FindingOut(Schema):
    """day, until: what it is of. ways: how it can be settled."""

    kind: str
    symbol: str
    day: date
    until: date
    said: str
    ways: list[WayOut]


class FindingsOut(Schema):
    """fresh: whether they are of the data as they are. open: the first of those nobody has settled. settled: how many were."""

    fresh: bool
    kinds: list[FindingKind]
    open: list[FindingOut]
    settled: int


class IssueOut(Schema):
    """kind: `refused`, `asked`, `session`, `silent` or `late`."""

    id: int
    kind: str
    text: str
    at: datetime


class VendorOut(Schema):
    """answers: what was answered, by the names of `AnswersIn`. headings: of its files."""

    id: int
    name: str
    pattern: str
    headings: list[str]
    answers: dict[str, Any]
    used: datetime | None


class VendorIn(Schema):
    """What is left out stays as it is."""

    name: str | None = Field(None, max_length=80)
    pattern: str | None = Field(None, max_length=300)
    answers: dict[str, Any] | None = Field(None, max_length=20)


class ContentsOut(Schema):
    """may: whether this account may bring data in; everybody: whether all may, since nobody is staff.
    waiting: instruments of which something is known, and that have no prices yet. tables: what
    can be brought in."""

    may: bool
    everybody: bool
    invented: bool
    benchmark: str
    zone: str
    kinds: list[KindCount]
    waiting: int
    frames: list[FrameThere]
    universes: list[UniverseThere]
    facts: list[FactsThere]
    bytes: int
    imports: list[ImportOut]
    folder: FolderOut
    issues: list[IssueOut]
    vendors: list[VendorOut]
    findings: FindingsOut
    tables: list[TableKnown]


class MarketChoice(Schema):
    benchmark: str | None = Field(None, max_length=32)
    zone: str | None = Field(None, max_length=64)


class UploadOut(Schema):
    upload: str
    files: list[str]


class AnswersIn(Schema):
    """What was answered about files of one layout; see `reading.answers.Answers`."""

    table: TableName | Literal[""] = ""
    dates: str = Field("", max_length=40)
    decimal: Literal["", "point", "comma"] = ""
    zone: str = Field("", max_length=64)
    columns: dict[str, str] = Field(default_factory=dict, max_length=200)
    confirmed: Literal["", "yes"] = ""
    suffix: Literal["", "keep", "remove"] = ""
    names: Literal["", "yes", "no"] = ""
    adjusted: Literal["", "splits", "full"] = ""
    fact: str = Field("", max_length=80)
    checked: Literal["", "yes"] = ""


class FilesIn(Schema):
    """answers: by the name of a group of files. remember: keep how they were read. skip_bad: leave out rows that cannot be
    taken. any_date: take dates before there were markets, or after next week.
    universe: the symbols with bars become its members."""

    upload: str = Field(max_length=64)
    answers: dict[str, AnswersIn] = Field(default_factory=dict, max_length=200)
    remember: bool = True
    skip_bad: bool = False
    any_date: bool = False
    universe: str = Field("", max_length=80)


class ExportIn(Schema):
    """text: bars as CSV instead of Parquet."""

    text: bool = False


class OptionOut(Schema):
    answer: str
    said: str


class QuestionOut(Schema):
    """key: which of the answers it asks for. heading: of the column that is asked about, where it is one."""

    key: Literal["table", "dates", "decimal", "zone", "columns", "confirmed", "suffix", "names", "checked"]
    ask: str
    heading: str
    options: list[OptionOut]


class HeadingOut(Schema):
    """name: what it is taken as; empty where it is not taken."""

    heading: str
    name: str


class FileOut(Schema):
    """Files of one layout. name: the first file's. files: how many they are. vendor: whose remembered answers were used, "" where none were."""

    name: str
    files: int
    vendor: str
    adjusted: str
    notes: list[str]
    table: TableName
    frame: str
    rows: int
    dates: str
    decimal: str
    columns: list[HeadingOut]
    first: list[list[str]]
    questions: list[QuestionOut]


class LookOut(Schema):
    """tables: what taking the files would do. bad: the first rows that cannot be taken, with file and line. outside: a sentence where bars lie
    outside the session."""

    files: list[FileOut]
    tables: dict[str, Counted]
    changes: list[ChangeOut]
    notes: list[str]
    symbols: int
    bad: list[str]
    bad_rows: int
    outside: str


class DataResult(Schema):
    """look: of `data-look`. made: the import of `data-import`. file: of `data-export`, with its bytes."""

    look: LookOut | None = None
    made: int | None = None
    file: str | None = None
    bytes: int | None = None


class DataJobOut(Schema):
    id: int
    kind: str
    state: Literal["waiting", "running", "done", "stopped", "failed", "interrupted"]
    stage: str
    share: float
    detail: str
    headline: str
    result: DataResult | None


class FeedOut(Schema):
    """going: what it does, "" while it stands. said: a sentence about it. ways: what it can be told. may: whether this account may."""

    going: str
    said: str
    ways: list[WayOut]
    may: bool


class GoIn(Schema):
    way: str = Field(max_length=20)


class FindingIn(Schema):
    kind: str = Field(max_length=24)
    symbol: str = Field(max_length=32)
    day: date


class SettleIn(FindingIn):
    how: str = Field(max_length=12)
