"""What the routes of keeping take and give."""

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import ConfigDict, Field

from wickcore.language.parser import MAX_CHARACTERS, MAX_UNIVERSE

Time = Annotated[str, Field(pattern=r"^(close|([01]\d|2[0-3]):[0-5]\d)$")]


class AlertIn(Schema):
    """kind says which of the others are meant; see keeping.alerts."""

    model_config = ConfigDict(extra="forbid")
    kind: Literal["price", "line", "rule", "report", "breadth"]
    symbol: str | None = Field(None, max_length=32)
    level: float | None = Field(None, allow_inf_nan=False)
    way: Literal["up", "down", "either", "below", "above"] | None = None
    drawing: int | None = None
    rule: int | None = None
    scope: str = Field("", max_length=MAX_UNIVERSE)
    days: int | None = None
    breadth: str | None = Field(None, max_length=120)
    text: str | None = Field(None, max_length=MAX_CHARACTERS)
    by: Literal["day", "week"] = "day"
    smooth: int = Field(1, ge=1, le=250)
    until: str | None = None
    note: str = Field("", max_length=200)


class AlertOut(Schema):
    id: int
    kind: str
    symbol: str
    words: str
    armed: bool
    until: str | None
    fired: str
    said: str
    trouble: str
    level: float | None
    made: datetime


class AlertChange(Schema):
    armed: bool


class ScheduleIn(Schema):
    model_config = ConfigDict(extra="forbid")
    rule: int
    universe: str = Field("", max_length=MAX_UNIVERSE)
    weekdays: list[Annotated[int, Field(ge=0, le=4)]] = Field(default_factory=lambda: [0, 1, 2, 3, 4])
    times: list[Time] = Field(default_factory=lambda: ["close"], max_length=12)
    mails: bool = True
    puts: str = Field("", max_length=80)
    on: bool = True


class ScheduleOut(Schema):
    id: int
    rule: int
    rule_name: str
    universe: str
    weekdays: list[int]
    times: list[str]
    mails: bool
    puts: str
    on: bool
    ran: str
    hits: int
    trouble: str
    chain: list[str]


class WatchIn(Schema):
    on: bool


class MessageRow(Schema):
    id: int
    kind: str
    moment: str
    subject: str
    read: bool
    place: str
    symbols: list[str]


class MessageWhole(MessageRow):
    text: str
    charts: list[str]
    made: datetime
    sent: datetime | None


class OutboxOut(Schema):
    messages: list[MessageRow]
    total: int
    unread: int


class MessageChange(Schema):
    read: bool


class WatchedOut(Schema):
    """pending: its scan of this moment is still being computed."""

    rule: int
    name: str
    since: str
    fresh: list[str]
    hits: int
    pending: bool
    trouble: str


class AheadOut(Schema):
    day: str
    what: str
    symbols: list[str]


class WaitingOut(Schema):
    what: str
    place: str


class DeskOut(Schema):
    moment: str | None
    sentence: str
    breadth_days: list[str]
    breadth: list[float | None]
    breadth_universe: str
    watched: list[WatchedOut]
    told: list[MessageRow]
    unread: int
    ahead: list[AheadOut]
    waiting: list[WaitingOut]
    alerts: int
    names: dict[str, str]


class FoundOut(Schema):
    kind: Literal["instrument", "rule", "book", "breadth", "list", "word"]
    name: str
    more: str
    place: str


class CalendarOut(Schema):
    address: str


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


class BenchItemOut(Schema):
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


Side = Literal["long", "short"]
Price = Annotated[float, Field(gt=0, le=1e9, allow_inf_nan=False)]


class PlanIn(Schema):
    """shares: chosen by hand; None for what the risk allows."""

    model_config = ConfigDict(extra="forbid")
    side: Side = "long"
    entry: Price
    stop: Price
    target: Price | None = None
    shares: int | None = Field(None, ge=0, le=1_000_000_000)
    until: str


class PlanTried(Schema):
    """plan: levels that are looked at and not kept; side: of a proposal, where none are."""

    as_of: str | None = None
    side: Side | None = None
    plan: PlanIn | None = None


class PlanKept(Schema):
    plan: PlanIn | None
    as_of: str | None = None


class ProposalOut(Schema):
    side: Side
    close: float
    entry: float
    entry_why: str
    stop: float
    stop_why: str
    target: float | None
    target_why: str
    atr: float


class SizedOut(Schema):
    shares: int
    limit: str
    money: float
    share: float
    lost: float
    lost_share: float
    of_day: float | None
    r: float | None


class PlanLevels(Schema):
    side: Side
    entry: float
    stop: float
    target: float | None
    shares: int | None
    until: str


class TogetherOut(Schema):
    positions: int
    risk: float
    invested: float
    sector: str
    in_sector: float | None
    correlation: float | None


class PlanOut(Schema):
    symbol: str
    day: str
    kept: bool
    proposal: ProposalOut
    plan: PlanLevels
    size: SizedOut
    computed: int
    warnings: list[str]
    account: float
    together: TogetherOut
