"""The desk: the evening in one look. Nothing is scanned here: watched rules are scanned by the worker when the moment moves."""

from datetime import timedelta
from typing import Any

import numpy as np
from django.db.models import Q

from upperwick.accounts.preferences import account_choice
from upperwick.alerts.look import digest_at
from upperwick.alerts.models import Alert, Watched
from upperwick.alerts.services import row_of
from upperwick.bench.items import items_of
from upperwick.bench.lists import lists_of
from upperwick.bench.models import BenchItem
from upperwick.charts.series import rounded
from upperwick.data.quality import issues
from upperwick.data.quality.findings import open_in
from upperwick.data.services import may
from upperwick.jobs.models import UNFINISHED, Job
from upperwick.market.load import evaluator
from upperwick.market.models import CalendarEvent, Report
from upperwick.outbox.models import Message
from upperwick.positions.fills import rail_of
from upperwick.positions.holdings import SINGLE, fills_of, held_now, order_of, paper_of, shares_words, stop_now, waits_words
from upperwick.positions.notices import open_notices
from upperwick.positions.plans import account_of, currencies_of, scale_at
from wickcore.bars.day_kinds import words_of
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, iso
from wickcore.breadth.series import breadth_series
from wickcore.language.breadth import check_breadth
from wickcore.language.check import check_expression
from wickcore.language.ready_breadths import READY
from wickcore.plan.holdings import proposed_stop
from wickcore.plan.paper_orders import WAITING
from wickcore.scan.limits import Limits
from wickcore.scan.scan import values_at

REPORT_NEAR = 5  # calendar days
ABOVE, SHOWN, AHEAD_DAYS, MOST_NAMED, MOST_TOLD = "Above the 200-day average", 126, 7, 6, 12


def desk(owner: Any) -> dict[str, Any]:
    """Everything the first page shows."""
    market = evaluator().market
    mine = Message.objects.filter(owner=owner, deleted__isnull=True)
    found: dict[str, Any] = {
        "moment": None, "sentence": "", "breadth_days": [], "breadth": [], "breadth_universe": "", "watched": [], "told": [],
        "unread": mine.filter(read=False).count(), "ahead": [], "waiting": _waiting(owner), "names": {},
        "holdings": [], "orders": [], "totals": None, "notices": [], "issues": issues.shown() if may(owner) else [],
        "alerts": Alert.objects.filter(owner=owner, armed=True, deleted__isnull=True).count(),
    }  # fmt: skip
    if not len(market.bars):
        return found
    now = market.standing(market.latest)
    watched = _watched(owner, now)
    told = list(mine.filter(moment__startswith=iso(now.day)).defer("raw")[:MOST_TOLD])
    ahead = _ahead(owner, now)
    holdings, orders = _positions(owner, market, now)
    symbols = {s for w in watched for s in w["fresh"]} | {s for a in ahead for s in a["symbols"]} | {h["symbol"] for h in holdings}
    names = market.names or market.bars.symbols
    return {
        **found,
        "moment": str(now),
        **_market(market, now),
        "watched": watched,
        "told": [row_of(m) for m in told],
        "ahead": ahead,
        "holdings": holdings,
        "orders": orders,
        "notices": open_notices(owner),
        "totals": totals(owner, market, holdings),
        "names": {s: names[market.bars.number[s]] for s in sorted(symbols) if s in market.bars.number},
    }


