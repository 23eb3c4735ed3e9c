"""What a run of a book answers, as the API tells it: figures, trades, sweeps, walks, today's orders."""

from typing import Literal

from ninja import Schema
from pydantic import Field

from upperwick.base.schemas import fields_of
from upperwick.books.schemas import BookRunIn, BookRunOut
from wickcore.book.figures import Curve, Fall, Figures
from wickcore.book.luck import Luck
from wickcore.book.orders import Order
from wickcore.book.sweep import Setting, Stretch, Turned, Walk
from wickcore.book.whatif import Variant


@fields_of(Curve)
class CurveOut(Schema):
    """Under a year nothing is annualised: annual and what hangs on it are None."""


class IndexOut(CurveOut):
    symbol: str


@fields_of(Figures)
class BookFigures(Schema):
    pass


class LossOut(Schema):
    loss: float
    chance: float


class PathsOut(Schema):
    paths: int
    block: int
    annual_low: float
    annual_high: float
    fall_low: float
    fall_high: float
    fall_median: float
    losses: list[LossOut]


class SignalCounts(Schema):
    waiting: int
    traded: int
    no_slot: int
    no_cash: int
    filtered: int
    held: int
    unfilled: int
    no_bar: int
    unsized: int


class EquityOut(Schema):
    day: str
    equity: float
    cash: float
    positions: int
    exposure: float


class YearOut(Schema):
    year: int
    months: list[float | None]
    whole: float | None


@fields_of(Fall)
class FallOut(Schema):
    pass


class DayValue(Schema):
    day: str
    value: float


class BookGroup(Schema):
    label: str
    trades: int
    win_rate: float
    mean_gain: float | None
    expectancy_r: float | None
    result: float


class BookTrade(Schema):
    number: int
    symbol: str
    rule: str
    side: Literal["long", "short"]
    signal_day: str
    entry_day: str
    entry_time: str | None = None  # of bars within the day; runs kept before know none
    entry: float
    shares: float
    exit_day: str
    exit_time: str | None = None
    exit: float
    reason: Literal["stop", "follow", "target", "exit", "delisted", "left", "out", "end"]
    result: float
    gain: float
    gain_r: float | None
    bars_held: int
    stop: float | None
    best: float
    worst: float
    costs: float
    dividends: float


class TradeAt(BookTrade):
    """signal_at, entry_at, exit_at: the bars they lie on, as the chart of the book's frame calls them."""

    signal_at: str
    entry_at: str
    exit_at: str


class OpenPosition(Schema):
    symbol: str
    rule: str
    side: str
    shares: float
    entry_day: str
    entry: float
    stop: float | None
    price: float
    targets: list[float]
    due: str | None
    gain: float


@fields_of(Order)
class OrderOut(Schema):
    """at: `open`, or the price at which it rests."""

    action: Literal["buy", "short", "sell", "cover"]
    at: float | Literal["open"]


class SizeRowOut(Schema):
    loss: float
    shares: list[float]


class SizesOut(Schema):
    slots: list[int]
    rows: list[SizeRowOut]
    own: list[SizeRowOut]


class BookResult(Schema):
    start: str
    end: str
    verdict: str
    optimistic: bool
    figures: BookFigures
    paths: PathsOut | None
    benchmark: IndexOut | None
    signals: SignalCounts
    money: float
    slots: int
    equity: list[EquityOut]
    index: list[float] | None
    falls: list[float]
    index_falls: list[float] | None
    months: list[YearOut]
    index_months: list[YearOut] | None
    worst_falls: list[FallOut]
    rolling: list[DayValue]
    groups: dict[str, list[BookGroup]]
    trade_count: int
    trades: list[BookTrade]
    open: list[OpenPosition]
    orders: list[OrderOut]
    sizes: SizesOut
    sealed_from: str | None
    unsealed: bool


class BookRunWhole(BookRunOut):
    result: BookResult | None


@fields_of(Luck)
class LuckOut(Schema):
    verdict: str


class BookLuckRun(BookRunOut):
    result: LuckOut | None


@fields_of(Variant)
class VariantOut(Schema):
    curve: CurveOut | None


class WhatIfOut(Schema):
    rows: list[VariantOut]
    annual: float | None


class BookWhatIfRun(BookRunOut):
    result: WhatIfOut | None


@fields_of(Setting)
class BookCell(Schema):
    pass


@fields_of(Turned)
class BookSweepOut(Schema):
    cells: list[BookCell]
    verdict: str


class BookSweepRun(BookRunOut):
    result: BookSweepOut | None


@fields_of(Stretch)
class StretchOut(Schema):
    pass


@fields_of(Walk)
class WalkOut(Schema):
    stretches: list[StretchOut]
    walked: CurveOut
    stayed: CurveOut
    verdict: str


class BookWalkRun(BookRunOut):
    result: WalkOut | None


class BookComparison(Schema):
    """Two runs side by side. difference: of the annual returns, the second less the first, with its interval from the same draws
    of days, over the days
    both have. both, only_first, only_second: trades by symbol, rule and entry."""

    first: BookFigures
    second: BookFigures
    difference: float
    low: float | None
    high: float | None
    days: int
    both: int
    only_first: int
    only_second: int


class LevelBarOut(Schema):
    """close: as printed that day, by which a chart on another day's scale places the levels."""

    day: str
    close: float
    stop: float | None
    follow: float | None
    targets: list[float | None]


class TradePath(Schema):
    """A trade with what rested on each of its bars, and why it ended. frame: of the chart that shows it."""

    trade: TradeAt
    parts: list[TradeAt]
    bars: list[LevelBarOut]
    why: str
    frame: Literal["5min", "15min", "30min", "65min", "day"]


class TodayIn(BookRunIn):
    """account: the equity of an account of one's own, to whose size the orders are brought."""

    account: float | None = Field(None, gt=0, le=1e15)


class TodayOut(Schema):
    """What the book holds on the as-of day, and its orders for the next session. equity: what it would stand at, having been
    traded all along;
    None while its last days are sealed."""

    as_of: str
    equity: float | None
    slots: int
    open: list[OpenPosition]
    orders: list[OrderOut]


class SignalOut(Schema):
    symbol: str
    rule: str
    day: str


class SignalsOut(Schema):
    total: int
    rows: list[SignalOut]
