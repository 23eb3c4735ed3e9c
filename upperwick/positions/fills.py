"""Fills by hand, and how positions stand."""

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from django.db import transaction
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.bench.items import items_of
from upperwick.bench.models import BenchEvent, BenchItem, Fill
from upperwick.market.services import as_of_moment, open_market, request_limits
from upperwick.positions.holdings import (
    OVER,
    WORDS,
    fills_of,
    held_now,
    held_said,
    open_risk,
    order_of,
    paper_of,
    shares_words,
    stop_now,
    to_stage,
    waits_words,
)
from upperwick.positions.notices import KINDS, open_notices, settle
from upperwick.positions.plans import scale_at
from upperwick.rules.checking import prepared
from upperwick.rules.models import Rule
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, iso, read_moment
from wickcore.language.problems import RuleError
from wickcore.plan.holdings import INTO, Unfit, last_price, proposed_stop
from wickcore.plan.paper_orders import WAITING
from wickcore.scan.limits import Stopped
from wickcore.scan.many import Asked, scan_many, scan_one

MOST_FILLS = 500


@transaction.atomic
def enter(item: BenchItem, asked: dict[str, Any]) -> tuple[Fill, str]:
    """Writes down what was really bought or sold. Returns it, and a sentence on what is odd about it. Raises Refused."""
    market = open_market().market
    now = market.standing(market.latest)
    _by_hand(item, market)
    try:
        moment = read_moment(asked["day"])
    except ValueError as error:
        raise Refused(str(error), 422) from None
    if moment.day > now.day:
        raise Refused(f"{iso(moment.day)} lies ahead; the latest day is {iso(now.day)}.", 422)
    if moment.day == now.day and moment.key > now.key:
        moment = now
    if item.fills.count() >= MOST_FILLS:
        raise Refused(f"An item keeps at most {MOST_FILLS} fills.")
    before = held_said(market, item, now)
    if before is not None and not before.shares and asked["action"] in INTO:
        raise Refused(OVER, 409)
    k = market.bars.number[item.symbol]
    end = int(market.bars.ends(moment)[k])
    if end == market.bars.offsets[k]:
        raise Refused(f"{item.symbol} had no bar by {iso(moment.day)}.", 422)
    factor = scale_at(market, item.symbol, moment)
    low, high = float(market.bars.low[end - 1]), float(market.bars.high[end - 1])
    made = Fill.objects.create(
        item=item,
        moment=str(moment),
        action=asked["action"],
        shares=asked["shares"],
        price=asked["price"],
        cost=asked["cost"],
        factor=factor,
    )
    _first_stop(item, made)
    _settle(item, market, now)
    if made.action not in INTO:
        settle(item, ["target"])
    text = f"{WORDS[made.action]} {shares_words(made.shares)} at {made.price:.2f}, by hand"
    BenchEvent.objects.create(item=item, kind="filled", moment=str(moment), text=text)
    odd = int(market.bars.days[end - 1]) == moment.day and not low <= made.price <= high
    return made, f"{made.price:.2f} lies outside that day’s range, {low:.2f} to {high:.2f}." if odd else ""


def _first_stop(item: BenchItem, fill: Fill) -> None:
    """What is risked is told by the plan's stop as it is when the first share is bought."""
    if item.first_stop is None and fill.action in INTO and item.plan is not None:
        item.first_stop = item.plan["stop"]
        item.save(update_fields=["first_stop"])


def _by_hand(item: BenchItem, market: Market) -> None:
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    if item.paper is not None:
        raise Refused("It is traded on paper; stop that to enter fills by hand.", 409)


def _settle(item: BenchItem, market: Market, now: Moment) -> None:
    """After fills by hand have changed: whether they can have been, and the stage that follows from them. Raises Refused."""
    held = held_said(market, item, now)
    again = (
        item.stage == "closed"
        and items_of(item.owner).exclude(id=item.id).exclude(stage="closed").filter(symbol=item.symbol).exists()
    )
    if held is not None:
        if held.shares > 0 and again:
            raise Refused(f"{item.symbol} is on the bench again already.", 409)
        if held.shares <= 0:
            settle(item, KINDS)
        to_stage(item, "holding" if held.shares > 0 else "closed", now)
    elif item.stage in ("holding", "closed") and not again:  # the last fill is taken away: it never was a position
        item.first_stop = None
        item.save(update_fields=["first_stop"])
        to_stage(item, "shortlisted" if item.plan is None else "planned", now)


def still_held(item: BenchItem) -> str:
    """How many shares are held by now, in words; "" for none."""
    market = open_market().market
    try:
        held = held_now(market, item, market.standing(market.latest)) if len(market.bars) else None
    except Unfit:
        return ""
    return shares_words(held.shares) if held is not None and held.shares > 0 else ""


