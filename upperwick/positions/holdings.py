"""What an item of the bench holds, and its plan as the clock has it: read from what is kept."""

import math
from collections.abc import Sequence
from dataclasses import asdict
from datetime import date

from upperwick.base.errors import Refused
from upperwick.bench.models import BenchEvent, BenchItem, Fill
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, read_moment, to_date, to_day
from wickcore.plan.holdings import Done, Holding, Unfit, holding
from wickcore.plan.levels import Account
from wickcore.plan.paper_orders import HELD, Paper, PaperOrder, rests

SLIP = 0.0  # a fraction a side of paper orders
WORDS = {"buy": "bought", "sell": "sold", "short": "sold short", "cover": "bought back"}
NO_END = date.max  # of a plan whose date was emptied
OVER = "Its position is over. Put the instrument on the bench anew for another: R and results are those of one position."
SINGLE = {"long": ("buy", "sell"), "short": ("sell short", "buy back")}


def end_of(until: str) -> date:
    """The last day of a plan, as it is kept."""
    return date.fromisoformat(until) if until else NO_END


def until_words(until: date) -> str:
    """How a plan's end goes on after its levels."""
    return "" if until == NO_END else f", until {until.isoformat()}"


def order_of(item: BenchItem) -> PaperOrder:
    """The item's plan as the clock has it."""
    plan = item.plan
    assert plan is not None
    shares = item.paper["shares"] if item.paper else 0.0
    until = to_day(end_of(plan["until"]))
    cost = plan.get("cost", Account().cost)  # written down when it was left to the clock
    targets = tuple((price, part) for price, part in plan["targets"])
    return PaperOrder(item.symbol, plan["side"], plan["entry"], plan["stop"], targets, plan["follow"], shares, until, cost, SLIP)


def paper_of(item: BenchItem) -> Paper | None:
    if item.paper is None:
        return None
    position = {name: math.nan if value is None else value for name, value in item.paper["position"].items()}
    return Paper(**{**item.paper, "position": position, "levels": tuple(item.paper["levels"])})


def shares_words(value: float) -> str:
    return f"{value:,.0f}" if value == round(value) else f"{value:,.4g}"


def waits_words(order: PaperOrder, up: bool, shares: float, scale: float) -> str:
    """The order that waits, in words."""
    way = "or higher" if up == (order.side == "long") else "or lower"
    stop = "" if order.stop is None else f", stop {order.stop / scale:.2f}"
    return f"{SINGLE[order.side][0]} {shares_words(shares)} at {order.entry / scale:.2f} {way}{until_words(to_date(order.until))}{stop}"


def keep_paper(item: BenchItem, paper: Paper | None) -> None:
    item.paper = None if paper is None else asdict(paper)
    if item.paper is not None:  # there is no NaN in JSON: a position without a stop
        item.paper["position"] = {name: None if math.isnan(value) else value for name, value in item.paper["position"].items()}
    item.save(update_fields=["paper"])


def to_stage(item: BenchItem, stage: str, moment: Moment) -> None:
    if item.stage == stage:
        return
    was, item.stage, item.moved = item.stage, stage, str(moment)
    item.save(update_fields=["stage", "moved"])
    BenchEvent.objects.create(item=item, kind="moved", moment=str(moment), text=f"from {was} to {stage}")


def done(fills: Sequence[Fill]) -> list[Done]:
    return [Done(read_moment(f.moment).key, f.action, f.shares, f.price, f.cost, f.factor) for f in fills]


def fills_of(item: BenchItem) -> list[Fill]:
    return list(item.fills.filter(deleted__isnull=True))


def held_now(market: Market, item: BenchItem, at: Moment, fills: Sequence[Fill] | None = None) -> Holding | None:
    """What an item's fills come to. Raises Unfit."""
    if item.symbol not in market.bars.number:
        return None
    return holding(market, item.symbol, done(fills_of(item) if fills is None else fills), at, item.first_stop)


def held_said(market: Market, item: BenchItem, at: Moment) -> Holding | None:
    """As `held_now`. Raises Refused with the sentence of fills that cannot have been."""
    try:
        return held_now(market, item, at)
    except Unfit as error:
        raise Refused(str(error), 422) from None


def open_risk(held: Holding, stop: float | None) -> float:
    """What the stop of a position would take from its last price; all of it without a stop, or beyond it: nothing protects it."""
    room = math.nan if stop is None else (held.close - stop) * (1 if held.side == "long" else -1)
    return held.shares * (room if room > 0 else held.close)


def stop_now(item: BenchItem, scale: float) -> float | None:
    """Where the stop of what is held rests on the next bar, in prices of that scale."""
    paper = paper_of(item)
    if paper is not None and paper.state == HELD:
        return rests(paper, scale)
    return None if item.plan is None else float(item.plan["stop"]) / scale
