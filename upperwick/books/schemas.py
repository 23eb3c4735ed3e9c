"""What the API takes and gives of books."""

from datetime import datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from upperwick.rules.scan_api import DialOut, ProblemOut
from upperwick.rules.text_api import TEXT
from wickcore.book.settings import BookChoice
from wickcore.language.parser import MAX_UNIVERSE


class BookSummary(Schema):
    """rules: the names of those it enters."""

    id: int
    name: str
    about: str
    universe: str
    rules: list[str]
    valid: bool
    version: int
    saved: datetime


class BookDetail(BookSummary):
    """mark: of the text, to be given back as `seen` when another is saved over it."""

    text: str
    mark: str


class BookName(Schema):
    name: str = Field(max_length=120)


class BookAsked(Schema):
    text: str = TEXT
    dials: dict[str, float] = {}
    universe: str | None = Field(None, max_length=MAX_UNIVERSE)


class EnterOut(Schema):
    name: str
    side: str
    kind: str
    line: int


class BookChecked(Schema):
    """What a text without errors says, and the advice on it. longs, shorts: whether positions of that side are entered; stops:
    whether each has a
    stop of its own."""

    advice: list[ProblemOut]
    dials: list[DialOut]
    enters: list[EnterOut]
    frame: str
    universe: str | None
    only: str
    slots: int
    start: float
    sizing: str
    ranked: bool
    optimistic: bool


class PositionNameOut(Schema):
    name: str
    help: str
    example: str
    where: list[str]


class BookRunIn(BookChoice):
    """What is run."""

    text: str = TEXT
    dials: dict[str, float] = {}
    universe: str | None = Field(None, max_length=MAX_UNIVERSE)
    book_id: int | None = None


class DialRange(Schema):
    name: str
    low: float
    high: float
    step: float


class SweepAsked(Schema):
    dials: Annotated[list[DialRange], Field(min_length=1, max_length=2)]


class WalkAsked(SweepAsked):
    """train: years on which dials are chosen; traded: years on which they are then traded."""

    train: int = Field(4, ge=1, le=20)
    traded: int = Field(1, ge=1, le=10)


class LuckAsked(Schema):
    picks: int = Field(500, ge=20, le=2_000)


class BookRunOut(Schema):
    """A run, or what was asked of one. result: the answer as its kind has it, None until it is done."""

    id: int
    kind: Literal["book", "book-luck", "book-what-if", "book-sweep", "book-walk"]
    state: Literal["waiting", "running", "done", "stopped", "failed", "interrupted"]
    stage: str
    share: float
    detail: str
    book_id: int | None
    name: str
    version: int | None
    data_version: str
    asked: datetime
    seconds: float | None
    headline: str
    words: str
    settings: dict[str, Any]


class BookSealOut(Schema):
    sealed_from: str | None
    broken: str | None
    version: int | None


class BookTryOut(Schema):
    label: str
    made: str
    sharpe: float


class BookTriesOut(Schema):
    """luck_sharpe, luck_annual: what the best of so many settings without skill is expected to show."""

    tried: int
    judged: int
    best: BookTryOut | None
    luck_sharpe: float | None
    luck_annual: float | None
    rows: list[BookTryOut]
