"""What the routes of precedents take and give."""

from typing import Annotated, Literal

from ninja import Schema
from pydantic import ConfigDict, Field

from upperwick.base.schemas import fields_of
from wickcore.language.parser import MAX_CHARACTERS
from wickcore.precedents.outcomes import Dots, Outcome
from wickcore.trade.defaults import INDEX_COST

Text = Annotated[str, Field(max_length=MAX_CHARACTERS + 1)]


class PrecedentsIn(Schema):
    """A morning as asked. lines: ticked statements, added behind the rule `text`. closes: how many after the session's own. both: which pair
    of what is open until the bell is shown both ways. first: the first day that counts."""

    model_config = ConfigDict(extra="forbid")
    as_of: str | None = None
    index: str | None = Field(None, max_length=20)
    indices: list[Annotated[str, Field(max_length=20)]] = Field([], max_length=4)
    stage: Literal["evening", "night", "bell"] | None = None
    text: Text = ""
    lines: list[Annotated[str, Field(max_length=400)]] = Field([], max_length=40)
    closes: Literal[0, 1, 5] = 0
    cost: float = Field(INDEX_COST, ge=0, le=0.05, allow_inf_nan=False)
    first: Annotated[str, Field(pattern=r"^\d{4}-\d{2}-\d{2}$")] | None = None
    both: Literal[0, 1, 2, 3] | None = None


class StatementOut(Schema):
    """share: of all sessions in which it is known. true: what it is this morning, None while it is open. both: its pair's number."""

    line: str
    words: str
    share: float | None
    true: bool | None
    both: int | None


class StatementGroup(Schema):
    name: str
    statements: list[StatementOut]


class MorningIndex(Schema):
    symbol: str
    name: str


class MorningLine(Schema):
    text: str
    left: int
    this: bool | None
    number: int


@fields_of(Dots)
class DotsOut(Schema):
    pass


@fields_of(Outcome)
class PanelOut(Schema):
    symbol: str
    few: bool
    dots: DotsOut


class PrecedentOut(Schema):
    day: str
    night: float | None
    gap: float | None
    worst: float | None
    best: float | None
    session: float | None
    next: float | None


class MorningResult(Schema):
    line: str
    verdict: str
    luck: float | None
    one_of_sets: float | None
    panels: list[PanelOut]
    each: list[PrecedentOut]
    more: int


class PrecedentsOut(Schema):
    session: str
    evening: str
    stage: Literal["evening", "night", "bell"]
    stages: list[Literal["evening", "night", "bell"]]
    index: str
    indices: list[MorningIndex]
    offered: list[MorningIndex]
    groups: list[StatementGroup]
    text: str
    lines: list[MorningLine]
    sessions: int
    since: str | None
    sets: int
    results: list[MorningResult]


class NightOut(Schema):
    open: float
    high: float
    low: float
    close: float
    low_first: float


class PricesOut(Schema):
    open: float
    high: float
    low: float
    close: float


class BarWithin(PricesOut):
    minute: int


class SessionChart(Schema):
    symbol: str
    name: str
    day: str
    before: float | None
    night: NightOut | None
    bars: list[BarWithin]
    daily: PricesOut | None
