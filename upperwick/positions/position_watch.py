"""Watching positions: stops and targets that were met, gapped through or come near; halts and delistings. Whatever moment the market moves to.

What happened, its message and how far was watched are one transaction: killed at any point, the next look finds the same, and
nobody is told twice.
A position that is left to the clock is stopped by it (positions.paper_clock); here it is watched for what comes near.
"""

from typing import Any

import numpy as np
from django.db import transaction
from django.utils import timezone

from upperwick.accounts.preferences import account_choice
from upperwick.bench.models import BenchItem
from upperwick.market.models import Instrument
from upperwick.positions.holdings import fills_of, held_now, stop_now
from upperwick.positions.notices import level_key, raise_notice
from wickcore.bars.moment import Moment, iso, read_moment, to_day
from wickcore.language.check import check_expression
from wickcore.plan.holdings import INTO, Holding, Unfit, last_price
from wickcore.plan.position_watch import LevelEvent, WatchedLevel, beyond, level_events, missed_sessions
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits
from wickcore.scan.scan import values_at

ATR_SECONDS = 20.0
SILENT_SESSIONS = 2  # sessions without a bar before a position's instrument is said to be halted


def watch_all(engine: Evaluator, now: Moment) -> int:
    """Watches every position up to a moment. Returns how many messages came of it. Raises Stopped."""
    items = list(BenchItem.objects.filter(stage="holding", deleted__isnull=True).select_related("owner").order_by("id"))
    items = [
        i for i in items if i.symbol in engine.market.bars.number and ((i.watch or {}).get("seen", 0) < now.key or _changed(i))
    ]
    if not items:
        return 0
    atr = _atr(engine, sorted({i.symbol for i in items}), now)
    delisted = dict(Instrument.objects.filter(symbol__in=[i.symbol for i in items]).values_list("symbol", "delisted"))
    return sum(_watch(item.id, engine, now, atr.get(item.symbol, 0.0), delisted.get(item.symbol)) for item in items)


def _changed(item: BenchItem) -> bool:
    """Whether an item's levels are others than those that were watched last."""
    return item.plan is not None and sorted(item.plan.get("since", {})) != (item.watch or {}).get("keys", [])


def _atr(engine: Evaluator, symbols: list[str], now: Moment) -> dict[str, float]:
    """The ATR of 14 days on the continuous scale, as of the last session that is over."""
    bars = engine.market.bars
    day = now if now.closed else Moment(int(bars.sessions[max(0, bars.session_on(now.day - 1))]))
    numbers = np.array([bars.number[s] for s in symbols], np.int64)
    found = values_at(engine.on("day"), {"atr": check_expression("atr(14)")}, numbers, day, Limits(ATR_SECONDS))["atr"]
    return {s: 0.0 if np.isnan(v) else float(v) * last_price(engine.market, s, day)[1] for s, v in zip(symbols, found, strict=True)}


@transaction.atomic
def _watch(item_id: int, engine: Evaluator, now: Moment, atr: float, delisted: Any) -> int:
    item = (
        BenchItem.objects.select_for_update()
        .select_related("owner")
        .filter(id=item_id, deleted__isnull=True, stage="holding")
        .first()
    )
    market = engine.market
    if item is None or item.symbol not in market.bars.number:
        return 0
    try:
        held = held_now(market, item, now)
    except Unfit:
        return 0
    if held is None or held.shares <= 0:
        return 0
    told = 0
    state = item.watch or {}
    levels = _levels(item, held)
    near = account_choice(item.owner).near * atr
    was_near = {tuple(one) for one in state.get("near", [])}
    still: list[WatchedLevel] = []
    for level in levels:
        since = max(_since(item, level), int(state.get("seen", 0)) if _identity(level) in _identities(state) else 0)
        if item.paper is None and _already(item, level):
            continue
        before = [level] if _identity(level) in was_near else []
        events, near_to = level_events(market, item.symbol, held.side, [level], since, now, near, before)
        still += near_to
        if level.kind == "stop" and not any(event.event != "near" for event in events):
            price, factor = last_price(market, item.symbol, now)
            if beyond(held.side, level, price * factor):  # already as the position was entered
                events = [LevelEvent(level, "met", now, level.price / factor, price)]
                still = [one for one in still if one != level]
        for event in events:
            if item.paper is not None and event.event != "near":
                break  # the clock fills it
            told += _notice(item, held, market, event)
    told += _silence(item, market, now, delisted)
    keys_of_plan = sorted((item.plan or {}).get("since", {}))
    item.watch = {
        "seen": now.key, "near": [_identity(level) for level in still], "levels": [_identity(level) for level in levels], "keys": keys_of_plan,
    }  # fmt: skip
    item.save(update_fields=["watch"])
    return told