def _market(market: Market, now: Moment) -> dict[str, Any]:
    """The market and its breadth in a sentence, with half a year of the breadth."""
    day = now if now.closed else Moment(int(market.bars.sessions[max(0, market.bars.session_on(now.day - 1))]))
    universe = _universe(market)
    engine = evaluator().on("day")
    series = breadth_series(engine, check_breadth(READY[ABOVE], universe=universe), day, limits=Limits(5.0))
    value = series.value[-1] if len(series.value) else np.nan
    said = ""
    symbol = market.benchmark
    if symbol in market.bars.number:
        k = np.array([market.bars.number[symbol]])
        wanted = {name: check_expression(name) for name in ("change", "close", "sma(200)")}
        at = {name: float(column[0]) for name, column in values_at(engine, wanted, k, day, Limits(5.0)).items()}
        name = market.names[int(k[0])] if market.names else symbol
        if not np.isnan(at["change"]):
            moved = "unchanged" if abs(at["change"]) < 5e-5 else f"{'up' if at['change'] > 0 else 'down'} {abs(at['change']):.1%}"
            stands = (
                "" if np.isnan(at["sma(200)"]) else f", {'above' if at['close'] > at['sma(200)'] else 'below'} its 200-day average"
            )
            said = f"{name} closed {moved}{stands}."
    if not np.isnan(value):
        whose = (
            "its members" if universe and said.startswith(universe) else f"the members of {universe}" if universe else "all shares"
        )
        said = f"{said} {value:.0%} of {whose} stand above theirs.".strip()
    part = slice(-SHOWN, None)
    return {
        "sentence": said,
        "breadth_days": [iso(d) for d in series.days[part]],
        "breadth": rounded(series.value[part]),
        "breadth_universe": universe,
    }


def _universe(market: Market) -> str:
    """Whose breadth is shown: the members of the benchmark, where a universe is called so, else the largest; all shares where there is none."""
    symbol = market.benchmark or ""
    name = market.names[market.bars.number[symbol]] if symbol in market.bars.number and market.names else ""
    if name in market.universes:
        return name
    return max(market.universes, key=lambda one: len(np.unique(market.universes[one].instrument)), default="")


def _watched(owner: Any, now: Moment) -> list[dict[str, Any]]:
    found = []
    rows = Watched.on_desk.filter(rule__owner=owner).select_related("rule").order_by("rule__name")
    for one in rows:
        rule = one.rule
        found.append({
            "rule": rule.id, "name": rule.name, "since": one.since, "fresh": one.fresh, "hits": len(one.hits),
            "pending": one.digest != digest_at(rule, now), "trouble": one.trouble,
        })  # fmt: skip
    return found


def _positions(owner: Any, market: Market, now: Moment) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """What is held, with its rail; and the orders for the next session: those that wait with the clock, and what it closes at the open."""
    holdings, orders = [], []
    items = items_of(owner).exclude(stage="closed").filter(Q(paper__isnull=False) | Q(stage="holding")).order_by("symbol")
    for item in items:
        if item.symbol not in market.bars.number:
            continue
        paper, rail = paper_of(item), rail_of(market, item, now, fills_of(item))
        told = {"item": item.id, "symbol": item.symbol, "stage": item.stage, "clock": paper is not None}
        if rail is not None and rail["shares"] > 0:
            holdings.append({**told, "rail": rail, **_to_look_at(market, item, now)})
        if paper is not None and paper.state == WAITING:
            words = waits_words(order_of(item), paper.up, paper.shares, scale_at(market, item.symbol, now))
            orders.append({**told, "words": words})
        elif paper is not None and paper.leaves is not None and rail is not None:
            does = SINGLE[rail["side"]][1]
            orders.append({**told, "words": f"{does} {shares_words(rail['shares'])} at the next open"})
    return holdings, orders


def totals(owner: Any, market: Market, holdings: list[dict[str, Any]]) -> dict[str, Any] | None:
    """All that is held together: open profit, what its stops would take from the last prices and, by sector, at risk. A position without a stop
    is at risk with its full value. Instruments in another currency than the account's are left out, and named. None where nothing is held."""
    if not holdings:
        return None
    account, choice = account_of(owner), account_choice(owner)
    currencies = currencies_of([one["symbol"] for one in holdings])
    foreign = sorted({s for s, c in currencies.items() if c and c != choice.currency})
    profit = risk = value = 0.0
    unstopped = 0
    by_sector: dict[str, float] = {}
    sectors = market.texts.get("sector", ())
    for one in holdings:
        rail = one["rail"]
        if one["symbol"] in foreign:
            continue
        sector = (sectors[market.bars.number[one["symbol"]]] if sectors else "") or "no sector"
        unstopped += rail["stop"] is None
        profit += rail["open"]
        value += rail["shares"] * rail["close"]
        risk += rail["at_risk"]
        by_sector[sector] = by_sector.get(sector, 0.0) + rail["at_risk"]
    return {
        "profit": profit, "gain": profit / (value - profit) if value != profit else 0.0, "risk": risk, "risk_share": risk / account.money,
        "over": risk / account.money > account.open_risk, "limit": account.open_risk, "unstopped": unstopped, "foreign": foreign,
        "sectors": [{"sector": s, "risk": r, "share": r / account.money} for s, r in sorted(by_sector.items(), key=lambda x: -x[1])],
        "currency": choice.currency,
    }  # fmt: skip


