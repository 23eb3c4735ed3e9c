"""Plans left to the clock: paper orders, played on whenever the moment moves.

Fills, what they move on the bench, their messages and how far the plan was played are one transaction: killed at any point, the next look plays
on from where that one ended, and finds the same.
"""

from typing import Any

from django.db import transaction

from upperwick.base.errors import Refused
from upperwick.bench.models import BenchEvent, BenchItem, Fill
from upperwick.market.services import as_of_moment, open_market
from upperwick.outbox.mail import small_chart, tell
from upperwick.positions import plans as plans
from upperwick.positions.holdings import OVER, WORDS, held_said, keep_paper, order_of, paper_of, shares_words, to_stage, waits_words
from upperwick.positions.notices import raise_notice
from upperwick.positions.plans import account_of, scale_at, usual_money
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, iso
from wickcore.plan.levels import sized
from wickcore.plan.paper_orders import CLOSED, EXPIRED, HELD, WAITING, Paper, PaperFill, PaperOrder, moved, placed, play
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits

PLAY_SECONDS = 20.0
NOTICES = {
    "stop": "stop",
    "follow": "stop",
    "target": "target",
    "delisted": "delisted",
}  # of a fill's reason, what is said of the position
WHY = {
    "entry": "", "stop": "the stop was met", "follow": "the trailing stop was met", "target": "the target was met",
    "exit": "as you asked, at the open", "delisted": "it trades no more",
}  # fmt: skip


def latest(market: Market, as_of: str | None) -> Moment:
    """Raises Refused where one stands before the latest moment: the clock goes on from there."""
    now = market.standing(market.latest)
    if as_of is not None and as_of_moment(market, as_of).day < now.day:
        raise Refused(f"You stand on {as_of}, and the clock goes on from {now}. Go to the latest moment first.", 409)
    return now


@transaction.atomic
def leave(item: BenchItem, as_of: str | None) -> None:
    """Leaves an item's plan to the clock. Raises Refused where it cannot be."""
    market = open_market().market
    now = latest(market, as_of)
    item.refresh_from_db()
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    if item.plan is None:
        raise Refused("Save the plan first; only a saved plan can be traded on paper.", 409)
    if item.paper is not None:
        raise Refused("It is traded on paper already.", 409)
    if item.stage == "closed":
        raise Refused("It is closed. Move it to planned first.", 409)
    held = held_said(market, item, now)
    if held is not None:
        raise Refused("It is held by hand already; enter what happens to it as fills." if held.shares > 0 else OVER, 409)
    if _ended(item.plan["until"], now):
        raise Refused("The plan has ended; give it another day.", 409)
    paper = _place(item, now)
    to_stage(item, "planned", now)
    words = waits_words(order_of(item), paper.up, paper.shares, scale_at(market, item.symbol, now))
    BenchEvent.objects.create(item=item, kind="paper", moment=str(now), text=f"traded on paper: {words}")


def _ended(until: str, now: Moment) -> bool:
    return bool(until) and (until < iso(now.day) or (until == iso(now.day) and now.closed))


def _place(item: BenchItem, now: Moment) -> Paper:
    """Lets an item's plan wait from a moment on. Raises Refused."""
    engine = open_market()
    shares = _shares(engine, item, now)
    if shares < 1:
        raise Refused("Not one share fits. Choose how many yourself, or a nearer stop.", 409)
    assert item.plan is not None
    item.plan["cost"] = account_of(item.owner).cost
    item.save(update_fields=["plan"])
    item.paper = {"shares": float(shares)}
    try:
        paper = placed(engine.market, order_of(item), now)
    except ValueError as error:
        raise Refused(str(error), 409) from None
    keep_paper(item, paper)
    return paper


def _shares(engine: Evaluator, item: BenchItem, now: Moment) -> int:
    plan = item.plan
    assert plan is not None
    chosen = plans.chosen_shares(item, now.day)
    if chosen is not None:
        return chosen
    scale = scale_at(engine.market, item.symbol, now)
    prices = [price / scale for price, _ in plan["targets"]]
    money = usual_money(engine, item.symbol, now.day)
    return sized(account_of(item.owner), plan["side"], plan["entry"] / scale, plan["stop"] / scale, prices, money).shares


def _up_to_now(item: BenchItem, as_of: str | None) -> Moment:
    """Plays an item up to the latest moment, with what was true until now, and reads it anew. To be called in the transaction that changes
    something: nobody plays it in between."""
    now = latest(open_market().market, as_of)
    play_on(item.id, open_market(), now)
    item.refresh_from_db()
    return now


@transaction.atomic
def take_back(item: BenchItem, as_of: str | None) -> None:
    """Takes an item from the clock; what is held then is held by hand. Raises Refused where it was not left to it."""
    now = _up_to_now(item, as_of)
    if item.paper is None:
        raise Refused("It is not traded on paper, or has just ended.", 409)
    held = item.paper["state"] == HELD
    item.paper = None
    item.save(update_fields=["paper"])
    words = "no longer traded on paper" + ("; what is held is held by hand now" if held else "")
    BenchEvent.objects.create(item=item, kind="paper", moment=str(now), text=words)


