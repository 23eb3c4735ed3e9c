"""The plan of an item on the bench: what is proposed, what is kept, how much of it, what speaks against it, and all plans together."""

import math
from dataclasses import asdict
from datetime import timedelta
from functools import lru_cache
from typing import Any

import numpy as np
from django.db import transaction

from upperwick.accounts.preferences import account_choice
from upperwick.base.errors import Refused
from upperwick.bench.items import items_of
from upperwick.bench.models import BenchEvent, BenchItem
from upperwick.market.models import Instrument, Split
from upperwick.market.services import as_of_day, open_market, request_limits
from upperwick.positions.holdings import NO_END, OVER, end_of, held_now, open_risk, stop_now, until_words
from upperwick.positions.notices import level_key, settle
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, iso, to_date
from wickcore.language.check import check_expression
from wickcore.language.problems import RuleError
from wickcore.plan.holdings import Holding, Unfit, last_price
from wickcore.plan.levels import (
    Account,
    Choice,
    Facts,
    Proposal,
    Side,
    Sized,
    before_entry,
    choices,
    correlations,
    further_target,
    propose,
    resized,
    sized,
    warnings,
)
from wickcore.plan.paper_orders import follow_of
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import values_at

LASTS = 5  # sessions a plan waits
LONGEST_DAYS = 400  # of a plan that has an end
OPEN = ("planned", "holding")
INSIDE = ("made", "since", "cost")  # what is kept with a plan and no part of it
GAPS = 4


def account_of(owner: Any) -> Account:
    """The account as its preferences say; a usual one where nothing is said."""
    chosen = account_choice(owner)
    shares = {name: getattr(chosen, name) for name in ("risk", "most", "of_day", "sector", "open_risk", "cost")}
    return Account(**shares) if chosen.size is None else Account(chosen.size, **shares)


def currencies_of(symbols: list[str]) -> dict[str, str]:
    """In what currency instruments are priced, where that is known."""
    return dict(Instrument.objects.filter(symbol__in=symbols).exclude(currency="").values_list("symbol", "currency"))


def scale_at(market: Market, symbol: str, at: int | Moment) -> float:
    """The factor of an instrument's latest bar by a day or a moment: the continuous scale over the printed price."""
    return last_price(market, symbol, at if isinstance(at, Moment) else Moment(at))[1]


def usual_money(engine: Evaluator, symbol: str, day: int) -> float | None:
    """A usual day's money, None where it is not known."""
    return _values(engine, symbol, day, "avg_turnover(20)")


def _kept(item: BenchItem, scale: float, day: int) -> dict[str, Any] | None:
    """The plan as it is kept, in prices and shares of the day stood on."""
    if item.plan is None:
        return None
    plan = {name: value for name, value in item.plan.items() if name not in INSIDE}
    told = {**plan, **{name: round(plan[name] / scale, 4) for name in ("entry", "stop")}, "shares": chosen_shares(item, day)}
    told["targets"] = [{"price": round(price / scale, 4), "part": part} for price, part in item.plan["targets"]]
    return told


def chosen_shares(item: BenchItem, day: int) -> int | None:
    """The number of shares that was chosen by hand, as splits between then and a day make it; None where it is left to the risk."""
    plan = item.plan
    assert plan is not None
    if plan["shares"] is None:
        return None
    made, now = plan.get("made", iso(day)), iso(day)
    between = Split.objects.filter(instrument__symbol=item.symbol, day__gt=min(made, now), day__lte=max(made, now))
    ratio = math.prod(between.values_list("ratio", flat=True))
    return math.floor(plan["shares"] * (ratio if made <= now else 1 / ratio) + 1e-9)


def _prices(targets: list[dict[str, float]]) -> list[float]:
    return [one["price"] for one in targets]


# What a stop may follow, in words and as a line of a book; of a short turned round.
FOLLOWS = (
    ("2 ATR under the best", "best - 2 * atr(14)", "best + 2 * atr(14)"), ("3 ATR under the best", "best - 3 * atr(14)", "best + 3 * atr(14)"),
    ("the low of 5 sessions", "lowest(low, 5)", "highest(high, 5)"), ("the low of 10 sessions", "lowest(low, 10)", "highest(high, 10)"),
    ("the 20-day average", "sma(20)", "sma(20)"), ("the 50-day average", "sma(50)", "sma(50)"),
    ("the best by 1 R, up to the entry", "min(entry, best - risk)", "max(entry, best + risk)"),
)  # fmt: skip


