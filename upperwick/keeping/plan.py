"""The plan of an item on the bench: what is proposed, what is kept, how much of it, what speaks against it, and all plans together."""

from dataclasses import asdict
from datetime import date, timedelta
from typing import Any

import numpy as np
from django.db import transaction

from upperwick.accounts.models import Preferences
from upperwick.bench.items import items_of
from upperwick.bench.models import BenchEvent, BenchItem
from upperwick.market.services import as_of_day, open_market, request_limits
from upperwick.refused import Refused
from wickcore.bars.market import Market
from wickcore.bars.moment import iso
from wickcore.book.plan import Account, Facts, Side, Sized, correlations, propose, resized, sized, warnings
from wickcore.language.check import check_expression
from wickcore.scan.scan import values_at

USUAL_MONEY, LASTS = 100_000.0, 5  # of an account that says no size; sessions a plan waits
OPEN = ("planned", "holding")
GAPS = 4


def account_of(owner: Any) -> Account:
    """The account as its preferences say; a usual one where nothing is said."""
    kept = Preferences.objects.filter(owner=owner).values_list("document", flat=True).first() or {}
    return Account(float(kept.get("account_size") or USUAL_MONEY))


def _scale(market: Market, symbol: str, day: int) -> float:
    k = market.bars.number[symbol]
    end = int(market.bars.ends(day)[k])
    return float(market.bars.factor[end - 1]) if end > market.bars.offsets[k] else 1.0


def _kept(item: BenchItem, scale: float) -> dict[str, Any] | None:
    """The plan as it is kept, in prices of the day stood on."""
    if item.plan is None:
        return None
    told = dict(item.plan)
    for name in ("entry", "stop", "target"):
        told[name] = None if told[name] is None else round(told[name] / scale, 4)
    return told


def plan_of(
    owner: Any, item: BenchItem, as_of: str | None, side: Side | None, tried: dict[str, Any] | None = None
) -> dict[str, Any]:
    """An item's plan with all that belongs to it. tried: levels that are looked at without being kept. Raises Refused."""
    engine = open_market()
    market = engine.market
    day = as_of_day(market, as_of)
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    kept = _kept(item, _scale(market, item.symbol, day))
    of_side: Side = side or (tried or kept or {}).get("side") or "long"
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
            "target": proposal.target,
            "shares": None,
            "until": iso(until),
        }
    account = account_of(owner)
    money = _values(engine, item.symbol, day, "avg_turnover(20)")
    try:
        size = sized(account, of_side, shown["entry"], shown["stop"], shown["target"], money)
    except ValueError as error:
        raise Refused(str(error), 422) from None
    computed = size.shares
    if shown["shares"] is not None:
        size = resized(size, account, of_side, shown["entry"], shown["stop"], shown["shares"], money)
    together, facts = _together(owner, market, item, day, account, size, shown)
    report = _values(engine, item.symbol, day, "days_to_report")
    ends_in = (date.fromisoformat(shown["until"]) - date.fromisoformat(iso(day))).days
    facts = Facts(report, _gaps(market, item.symbol, day), ends_in, facts.sector, facts.in_sector, facts.open_risk, facts.with_held)
    against = warnings(account, of_side, shown["entry"], shown["stop"], size, proposal.atr, facts)
    if ends_in < 0:
        against.append("The plan has ended; give it another day, or drop it.")
    return {
        "symbol": item.symbol, "day": iso(day), "kept": kept is not None and shown is not None and tried is None and kept["side"] == of_side,
        "proposal": asdict(proposal), "plan": shown, "size": asdict(size), "computed": computed, "warnings": against, "account": account.money,
        "together": together,
    }  # fmt: skip


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
    rows = [(item.symbol, size.money, size.lost)]
    others = [
        (other.symbol, plan)
        for other in items_of(owner).filter(stage__in=OPEN, plan__isnull=False).exclude(id=item.id)
        if other.symbol in market.bars.number and (plan := _kept(other, _scale(market, other.symbol, day))) is not None
    ]
    numbers = np.array([market.bars.number[symbol] for symbol, _ in others], np.int64)
    usual = values_at(open_market().on("day"), {"v": check_expression("avg_turnover(20)")}, numbers, day, request_limits())["v"]
    for (symbol, plan), known in zip(others, usual.tolist(), strict=True):
        money = None if np.isnan(known) else known
        try:
            of = sized(account, plan["side"], plan["entry"], plan["stop"], plan["target"], money)
        except ValueError:
            continue
        if plan["shares"] is not None:
            of = resized(of, account, plan["side"], plan["entry"], plan["stop"], plan["shares"], money)
        rows.append((symbol, of.money, of.lost))
    symbols = [s for s, _, _ in rows]
    sectors = market.texts.get("sector", ())
    by_sector: dict[str, float] = {}
    for symbol, money, _ in rows:
        name = sectors[market.bars.number[symbol]] if sectors else ""
        by_sector[name] = by_sector.get(name, 0.0) + money / account.money
    own = sectors[market.bars.number[item.symbol]] if sectors else ""
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
    }  # fmt: skip
    return told, Facts(sector=own, in_sector=by_sector.get(own, 0.0), open_risk=risk, with_held=with_held)


@transaction.atomic
def keep(item: BenchItem, asked: dict[str, Any], as_of: str | None) -> None:
    """Keeps a plan, its prices on the continuous scale so that a split moves them along. Raises Refused."""
    market = open_market().market
    day = as_of_day(market, as_of)
    if item.symbol not in market.bars.number:
        raise Refused(f"The market holds no {item.symbol} any more.", 404)
    try:
        sized(Account(USUAL_MONEY), asked["side"], asked["entry"], asked["stop"], asked["target"], None)
    except ValueError as error:
        raise Refused(str(error), 422) from None
    try:
        until = date.fromisoformat(asked["until"])
    except ValueError:
        raise Refused(f"`{asked['until']}` is not a date of the form 2024-06-28.", 422) from None
    if until > date.fromisoformat(iso(day)) + timedelta(days=400):
        raise Refused("A plan ends within a year.", 422)
    scale = _scale(market, item.symbol, day)
    item.plan = {**asked, **{n: None if asked[n] is None else asked[n] * scale for n in ("entry", "stop", "target")}}
    item.save(update_fields=["plan"])
    target = "" if asked["target"] is None else f", target {asked['target']:g}"
    words = f"{'buy' if asked['side'] == 'long' else 'sell short'} at {asked['entry']:g}, stop {asked['stop']:g}{target}, until {asked['until']}"
    BenchEvent.objects.create(item=item, kind="planned", moment=iso(day), text=words)


@transaction.atomic
def forget(item: BenchItem, as_of: str | None) -> None:
    """Takes the plan away; what it said stays in the history."""
    item.plan = None
    item.save(update_fields=["plan"])
    BenchEvent.objects.create(
        item=item, kind="planned", moment=iso(as_of_day(open_market().market, as_of)), text="the plan was taken away"
    )