@transaction.atomic
def leave_at_open(item: BenchItem, on: bool, as_of: str | None) -> None:
    """Whether what the clock holds is closed at the next session's open. Raises Refused where it holds nothing."""
    now = _up_to_now(item, as_of)
    if item.paper is None or item.paper["state"] != HELD:
        raise Refused("The clock holds nothing of it.", 409)
    item.paper = {**item.paper, "leaves": now.day if on else None}
    item.save(update_fields=["paper"])
    words = "to be closed at the next open" if on else "not to be closed at the next open after all"
    BenchEvent.objects.create(item=item, kind="paper", moment=str(now), text=words)


@transaction.atomic
def change_plan(item: BenchItem, asked: dict[str, Any] | None, as_of: str | None) -> None:
    """Keeps another plan for an item, None to take it away. Of one that is left to the clock, what waits is placed anew, and what is held has
    the new stop and targets from now on. Raises Refused."""
    item.refresh_from_db()
    if item.paper is None:
        if asked is None:
            plans.forget(item, as_of)
        else:
            plans.keep(item, asked, as_of)
        return
    now = _up_to_now(item, as_of)
    paper = paper_of(item)
    if asked is None:
        raise Refused("It is traded on paper; stop that first.", 409)
    if paper is None:
        raise Refused("The clock was over with it just now; look at what came of it.", 409)
    if paper.state == HELD:
        plans.keep(item, {**asked, **_entered(item, now)}, as_of)
        keep_paper(item, moved(paper, order_of(item), now))
        return
    plans.keep(item, asked, as_of)
    if item.plan is None or _ended(item.plan["until"], now):
        raise Refused("The plan has ended; give it another day.", 409)
    _place(item, now)


def _entered(item: BenchItem, now: Moment) -> dict[str, Any]:
    """Of the plan of what is held, what no longer changes: in prices of now."""
    plan = item.plan
    assert plan is not None
    entry = plan["entry"] / scale_at(open_market().market, item.symbol, now)
    return {"side": plan["side"], "entry": round(entry, 4), "shares": plans.chosen_shares(item, now.day), "until": plan["until"]}


@transaction.atomic
def play_on(item_id: int, engine: Evaluator, now: Moment) -> int:
    """Plays an item that is left to the clock up to a moment, and writes down what came of it. Returns how many messages. Raises Stopped,
    RuleError."""
    item = BenchItem.objects.select_for_update().filter(id=item_id, deleted__isnull=True, paper__isnull=False).first()
    paper = None if item is None else paper_of(item)
    if item is None or paper is None or paper.seen >= now.key or item.symbol not in engine.market.bars.number:
        return 0
    order = order_of(item)
    after, fills = play(engine, order, paper, now, Limits(PLAY_SECONDS))
    for fill in fills:
        _filled(item, order, engine.market, fill)
    if after.state == EXPIRED:
        why = (
            f"ended on {iso(order.until)}, and was not filled"
            if after.shares >= 1
            else "ended: a split left less than one share of it"
        )
        BenchEvent.objects.create(item=item, kind="paper", moment=str(now), text=f"the plan {why}")
        _said(item, engine.market, now, "was not filled", f"The plan for {item.symbol} {why}.")
    keep_paper(item, after if after.state in (WAITING, HELD) else None)
    if after.state == CLOSED and fills:
        to_stage(item, "closed", fills[-1].moment)
    return len(fills) + (after.state == EXPIRED)


def _filled(item: BenchItem, order: PaperOrder, market: Market, fill: PaperFill) -> None:
    Fill.objects.create(
        item=item, moment=str(fill.moment), action=fill.action, shares=fill.shares, price=fill.price, cost=fill.cost, factor=fill.factor,
        paper=True, reason=fill.reason,
    )  # fmt: skip
    what = f"{WORDS[fill.action]} {shares_words(fill.shares)} at {fill.price:.2f}"
    why = WHY[fill.reason] + ("; the bar met the other side too, and the worse was taken" if fill.doubtful else "")
    BenchEvent.objects.create(item=item, kind="filled", moment=str(fill.moment), text=what + (f": {why}" if why else ""))
    if fill.reason == "entry":
        item.first_stop = order.stop
        item.save(update_fields=["first_stop"])
        to_stage(item, "holding", fill.moment)
    came = "" if fill.result is None else f" That came to {fill.result:+,.2f} after costs.".replace("-", "−")
    line = f"On paper, {item.symbol} was {what} {_at(fill.moment)}{f': {why}' if why else ''}.{came}"
    _said(item, market, fill.moment, what, line, fill.price)
    kind = NOTICES.get(fill.reason)
    if kind is not None:
        text = f"{item.symbol} was {what} on paper: {WHY[fill.reason]}"
        raise_notice(item, market, fill.moment, kind, "filled", text, [], message=False)


def _at(moment: Moment) -> str:
    return f"on {moment}".replace("T", " at ")


def _said(item: BenchItem, market: Market, moment: Moment, what: str, line: str, level: float | None = None) -> None:
    number = item.events.count()
    tell(
        item.owner, f"paper {item.id} {number}", "paper", str(moment), f"{item.symbol} {what}", [line], place=f"/bench/{item.stage}/{item.id}",
        symbols=[item.symbol], charts=[(item.symbol, small_chart(market, item.symbol, moment, level))],
    )  # fmt: skip