def fill_of(item: BenchItem, fill_id: int, deleted: bool = False) -> Fill:
    found = item.fills.filter(id=fill_id, paper=False, deleted__isnull=not deleted).first()
    if found is None:
        raise Refused("There is no such fill by hand.", 404)
    return found


@transaction.atomic
def strike(item: BenchItem, fill: Fill, back: bool = False) -> None:
    """Takes a fill by hand away, or brings it back. Raises Refused where what is left cannot have been."""
    market = open_market().market
    _by_hand(item, market)
    fill.deleted = None if back else timezone.now()
    fill.save(update_fields=["deleted"])
    if back:
        _first_stop(item, fill)
    _settle(item, market, market.standing(market.latest))
    text = f"{WORDS[fill.action]} {shares_words(fill.shares)} at {fill.price:.2f}: {'brought back' if back else 'taken away'}"
    BenchEvent.objects.create(item=item, kind="filled", moment=fill.moment, text=text)


# -- how it stands ------------------------------------------------------------------------------------------------------------


def rail_of(market: Market, item: BenchItem, at: Moment, fills: Sequence[Fill]) -> dict[str, Any] | None:
    """Where a position stands: stop, entry, now and targets. None where nothing was ever held, or its fills cannot have been."""
    try:
        held = held_now(market, item, at, fills)
    except Unfit:
        return None
    if held is None:
        return None
    scale = last_price(market, item.symbol, at)[1]
    aims = [] if item.plan is None else [round(price / scale, 4) for price, _ in item.plan["targets"]]
    stop = stop_now(item, scale) if held.shares > 0 else None
    return {
        "open": held.unrealised, "gain": held.unrealised / (held.shares * held.entry) if held.shares and held.entry else None,
        "at_risk": open_risk(held, stop),
        "side": held.side, "shares": held.shares, "stop": None if stop is None else round(stop, 4), "entry": held.entry or fills[0].price,
        "close": held.close, "targets": aims if held.shares > 0 else [], "r": held.r if held.shares > 0 else held.result_r,
        "result": held.realised + held.unrealised,
    }  # fmt: skip


def position(owner: Any, item: BenchItem, as_of: str | None) -> dict[str, Any]:
    """An item's orders, fills and what is held, as of a moment. Raises Refused."""
    engine = open_market()
    market = engine.market
    at = as_of_moment(market, as_of)
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    paper, fills = paper_of(item), fills_of(item)
    scale = last_price(market, item.symbol, at)[1]
    try:
        held = held_now(market, item, at, fills)
    except Unfit:
        held = None
    stop = stop_now(item, scale) if held is not None and held.shares > 0 else None
    nearer = None
    if held is not None and held.shares > 0:
        nearer = proposed_stop(engine, item.symbol, at, held, stop, request_limits())
    return {
        "day": str(at), "clock": paper is not None, "leaves": paper is not None and paper.leaves is not None,
        "waits": waits_words(order_of(item), paper.up, paper.shares, scale) if paper is not None and paper.state == WAITING else "",
        "holding": None if held is None else {**asdict(held), "first_day": iso(held.first_day)},
        "rail": rail_of(market, item, at, fills), "stop": stop, "notices": open_notices(owner, item),
        "proposed": None if nearer is None else {"price": nearer[0], "why": nearer[1]}, "rule": _rule_today(owner, item, at),
        "fills": [
            {"id": f.id, "moment": f.moment, "action": f.action, "shares": f.shares, "price": f.price, "cost": f.cost, "paper": f.paper,
             "reason": f.reason, "on_scale": f.price * f.factor / scale}
            for f in sorted(fills, key=lambda f: (read_moment(f.moment).key, f.id))
        ],
    }  # fmt: skip


def _rule_today(owner: Any, item: BenchItem, at: Moment) -> dict[str, Any] | None:
    """What the rule that brought it says on the day stood on; None where none did."""
    rule = Rule.objects.filter(owner=owner, id=item.rule, deleted__isnull=True).first() if item.rule else None
    if rule is None:
        return None
    told: dict[str, Any] = {"id": rule.id, "name": rule.name, "hit": None, "trouble": ""}
    try:
        found = prepared(owner, rule.text, None, None, as_of=str(at))
        alone = scan_one(found.engine, Asked(found.rule, found.members), item.symbol, at, request_limits())
        if alone is None:  # the rule compares it with all others
            alone = item.symbol in scan_many(found.engine, [Asked(found.rule, found.members)], at, request_limits())[0].hits, False
        return {**told, "hit": alone[0]}
    except RuleError as error:
        return {**told, "trouble": error.problems[0].message}
    except (Refused, Stopped, ValueError) as error:
        return {**told, "trouble": error.detail if isinstance(error, Refused) else str(error)}
