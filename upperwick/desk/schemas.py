"""What the routes of the desk, alerts and messages take and give."""

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import ConfigDict, Field

from upperwick.data.schemas import IssueOut
from upperwick.positions.schemas import NoticeOut, RailOut
from wickcore.language.parser import MAX_CHARACTERS, MAX_UNIVERSE

Time = Annotated[str, Field(pattern=r"^(close|([01]\d|2[0-3]):[0-5]\d)$")]


class AlertIn(Schema):
    """kind says which of the others are meant; see alerts.kinds."""

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
    """rule: the one it looks at; None for an alert of another kind."""

    id: int
    kind: str
    rule: int | None
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
    only_new: bool = True
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
    only_new: bool
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
    label: str
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


class HeldOut(Schema):
    item: int
    symbol: str
    stage: str
    clock: bool
    rail: RailOut
    look_at: str


class DeskOrderOut(Schema):
    """words: what is bought or sold at the next session, and where."""

    item: int
    symbol: str
    stage: str
    clock: bool
    words: str


class SectorRisk(Schema):
    sector: str
    risk: float
    share: float


class TotalsOut(Schema):
    """All positions together. profit: open, in money; gain: of what they cost. risk, risk_share: what the stops would take
    from the last prices; a
    position without a stop counts with its full value (unstopped: how many). over: more than the limit. foreign: left out, since they are in
    another currency."""

    profit: float
    gain: float
    risk: float
    risk_share: float
    over: bool
    limit: float
    unstopped: int
    foreign: list[str]
    sectors: list[SectorRisk]
    currency: str


class DeskOut(Schema):
    """notices: what of positions wants to be dealt with. issues: what about the data has to be known, for those who may mend
    it. totals: None where
    nothing is held."""

    moment: str | None
    sentence: str
    breadth_days: list[str]
    breadth: list[float | None]
    breadth_universe: str
    watched: list[WatchedOut]
    told: list[MessageRow]
    unread: int
    ahead: list[AheadOut]
    holdings: list[HeldOut]
    orders: list[DeskOrderOut]
    totals: TotalsOut | None
    notices: list[NoticeOut]
    issues: list[IssueOut]
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
