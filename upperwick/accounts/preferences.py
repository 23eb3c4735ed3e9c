"""Routes of an account's own choices."""

from typing import Annotated, Any, Literal

from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from upperwick.accounts.models import Preferences
from wickcore.bars.frame_names import ChartFrame
from wickcore.plan.levels import Account
from wickcore.plan.liquidity import liquidity_floor

router = Router(tags=["preferences"])
DEFAULTS = Account()
Text = Annotated[str, Field(max_length=200)]
Name = Annotated[str, Field(max_length=60)]


class ColumnChoice(Schema):
    """A column of the table of hits: a built-in one (`symbol`, `name`, `sector`, `days`) or an expression."""

    text: Text
    label: Text = ""
    width: int | None = Field(None, ge=30, le=800)


class SortChoice(Schema):
    text: Text
    down: bool = True


Columns = Annotated[list[ColumnChoice], Field(max_length=30)]


class TableChoice(Schema):
    columns: Columns
    sort: list[SortChoice] = Field([], max_length=6)


class ChartChoice(Schema):
    frame: ChartFrame = "day"
    months: int = Field(6, ge=0, le=1200)
    sessions: int = Field(2, ge=0, le=1200)
    log: bool = True
    panes: list[Annotated[list[Text], Field(max_length=4)]] = Field([], max_length=6)


class LayoutChoice(Schema):
    """rule_width: pixels of the rule's pane. table_share: percent of the height that the table of hits may take. None for the usual."""

    rule_width: int | None = Field(None, ge=200, le=4000)
    table_share: int | None = Field(None, ge=5, le=95)


class DepositChoice(Schema):
    """Money put into the account, or taken out of it where it is negative."""

    day: Annotated[str, Field(pattern=r"^\d{4}-\d\d-\d\d$")]
    amount: float = Field(ge=-1e12, le=1e12)
    note: Text = ""


class AccountChoice(Schema):
    """What plans, positions and studies reckon with.

    size: money, None while it was never set. risk: the share of it that one trade may lose. most: that one position may take.
    of_day: the share of a
    usual day's money that a position may take. sector: the share of the account that one sector may take. open_risk: that all stops together may
    lose. cost: a fraction a side. currency: its sign or code, of all of the account. decimals, dates: how numbers and days are
    written and read; decimals: "" where it was
    never chosen, then what can be read two ways is asked.
    near: how near to a stop or a target is near, in ATR of 14 days; 0 for never.
    """

    size: float | None = Field(None, ge=1, le=1e12)
    risk: float = Field(DEFAULTS.risk, gt=0, le=0.5)
    most: float = Field(DEFAULTS.most, gt=0, le=10)
    of_day: float = Field(DEFAULTS.of_day, gt=0, le=1)
    sector: float = Field(DEFAULTS.sector, gt=0, le=10)
    open_risk: float = Field(DEFAULTS.open_risk, gt=0, le=1)
    cost: float = Field(DEFAULTS.cost, ge=0, le=0.1)
    currency: str = Field("", max_length=8)
    decimals: Literal["", "point", "comma"] = ""
    dates: Literal["28 Jun 2024", "2024-06-28", "28.06.2024", "28/06/2024", "06/28/2024"] = "28 Jun 2024"
    near: float = Field(0.5, ge=0, le=5)
    deposits: list[DepositChoice] = Field([], max_length=500)


class PreferencesDoc(Schema):
    """account: what is reckoned with. notify: whether the browser shows messages as notifications. months: how much of the past a chart shows,
    sessions: on bars within the day; 0 for all."""

    account: AccountChoice = AccountChoice()
    notify: bool = False
    table: TableChoice | None = None
    tables: dict[Name, TableChoice] = Field({}, max_length=40)
    chart: ChartChoice = ChartChoice()
    layout: LayoutChoice = LayoutChoice()


def account_choice(owner: Any) -> AccountChoice:
    """What an account reckons with; the usual where it has said nothing."""
    kept = Preferences.objects.filter(owner=owner).values_list("document", flat=True).first() or {}
    return AccountChoice.model_validate(kept.get("account") or {})


@router.get("", response=PreferencesDoc, operation_id="preferences")
def preferences(request: HttpRequest):
    """The account's choices; the usual ones until it has made any."""
    kept = Preferences.objects.filter(owner=request.user).first()
    return PreferencesDoc.model_validate(kept.document) if kept else PreferencesDoc()


@router.put("", response=PreferencesDoc, operation_id="keep_preferences")
def keep(request: HttpRequest, body: PreferencesDoc):
    """Keeps all of the account's choices."""
    Preferences.objects.update_or_create(owner=request.user, defaults={"document": body.model_dump()})
    return body


class FloorIn(Schema):
    account: float = Field(ge=1, le=1e12)
    positions: int = Field(10, ge=1, le=1_000)
    percent: float = Field(0.5, ge=0.001, le=100)


class FloorOut(Schema):
    position: float
    floor: float


@router.get("/liquidity", response=FloorOut, operation_id="liquidity_floor")
def floor(request: HttpRequest, asked: Query[FloorIn]):
    """The least money a day at which one of the account's positions is no more than so many percent of it."""
    return liquidity_floor(asked.account, asked.positions, asked.percent / 100)