def follows(side: str) -> list[dict[str, str]]:
    if side == "long":
        return [{"words": words, "line": line} for words, line, _ in FOLLOWS]
    turned = {"under": "over", "low": "high", "up to": "down to"}
    return [
        {"words": " ".join(turned.get(w, w) for w in words.replace("up to", "down to").split()), "line": line}
        for words, _, line in FOLLOWS
    ]


def follow_checked(line: str, side: str) -> None:
    """Raises Refused with what is wrong with a line that the stop is to follow."""
    try:
        follow_of(line, side)
    except RuleError as error:
        raise Refused(f"What the stop follows: {error.problems[0].message}", 422) from None


def plan_of(
    owner: Any, item: BenchItem, as_of: str | None, side: Side | None, tried: dict[str, Any] | None = None
) -> dict[str, Any]:
    """An item's plan with all that belongs to it. tried: levels that are looked at without being kept. Raises Refused."""
    engine = open_market()
    market = engine.market
    day = as_of_day(market, as_of)
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    kept = _kept(item, scale_at(market, item.symbol, day), day)
    held = _open_part(market, item, day)
    of_side: Side = held.side if held is not None else side or (tried or kept or {}).get("side") or "long"
    proposal = propose(engine, item.symbol, day, of_side, request_limits())
    if proposal is None:
        raise Refused(f"{item.symbol} has too few bars by {iso(day)} for a plan.", 409)
    shown = tried or (kept if kept is not None and kept["side"] == of_side else None)
    if shown is None:
        until = int(market.bars.calendar.following([day])[0])
        for _ in range(LASTS - 1):
            until = int(market.bars.calendar.following([until])[0])
        shown = {
            "side": of_side,
            "entry": proposal.entry,
            "stop": proposal.stop,
            "targets": [] if proposal.target is None else [{"price": proposal.target, "part": 1.0}],
            "follow": "",
            "shares": None,
            "until": iso(until),
        }
    account = account_of(owner)
    money = usual_money(engine, item.symbol, day)
    follow_checked(shown["follow"], of_side)
    if held is not None:
        shown = {**shown, "entry": round(held.entry, 4)}
        _not_beyond(of_side, shown, kept, held.close)
        size = _of_held(account, held, shown, money)
    else:
        try:
            size = sized(account, of_side, shown["entry"], shown["stop"], _prices(shown["targets"]), money)
        except ValueError as error:
            raise Refused(str(error), 422) from None
    computed = size.shares
    if shown["shares"] is not None and held is None:
        size = resized(size, account, of_side, shown["entry"], shown["stop"], shown["shares"], money)
    together, facts = _together(owner, market, item, day, account, size, shown)
    report = _values(engine, item.symbol, day, "days_to_report")
    ends_in = (end_of(shown["until"]) - to_date(day)).days
    facts = Facts(report, _gaps(market, item.symbol, day), ends_in, facts.sector, facts.in_sector, facts.open_risk, facts.with_held)
    near = shown["entry"] if held is None else held.close
    against = warnings(account, of_side, near, shown["stop"], size, proposal.atr, facts)
    if ends_in < 0 and held is None:
        against.append("The plan has ended; give it another day, or drop it.")
    return {
        "symbol": item.symbol, "day": iso(day), "kept": kept is not None and shown is not None and tried is None and kept["side"] == of_side,
        "proposal": asdict(proposal), "plan": shown, "size": asdict(size), "computed": computed, "warnings": against, "account": account.money,
        "together": together, "choices": [asdict(c) for c in _choices(engine, item.symbol, day, proposal)], "follows": follows(of_side),
        "paper": state_of(item), "before": before_entry(of_side, shown["entry"], proposal.atr),
        "further": further_target(shown["entry"], shown["stop"], _prices(shown["targets"])),
    }  # fmt: skip


def _open_part(market: Market, item: BenchItem, day: int) -> Holding | None:
    """What is held of an item on a day; None where nothing is."""
    try:
        held = held_now(market, item, Moment(day))
    except Unfit:
        return None
    return held if held is not None and held.shares > 0 else None


def _of_held(account: Account, held: Holding, shown: dict[str, Any], money: float | None) -> Sized:
    """What is held, as a size: lost is what the stop costs or leaves against the entry."""
    up = 1 if held.side == "long" else -1
    worth, lost = held.shares * held.close, held.shares * (held.entry - shown["stop"]) * up
    rs = tuple((price - held.entry) * up / held.risk for price in _prices(shown["targets"])) if held.risk else ()
    of_day = None if not money else worth / money
    return Sized(math.floor(held.shares), "held", worth, worth / account.money, lost, lost / account.money, of_day, rs)