def _to_look_at(market: Market, item: BenchItem, now: Moment) -> dict[str, Any]:
    """What of a holding wants to be looked at: a report ahead, a stop that is near or may follow."""
    engine = evaluator()
    held, stop = held_now(market, item, now), stop_now(item, scale_at(market, item.symbol, now))
    assert held is not None
    k = np.array([market.bars.number[item.symbol]])
    day = now if now.closed else Moment(int(market.bars.sessions[max(0, market.bars.session_on(now.day - 1))]))
    wanted = {name: check_expression(name) for name in ("days_to_report", "atr(14)")}
    found = {name: float(column[0]) for name, column in values_at(engine.on("day"), wanted, k, day, Limits(5.0)).items()}
    words = []
    if found["days_to_report"] <= REPORT_NEAR:
        left = int(found["days_to_report"])
        words.append("reports today" if left == 0 else f"reports in {left} day{'' if left == 1 else 's'}")
    if stop is None:
        words.append("no stop is saved")
    else:
        words += _near_stop(held, stop, found["atr(14)"], account_choice(item.owner).near)
    nearer = proposed_stop(engine, item.symbol, now, held, stop, Limits(5.0))
    if nearer is not None and stop is not None:
        words.append(f"stop may follow to {nearer[0]:.2f}")
    return {"look_at": ", ".join(words)}


def _near_stop(held: Any, stop: float, atr: float, near: float) -> list[str]:
    """How the last price lies to the stop, where it is near or beyond it."""
    room = (held.close - stop) * (1 if held.side == "long" else -1)
    if room <= 0:
        return [f"{-room:.2f} beyond its stop" if room else "at its stop"]
    return [f"{room:.2f} from its stop"] if room <= near * atr else []


def _ahead(owner: Any, now: Moment) -> list[dict[str, Any]]:
    """Reports and announcements of the next days, those of the owner's lists by name."""
    first = np.datetime64(now.day, "D").astype(object)
    days = (first + timedelta(days=1), first + timedelta(days=AHEAD_DAYS))
    mine = {s for symbols in lists_of(owner).values_list("symbols", flat=True) for s in symbols}
    reports: dict[str, list[str]] = {}
    for day, symbol in Report.objects.filter(day__range=days).values_list("day", "instrument__symbol"):
        reports.setdefault(day.isoformat(), []).append(symbol)
    found = []
    for day, symbols in sorted(reports.items()):
        own = sorted(mine.intersection(symbols))
        words = f"{len(symbols)} report{'' if len(symbols) == 1 else 's'}" + (f", {len(own)} on your lists" if own else "")
        found.append({"day": day, "what": words, "symbols": own[:MOST_NAMED]})
    for day, kind, name in CalendarEvent.objects.filter(day__range=days).values_list("day", "kind", "name"):
        found.append({"day": day.isoformat(), "what": words_of(kind, name), "symbols": []})
    return sorted(found, key=lambda one: one["day"])


def _waiting(owner: Any) -> list[dict[str, str]]:
    """What is still being worked on, or has failed."""
    found = []
    jobs = Job.objects.filter(owner=owner).filter(Q(state__in=UNFINISHED) | Q(state="failed")).order_by("-id")[:5]
    for job in jobs:
        words = f"{job.name or job.kind}: {job.stage if job.state in UNFINISHED else f'failed. {job.detail}'}"
        place = f"/{job.subject_kind}s/{job.subject_id}" if job.subject_id else "/data"
        found.append({"what": words, "place": place})
    for alert in Alert.objects.filter(owner=owner, armed=True, deleted__isnull=True).exclude(trouble="")[:5]:
        found.append({"what": f"An alert cannot be looked at: {alert.trouble}", "place": "/outbox/alerts"})
    open_ = open_in(None)
    if open_:
        found.append({"what": f"{open_} open finding{'' if open_ == 1 else 's'} about the data", "place": "/data"})
    return found
