"""When an alert of each kind fires, and what it then says. What kinds there are is in `alert_kinds`."""

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from upperwick.alerts.models import Alert
from upperwick.alerts.scheduled_scans import ScansByMoment
from upperwick.base.errors import Refused
from upperwick.bench.lists import universe_key
from upperwick.market.models import Drawing
from upperwick.market.services import members_of, open_market
from upperwick.rules.checking import with_universes
from upperwick.rules.models import Rule
from upperwick.rules.services import find as find_rule
from upperwick.rules.services import parts_for
from wickcore.alerts.crossed import Crossed, first_crossed, fixed
from wickcore.bars.bars import Bars, Floats
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, clock, iso
from wickcore.breadth.series import breadth_series
from wickcore.language.breadth import check_breadth
from wickcore.language.check import check_expression
from wickcore.language.named_texts import key_of
from wickcore.language.ready_breadths import READY
from wickcore.measures.drawn import line_at
from wickcore.scan.limits import Limits
from wickcore.scan.scan import values_at

SECONDS = 60.0
MOST_NAMED = 40
WORDS = {"up": "rose to", "down": "fell to"}


@dataclass(frozen=True)
class Fired:
    """moment: when. told: what is remembered of it, so that it is not told again by an alert that stays armed."""

    moment: Moment
    subject: str
    lines: list[str]
    place: str
    symbols: tuple[str, ...] = ()
    level: float | None = None
    told: tuple[str, ...] = ()


def expected(alerts: Sequence[Alert], scans: ScansByMoment) -> list[tuple[Any, str, str | None]]:
    """The scans that alerts may ask for. Their rules are read for all of them at once, and stay those of this look."""
    rules = [(alert, alert.about["rule"]) for alert in alerts if alert.kind == "rule"]
    found = Rule.objects.filter(id__in={rule for _, rule in rules}, deleted__isnull=True)
    scans.rules = {(rule.owner_id, rule.id): rule for rule in found}
    asked = [(alert, scans.rules.get((alert.owner_id, rule))) for alert, rule in rules]
    return [(alert.owner, rule.text, alert.about.get("scope") or None) for alert, rule in asked if rule is not None]


def name_of(market: Market, symbol: str) -> str:
    k = market.bars.number.get(symbol, -1)
    name = market.names[k] if k >= 0 and market.names else ""
    return f"{symbol} ({name})" if name else symbol


def _at(moment: Moment) -> str:
    return f"at the close of {iso(moment.day)}" if moment.closed else f"at {clock(moment.minute)} on {iso(moment.day)}"


# -- a price, a drawn line ---------------------------------------------------------------------------------------------------


def look_at_price(alert: Alert, market: Market, moments: Sequence[Moment], scans: ScansByMoment) -> list[Fired]:
    about = alert.about
    found = first_crossed(market, alert.symbol, fixed(about["level"]), about["way"], alert.seen, moments[-1].key)
    return [_met(alert, market, found, "your level")] if found else []


def look_at_line(alert: Alert, market: Market, moments: Sequence[Moment], scans: ScansByMoment) -> list[Fired]:
    drawing = Drawing.objects.filter(id=alert.about["drawing"], owner_id=alert.owner_id, deleted__isnull=True).first()
    if drawing is None:
        raise Refused("The drawn line is gone; set the alert anew.")
    bars = market.bars
    k = bars.number.get(alert.symbol, -1)
    if k < 0:
        return []
    days = bars.days[bars.offsets[k] : bars.offsets[k + 1]]

    def place(day: Any) -> Any:
        """How many of the instrument's own sessions a day is from its first: the line is straight over these."""
        return np.searchsorted(days, day, "left")

    points = [(int(place(np.datetime64(d, "D").astype(int))), float(price)) for d, price in drawing.points]

    def level(table: Bars, part: slice) -> Floats:
        return line_at((points[0], points[-1]), place(table.days[part]))

    found = first_crossed(market, alert.symbol, level, alert.about["way"], alert.seen, moments[-1].key)
    return [_met(alert, market, found, "your line" if drawing.kind == "line" else "your drawn level")] if found else []


def _met(alert: Alert, market: Market, found: Crossed, what: str) -> Fired:
    subject = f"{alert.symbol} {WORDS['up' if found.up else 'down']} {what} at {found.level:.2f}"
    lines = [
        f"{name_of(market, alert.symbol)} {WORDS['up' if found.up else 'down']} {what} at {found.level:.2f} {_at(found.moment)}; "
        f"it closed that bar at {found.price:.2f}.",
        *([alert.about["note"]] if alert.about.get("note") else []),
    ]
    return Fired(found.moment, subject, lines, f"/symbol/{alert.symbol}", (alert.symbol,), found.level)


# -- a rule ------------------------------------------------------------------------------------------------------------------