def _not_beyond(side: Side, asked: dict[str, Any], kept: dict[str, Any] | None, close: float) -> None:
    """Raises Refused for a stop or a target of what is held that would be met at once. One that is saved already may have been
    met since: what is
    to be done about it is said elsewhere."""
    up = 1 if side == "long" else -1
    was = [] if kept is None else [kept["stop"], *_prices(kept["targets"])]
    new = [level for level in (asked["stop"], *_prices(asked["targets"])) if not any(abs(level - old) < 1e-4 for old in was)]
    if asked["stop"] in new and (close - asked["stop"]) * up <= 0:
        raise Refused(f"The stop of a {side} lies {'under' if up > 0 else 'over'} the last price, {close:.2f}.", 422)
    for target in _prices(asked["targets"]):
        if target in new and (target - close) * up <= 0:
            raise Refused(f"The target of a {side} lies {'over' if up > 0 else 'under'} the last price, {close:.2f}.", 422)


def state_of(item: BenchItem) -> str | None:
    """How far the clock has come with an item's plan; None where it was not left to it."""
    return None if item.paper is None else str(item.paper["state"])


@lru_cache(64)
def _choices(engine: Evaluator, symbol: str, day: int, proposal: Proposal) -> tuple[Choice, ...]:
    """Kept, since they are asked for again with every level that is tried."""
    return tuple(choices(engine, symbol, day, proposal, request_limits()))


def _values(engine: Any, symbol: str, day: int, text: str) -> float | None:
    found = values_at(
        engine.on("day"), {"v": check_expression(text)}, np.array([engine.bars.number[symbol]]), day, request_limits()
    )["v"][0]
    return None if np.isnan(found) else float(found)


def _gaps(market: Market, symbol: str, day: int) -> tuple[float, ...]:
    """From the close before to the open on the days of the last four reports."""
    facts, bars = market.facts, market.bars
    if facts is None:
        return ()
    k = bars.number[symbol]
    rows = slice(int(facts.offsets[k]), int(facts.offsets[k + 1]))
    on = facts.days[rows][facts.is_report[rows] & (facts.days[rows] <= day)][-GAPS:]
    part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
    days, found = bars.days[part], []
    for report in on.tolist():
        at = int(np.searchsorted(days, report))
        if 0 < at < len(days):
            open_, before = bars.open[part][at] * bars.factor[part][at], bars.close[part][at - 1] * bars.factor[part][at - 1]
            found.append(float(open_ / before - 1))
    return tuple(found)


def _together(
    owner: Any, market: Market, item: BenchItem, day: int, account: Account, size: Sized, shown: dict[str, Any]
) -> tuple[dict[str, Any], Facts]:
    """What all plans come to if all fill, the one that is looked at in it; and what of that speaks for or against this one."""
    choice = account_choice(owner)
    own = _open_part(market, item, day)
    if own is None:
        rows = [(item.symbol, size.money, max(0.0, size.lost))]
    else:
        rows = [(item.symbol, size.money, open_risk(own, shown["stop"] if item.plan is not None else None))]
    others = [o for o in items_of(owner).filter(stage__in=OPEN).exclude(id=item.id) if o.symbol in market.bars.number]
    currencies = currencies_of([o.symbol for o in others])
    foreign = sorted({symbol for symbol, currency in currencies.items() if currency != choice.currency})
    others = [o for o in others if o.symbol not in foreign]
    numbers = np.array([market.bars.number[o.symbol] for o in others], np.int64)
    usual = values_at(open_market().on("day"), {"v": check_expression("avg_turnover(20)")}, numbers, day, request_limits())["v"]
    for other, known in zip(others, usual.tolist(), strict=True):
        scale = scale_at(market, other.symbol, day)
        plan, held = _kept(other, scale, day), _open_part(market, other, day)
        if held is not None:
            rows.append((other.symbol, held.shares * held.close, open_risk(held, stop_now(other, scale))))
        if held is not None or plan is None:
            continue
        money = None if np.isnan(known) else known
        try:
            of = sized(account, plan["side"], plan["entry"], plan["stop"], _prices(plan["targets"]), money)
        except ValueError:
            continue
        if plan["shares"] is not None:
            of = resized(of, account, plan["side"], plan["entry"], plan["stop"], plan["shares"], money)
        rows.append((other.symbol, of.money, of.lost))
    symbols = [s for s, _, _ in rows]
    sectors = market.texts.get("sector", ())
    by_sector: dict[str, float] = {}
    for symbol, money, _ in rows:
        name = sectors[market.bars.number[symbol]] if sectors else ""
        by_sector[name] = by_sector.get(name, 0.0) + money / account.money
    own_sector = sectors[market.bars.number[item.symbol]] if sectors else ""
    told_of = {name: share for name, share in by_sector.items() if name}
    largest = max(told_of, key=lambda name: told_of[name], default="")
    moves = correlations(open_market(), symbols, day) if len(symbols) > 1 else np.full((1, 1), np.nan)
    pairs = moves[np.triu_indices(len(symbols), 1)] if len(symbols) > 1 else np.empty(0)
    pairs = pairs[~np.isnan(pairs)]
    with_held = None
    if len(symbols) > 1 and not np.isnan(moves[0, 1:]).all():
        at = int(np.nanargmax(moves[0, 1:])) + 1
        with_held = float(moves[0, at]), symbols[at]
    risk = sum(lost for _, _, lost in rows) / account.money
    told = {
        "positions": len(rows), "risk": risk, "invested": sum(money for _, money, _ in rows) / account.money, "sector": largest,
        "in_sector": told_of.get(largest), "correlation": float(pairs.mean()) if len(pairs) else None,
        "foreign": foreign,
    }  # fmt: skip
    return told, Facts(sector=own_sector, in_sector=by_sector.get(own_sector, 0.0), open_risk=risk, with_held=with_held)


