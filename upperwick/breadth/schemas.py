"""What the routes of breadths take and give."""

from datetime import datetime
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import ConfigDict, Field

from wickcore.breadth.series import MOST_SMOOTHED
from wickcore.language.parser import MAX_CHARACTERS, MAX_UNIVERSE

Text = Annotated[str, Field(max_length=MAX_CHARACTERS + 1)]


class Look(Schema):
    """How a breadth is looked at. by: a value a session or a week. level, way: where and from where it is passed."""

    model_config = ConfigDict(extra="forbid")
    by: Literal["day", "week"] = "day"
    smooth: int = Field(1, ge=1, le=MOST_SMOOTHED)
    beside: str | None = Field(None, max_length=20)
    level: float | None = Field(None, allow_inf_nan=False)
    way: Literal["below", "above"] = "below"


class BreadthIn(Look):
    text: Text
    universe: str | None = Field(None, max_length=MAX_UNIVERSE)
    as_of: str | None = None


class AfterOut(Schema):
    horizon: int
    count: int
    mean: float | None
    median: float | None
    low: float | None
    high: float | None
    any_mean: float | None
    any_median: float | None
    luck: float | None
    better: float | None
    verdict: str


class PassingRow(Schema):
    day: str
    extreme: float
    returns: list[float | None]
    counted: list[bool]


class PassingsOut(Schema):
    level: float
    way: Literal["below", "above"]
    days: list[str]
    rows: list[PassingRow]
    after: list[AfterOut]


class BreadthLine(Schema):
    number: int
    text: str
    part: str | None


class BreadthOut(Schema):
    universe: str | None
    lists: list[str]
    bars: str
    shows: Literal["share", "count", "sum"]
    signed: bool
    weighed: bool
    by: Literal["day", "week"]
    running: bool
    days: list[str]
    passed: list[int]
    failed: list[int]
    unknown: list[int]
    value: list[float | None]
    smoothed: list[float | None]
    lines: list[BreadthLine]
    beside: str | None
    index: list[float | None]
    passings: PassingsOut | None
    findings: int


class KeptBreadth(Schema):
    """A breadth kept by name, or one that is always there (no id). named_by: the rules that name it."""

    id: int | None
    name: str
    text: str
    look: dict[str, Any]
    mark: str
    saved: datetime | None
    named_by: list[str]


class KeepBreadth(Schema):
    name: str = Field(max_length=200)
    text: Text
    look: Look


class ChangeBreadth(Schema):
    name: str | None = Field(None, max_length=200)
    text: Text | None = None
    look: Look | None = None
    seen: str | None = None
