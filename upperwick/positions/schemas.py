"""What the routes of the bench take and give: items, plans, fills, holdings."""

from datetime import date, datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import AfterValidator, ConfigDict, Field

from upperwick.base.schemas import fields_of
from upperwick.data.schemas import HeadingOut, QuestionOut
from wickcore.plan.holdings import Holding
from wickcore.plan.levels import Choice, Proposal, Sized
from wickcore.plan.paper_orders import MOST_TARGETS

MOST_FOLLOW = 200
Side = Literal["long", "short"]
Price = Annotated[float, Field(gt=0, le=1e9, allow_inf_nan=False)]
Stage = Literal["shortlisted", "planned", "holding", "closed"]


class BenchRule(Schema):
    """Which rule brought an instrument."""

    id: int
    name: str = Field(max_length=120)
    version: int | None = None


class BenchIn(Schema):
    model_config = ConfigDict(extra="forbid")
    symbol: str = Field(max_length=32)
    as_of: str | None = None
    rule: BenchRule | None = None


class RailOut(Schema):
    """Where a position stands on one line. r: of the open part; shares: 0 once all is left; result: money, all of it. open,
    gain: profit of the open
    part, in money and as a fraction of what it cost. at_risk: money that the stop would take from the last price; all of it
    without a stop, or beyond it."""

    side: Side
    shares: float
    stop: float | None
    entry: float
    close: float
    targets: list[float]
    r: float | None
    result: float
    open: float
    gain: float | None
    at_risk: float


class NoticeOut(Schema):
    """What wants to be dealt with; see bench.models.PositionNotice."""

    id: int
    item: int
    symbol: str
    stage: Stage
    kind: Literal["stop", "target", "halt", "delisted"]
    event: Literal["met", "gapped", "near", "filled", "silent", "over"]
    moment: str
    text: str


def _is_day(text: str) -> str:
    try:
        if text and date.fromisoformat(text).isoformat() != text:
            raise ValueError
    except ValueError:
        raise ValueError(f"`{text}` is not a date of the form 2024-06-28") from None
    return text


PlanEnd = Annotated[str, Field(max_length=10), AfterValidator(_is_day)]  # "" for none


class PlannedOut(Schema):
    """away: from the last price to the entry, positive while it lies ahead. r: of the last target."""

    away: float
    r: float | None
    until: str


class BenchItemOut(Schema):
    """notes: all of them, to search. paper: how far the clock has come with the plan, None where it was not left to it."""

    id: int
    symbol: str
    name: str
    stage: Stage
    rule: int | None
    rule_name: str
    version: int | None
    since: str
    moved: str
    close: float | None
    change: float | None
    report: float | None
    notes: str
    paper: str | None
    rail: RailOut | None
    planned: PlannedOut | None
    notices: int


class BenchPut(Schema):
    """new: whether it was not there before. stage: where it is."""

    id: int
    symbol: str
    stage: Stage
    new: bool


class BenchMove(Schema):
    stage: Stage
    as_of: str | None = None


class BenchNote(Schema):
    text: str = Field(max_length=2_000)
    as_of: str | None = None


class BenchEventOut(Schema):
    id: int
    kind: str
    moment: str
    at: datetime
    text: str


class RuleSays(Schema):
    rule: int
    name: str
    hit: bool
    fresh: bool


class StateOut(Schema):
    symbol: str
    day: str
    trend: str
    close: float | None
    change: float | None
    off_high: float | None
    above_low: float | None
    strength: float | None
    sma20: float | None
    sma50: float | None
    sma200: float | None
    adr: float | None
    atr: float | None
    squeeze: float | None
    report: float | None
    rel_volume: float | None
    rules: list[RuleSays]
    alerts: int


class TargetIn(Schema):
    """part: of what was entered, that is taken there."""

    price: Price
    part: float = Field(1.0, gt=0, le=1)