@transaction.atomic
def keep(item: BenchItem, asked: dict[str, Any], as_of: str | None) -> None:
    """Keeps a plan, its prices on the continuous scale so that a split moves them along. Raises Refused."""
    market = open_market().market
    day = as_of_day(market, as_of)
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    held = _open_part(market, item, day)
    _not_after_closing(market, item)
    if held is not None:
        _not_beyond(asked["side"], asked, _kept(item, scale_at(market, item.symbol, day), day), held.close)
    else:
        try:
            sized(Account(), asked["side"], asked["entry"], asked["stop"], _prices(asked["targets"]), None)
        except ValueError as error:
            raise Refused(str(error), 422) from None
    if sum(one["part"] for one in asked["targets"]) > 1 + 1e-9:
        raise Refused("The targets take more than there is; their parts come to one at most.", 422)
    follow_checked(asked["follow"], asked["side"])
    until = end_of(asked["until"])
    if until != NO_END and until > to_date(day) + timedelta(days=LONGEST_DAYS):
        raise Refused("A plan ends within a year, or has no end.", 422)
    scale = scale_at(market, item.symbol, day)
    targets = [(one["price"] * scale, one["part"]) for one in asked["targets"]]
    since = market.standing(market.latest).key
    before = item.plan
    item.plan = {**asked, "entry": asked["entry"] * scale, "stop": asked["stop"] * scale, "targets": targets, "made": iso(day)}
    item.plan["since"] = levels_since(before, item.plan, since)
    if held is not None and item.first_stop is None:
        item.first_stop = item.plan["stop"]  # bought before there was a plan: R is of its first stop all the same
    item.save(update_fields=["plan", "first_stop"])
    aims = "".join(
        f", target {one['price']:g}" + ("" if one["part"] == 1 else f" for {one['part']:.0%}") for one in asked["targets"]
    )
    moves = f", the stop follows {asked['follow']}" if asked["follow"] else ""
    does = "buy" if asked["side"] == "long" else "sell short"
    words = f"{does} at {asked['entry']:g}, stop {asked['stop']:g}{aims}{moves}{until_words(until)}"
    BenchEvent.objects.create(item=item, kind="planned", moment=iso(day), text=words)
    settle(item, ["stop"], [item.plan["stop"]])
    settle(item, ["target"], [price for price, _ in targets])


def levels_since(before: dict[str, Any] | None, plan: dict[str, Any], now: int) -> dict[str, int]:
    """From which moment on each level of a plan is watched, by its price: one that stays as it was is watched on."""
    known = (before or {}).get("since", {})
    prices = [plan["stop"], *(price for price, _ in plan["targets"])]
    return {level_key(price): known.get(level_key(price), now) for price in prices}


def _not_after_closing(market: Market, item: BenchItem) -> None:
    """Raises Refused where the position is over by now, whatever day is stood on: a plan after it would be a plan for nothing."""
    try:
        held = held_now(market, item, market.standing(market.latest))
    except Unfit:
        return
    if held is not None and held.shares <= 0:
        raise Refused(OVER, 409)


@transaction.atomic
def forget(item: BenchItem, as_of: str | None) -> None:
    """Takes the plan away; what it said stays in the history."""
    item.plan = None
    item.save(update_fields=["plan"])
    BenchEvent.objects.create(
        item=item, kind="planned", moment=iso(as_of_day(open_market().market, as_of)), text="the plan was taken away"
    )