def look_at_rule(alert: Alert, market: Market, moments: Sequence[Moment], scans: ScansByMoment) -> list[Fired]:
    rule = scans.rules.get((alert.owner_id, alert.about["rule"])) or find_rule(alert.owner, alert.about["rule"])
    scope = alert.about.get("scope") or None
    for moment in moments:
        if alert.symbol:
            _, fresh = scans.at(moment).one(alert.owner, rule.text, alert.symbol)
            symbols: tuple[str, ...] = (alert.symbol,) if fresh else ()
        else:
            symbols = scans.at(moment).hits(alert.owner, rule.text, scope).fresh
        if symbols:
            named = ", ".join(symbols[:3]) + (f" and {len(symbols) - 3} more" if len(symbols) > 3 else "")
            lines = [
                f"“{rule.name}” became true {_at(moment)} for:",
                "",
                *(f"  {name_of(market, s)}" for s in symbols[:MOST_NAMED]),
            ]
            return [Fired(moment, f"{rule.name}: {named}", lines, f"/rules/{rule.id}", symbols)]
    return []


# -- reports -----------------------------------------------------------------------------------------------------------------


def look_at_report(alert: Alert, market: Market, moments: Sequence[Moment], scans: ScansByMoment) -> list[Fired]:
    at = moments[-1]
    engine = open_market().on("day")
    days = alert.about["days"]
    numbers = _those(alert, market, at)
    day = Moment(at.day) if at.closed else Moment(int(market.bars.sessions[max(0, market.bars.session_on(at.day - 1))]))
    ahead = values_at(engine, {"n": check_expression("days_to_report")}, numbers, day, Limits(SECONDS))["n"]
    known = set(alert.about.get("told", ()))
    new: list[tuple[int, str, str]] = []
    for k, left in zip(numbers.tolist(), ahead.tolist(), strict=True):
        if not np.isnan(left) and left <= days:
            symbol, on = market.bars.symbols[k], iso(day.day + int(left))
            if f"{symbol} {on}" not in known:
                new.append((int(left), symbol, on))
    if not new:
        return []
    new.sort()
    lines = [f"{name_of(market, symbol)} {_in_days(left)}, on {on}." for left, symbol, on in new]
    symbols = tuple(symbol for _, symbol, _ in new)
    named = ", ".join(symbols[:3]) + (f" and {len(symbols) - 3} more" if len(symbols) > 3 else "")
    subject = f"{symbols[0]} {_in_days(new[0][0])}" if len(new) == 1 else f"{len(new)} report within {days} days: {named}"
    place = f"/symbol/{symbols[0]}" if len(new) == 1 else "/desk"
    return [Fired(at, subject, lines, place, symbols, None, tuple(f"{symbol} {on}" for _, symbol, on in new))]


def _in_days(left: int) -> str:
    return "reports today" if left == 0 else f"reports in {left} day{'' if left == 1 else 's'}"


def _those(alert: Alert, market: Market, at: Moment) -> Any:
    if alert.symbol:
        k = market.bars.number.get(alert.symbol, -1)
        return np.array([k] if k >= 0 else [], np.int64)
    key, _ = universe_key(alert.owner, market, alert.about.get("scope"))
    members = members_of(market, key)
    last = market.bars.ends(at) - 1
    there = last >= market.bars.offsets[:-1]
    if members is not None:
        there &= members[np.maximum(last, 0)]
    return np.flatnonzero(there)


# -- a breadth ---------------------------------------------------------------------------------------------------------------


def look_at_breadth(alert: Alert, market: Market, moments: Sequence[Moment], scans: ScansByMoment) -> list[Fired]:
    about = alert.about
    text = about.get("text") or READY.get(about["name"]) or parts_for(alert.owner, "breadth").get(key_of(about["name"]))
    if text is None:
        raise Refused(f"There is no breadth named “{about['name']}” any more.")
    key, _ = universe_key(alert.owner, market, about.get("universe") or None)
    breadth = check_breadth(
        text, with_universes(alert.owner, market, text, parts_for(alert.owner, text)), key or None, market.finest
    )
    for moment in moments:
        series = breadth_series(open_market(), breadth, moment, about.get("by", "day"), about.get("smooth", 1), Limits(SECONDS))
        if about.get("by") == "week":
            series = series.over()
        value = series.smoothed
        if len(value) < 2 or np.isnan(value[-2:]).any() or series.days[-1] < moment.day - 6:
            continue
        level, rises = about["level"], about["way"] == "below"
        if (value[-2] <= level < value[-1]) if rises else (value[-2] >= level > value[-1]):
            shown = (lambda v: f"{v:.1%}") if breadth.shows == "share" else (lambda v: f"{v:,.0f}")
            words = f"{about['name']} {'rose over' if rises else 'fell under'} {shown(level)}"
            lines = [f"{words} {_at(moment)}: it is {shown(value[-1])}, and was {shown(value[-2])} before."]
            return [Fired(moment, words, lines, "/breadth")]
    return []