class PlanIn(Schema):
    """shares: chosen by hand; None for what the risk allows. follow: a line of a book that the stop follows, "" for none."""

    model_config = ConfigDict(extra="forbid")
    side: Side = "long"
    entry: Price
    stop: Price
    targets: list[TargetIn] = Field(default_factory=list, max_length=MOST_TARGETS)
    follow: str = Field("", max_length=MOST_FOLLOW)
    shares: int | None = Field(None, ge=0, le=1_000_000_000)
    until: PlanEnd


class PlanTried(Schema):
    """plan: levels that are looked at and not kept; side: of a proposal, where none are."""

    as_of: str | None = None
    side: Side | None = None
    plan: PlanIn | None = None


class PlanKept(Schema):
    plan: PlanIn | None
    as_of: str | None = None


@fields_of(Proposal)
class ProposalOut(Schema):
    pass


@fields_of(Sized)
class SizedOut(Schema):
    pass


class TogetherOut(Schema):
    positions: int
    risk: float
    invested: float
    sector: str
    in_sector: float | None
    correlation: float | None
    foreign: list[str]


@fields_of(Choice)
class ChoiceOut(Schema):
    pass


class FollowOut(Schema):
    words: str
    line: str


class PlanOut(Schema):
    """choices: other places for the levels. follows: lines that a stop may follow, in words. paper: how far the clock has come with
    it. before: a price a little before the entry; further: where another target might be."""

    symbol: str
    day: str
    kept: bool
    proposal: ProposalOut
    plan: PlanIn
    size: SizedOut
    computed: int
    warnings: list[str]
    account: float
    together: TogetherOut
    choices: list[ChoiceOut]
    follows: list[FollowOut]
    paper: str | None
    before: float
    further: float


class FillIn(Schema):
    """What was really bought or sold. cost: in money."""

    model_config = ConfigDict(extra="forbid")
    action: Literal["buy", "sell", "short", "cover"]
    shares: float = Field(gt=0, le=1e12, allow_inf_nan=False)
    price: Price
    cost: float = Field(0.0, ge=0, le=1e12, allow_inf_nan=False)
    day: str


class FillOut(Schema):
    """on_scale: the price on the scale of the day stood on, as the chart has it."""

    id: int
    moment: str
    action: str
    shares: float
    price: float
    cost: float
    paper: bool
    reason: str
    on_scale: float


class FilledOut(Schema):
    """warning: what is odd about it, "" where nothing is."""

    id: int
    warning: str


class ProposedStop(Schema):
    price: float
    why: str


@fields_of(Holding)
class HoldingOut(Schema):
    """What fills come to; see wickcore.plan.holdings."""

    first_day: str


class RuleToday(Schema):
    """trouble: why it cannot be said."""

    id: int
    name: str
    hit: bool | None
    trouble: str


class PositionOut(Schema):
    """An item's orders, fills and what is held. waits: the order that waits, in words. clock: it is left to the clock; leaves: and is closed at
    the next open. stop: where it rests now. rule: what the rule that brought it says today."""

    day: str
    clock: bool
    waits: str
    leaves: bool
    holding: HoldingOut | None
    rail: RailOut | None
    stop: float | None
    proposed: ProposedStop | None
    rule: RuleToday | None
    notices: list[NoticeOut]
    fills: list[FillOut]


class FillRowOut(Schema):
    """state: `new`, `known` (taken before) or `bad`, with why."""

    number: int
    symbol: str
    day: str
    action: str
    shares: float
    price: float
    cost: float
    state: Literal["new", "known", "bad"]
    why: str


class FillsReadOut(Schema):
    """A broker's file as it was read. bad: sentences of lines that cannot be read. made: the import, once it was taken."""

    name: str
    vendor: str
    dates: str
    decimal: str
    first: list[list[str]]
    columns: list[HeadingOut]
    questions: list[QuestionOut]
    rows: list[FillRowOut]
    new: int
    known: int
    bad: list[str]
    made: int | None


class FillImportOut(Schema):
    id: int
    at: datetime
    name: str
    fills: int


class ClockIn(Schema):
    """leaves: for what is held, whether it is closed at the next open."""

    on: bool = True
    leaves: bool = False
    as_of: str | None = None