def _levels(item: BenchItem, held: Holding) -> list[WatchedLevel]:
    plan, levels = item.plan, []
    stop = stop_now(item, 1.0)
    if stop is not None:
        levels.append(WatchedLevel("stop", stop))
    if plan is not None and plan["side"] == held.side:
        levels += [WatchedLevel("target", price, i + 1) for i, (price, _) in enumerate(plan["targets"])]
    return levels


def _identity(level: WatchedLevel) -> tuple[str, int, str]:
    return level.kind, level.number, level_key(level.price)


def _identities(state: dict[str, Any]) -> set[tuple[Any, ...]]:
    return {tuple(one) for one in state.get("levels", [])}


def _since(item: BenchItem, level: WatchedLevel) -> int:
    """The key of the moment from which on a level is watched: since it was saved, and not before the first share was there."""
    fills = [read_moment(f.moment).key for f in fills_of(item) if f.action in INTO]
    planned = item.events.filter(kind="planned").first()
    saved = (item.plan or {}).get("since", {}).get(level_key(level.price))
    if saved is None:
        saved = read_moment(planned.moment).key if planned is not None else 0
    return max([saved, *fills[:1]])


def _already(item: BenchItem, level: WatchedLevel) -> bool:
    """Whether it was said already that a level was met."""
    rows = item.notices.filter(kind=level.kind, number=level.number, event__in=("met", "gapped"))
    return any(level_key(row.level) == level_key(level.price) for row in rows if row.level is not None)


def words_of(symbol: str, side: str, event: LevelEvent) -> str:
    """What happened at a level, in a sentence."""
    long, level = side == "long", event.level
    name = "stop" if level.kind == "stop" else "target" if level.number < 2 else f"target {level.number}"
    under = long == (level.kind == "stop")
    where = "under" if under else "over"
    when = "" if event.moment.closed else f", {str(event.moment)[11:16]}"
    if event.event == "gapped":
        return f"{symbol} opened at {event.price:.2f}, {where} its {name} of {event.printed:.2f}{when}"
    if event.event == "met":
        reached = "at" if abs(event.price - event.printed) < 5e-3 else where
        return f"{symbol} traded at {event.price:.2f}, {reached} its {name} of {event.printed:.2f}{when}"
    away = abs(event.price - event.printed)
    verb = "closed" if event.moment.closed else "stands"
    return (
        f"{symbol} {verb} at {event.price:.2f}, {away:.2f} {'above' if under else 'below'} its {name} of {event.printed:.2f}{when}"
    )


def _notice(item: BenchItem, held: Holding, market: Any, event: LevelEvent) -> int:
    """Writes down what happened at a level, and its message; 0 where it was written already."""
    text = words_of(item.symbol, held.side, event)
    # What was said of an approach is overtaken.
    item.notices.filter(kind=event.level.kind, number=event.level.number, event="near", settled__isnull=True).update(
        settled=timezone.now()
    )
    lines = [f"{text}.", _what_to_do(item, event, held)]
    return raise_notice(
        item, market, event.moment, event.level.kind, event.event, text, lines, event.level.number, event.level.price, event.printed
    )


def _what_to_do(item: BenchItem, event: LevelEvent, held: Holding) -> str:
    shares = f"{held.shares:,.0f} {'shares are held' if held.side == 'long' else 'shares are sold short'}"
    if item.paper is not None:
        return f"On paper, {shares}; the order is executed by itself."
    if event.event == "near":
        return f"{shares}."
    return f"{shares}, entered by hand: enter the fill once it is closed, or move the {event.level.kind}."


def _silence(item: BenchItem, market: Any, now: Moment, delisted: Any) -> int:
    """A position whose instrument trades no more, or has no bars while others have."""
    price, _ = last_price(market, item.symbol, now)
    if delisted is not None and to_day(delisted) <= now.day:
        if item.notices.filter(kind="delisted").exists():
            return 0
        text = f"{item.symbol} trades no more since {delisted}; its last price was {price:.2f}"
        return raise_notice(
            item, market, now, "delisted", "over", text, [f"{text}.", "It is still held: enter what was got back for it."]
        )
    missed = missed_sessions(market, item.symbol, now)
    if missed < SILENT_SESSIONS:
        item.notices.filter(kind="halt", settled__isnull=True).update(settled=timezone.now())
        return 0
    if item.notices.filter(kind="halt", settled__isnull=True).exists():
        return 0
    last = _last_day(market, item.symbol, now)
    if item.notices.filter(kind="halt", text__contains=iso(last)).exists():
        return 0  # of this halt it was said, and put away
    text = f"{item.symbol} has no bar since {iso(last)}: halted, or missing in the data; its stop cannot be watched"
    return raise_notice(item, market, now, "halt", "silent", text, [f"{text}."])


def _last_day(market: Any, symbol: str, now: Moment) -> int:
    bars = market.bars
    k = bars.number[symbol]
    return int(bars.days[int(bars.ends(now)[k]) - 1])
