"""Precedents as the interface asks for them: what is true of a morning, and how the sessions went that began so."""

from collections import OrderedDict
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from functools import lru_cache
from threading import Lock
from typing import Any

import numpy as np

from upperwick.base.errors import Refused
from upperwick.jobs.admission import in_turn
from upperwick.jobs.services import digest_of
from upperwick.market.services import as_of_moment, open_market, request_limits
from upperwick.precedents.models import PrecedentLook
from upperwick.rules.checking import with_universes
from upperwick.rules.services import parts_for
from wickcore.bars.market import Market
from wickcore.bars.moment import iso
from wickcore.language.check import check_rule
from wickcore.language.operations import Op
from wickcore.language.rule import CheckedRule
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.precedents import morning as mornings
from wickcore.precedents.morning import Morning, Stage, needs_all, next_session, stages_of
from wickcore.precedents.outcomes import Sessions, chosen, dots, outcome, sessions_of, taper, way
from wickcore.precedents.statements import BOTH_WAYS, GROUPS, Statement, statements_of
from wickcore.precedents.verdict import at_least_once, precedents_verdict

MOST_INDICES, MOST_OFFERED, MOST_EACH, MOST_MORNINGS, MOST_SETS = 4, 40, 400, 6, 5_000
HEAD = "decide: open"

_mornings: OrderedDict[tuple[Any, ...], Morning] = OrderedDict()
_lock = Lock()


@dataclass(frozen=True)
class Begun:
    """Which morning is looked at. session: since 1970. indices: those side by side, the chosen one among them. offered: all that can be."""

    market: Market
    session: int
    evening: int
    stage: Stage
    stages: tuple[Stage, ...]
    indices: list[str]
    index: str
    offered: list[str]


def offered(market: Market) -> list[str]:
    """The instruments whose mornings can be looked at: those with overnight bars, else the indices, else any; the benchmark first."""
    symbols, night = market.bars.symbols, market.overnight.get("close")
    kinds = market.texts.get("kind", ())
    found = [] if night is None else [symbols[k] for k in np.flatnonzero(np.diff(night.offsets)).tolist()]
    found = found or [s for s, kind in zip(symbols, kinds, strict=False) if kind == "index"] or list(symbols)
    return sorted(found, key=lambda s: s != market.benchmark)[:MOST_OFFERED]


def begun(asked: dict[str, Any]) -> Begun:
    """The morning that is meant: the next session after an evening, or the one that runs. Raises Refused."""
    market = open_market().market
    moment = as_of_moment(market, asked["as_of"])
    session = moment.day if not moment.closed else next_session(market, moment.day)
    known = offered(market)
    wanted = [s.upper() for s in asked["indices"]] or known[:MOST_INDICES]
    for symbol in wanted:
        if symbol not in market.bars.number:
            raise Refused(f"There is no instrument {symbol}.", 422)
    index = (asked["index"] or wanted[0]).upper()
    if index not in wanted:
        raise Refused(f"{index} is not among those that are looked at: {', '.join(wanted)}.", 422)
    stages = stages_of(market, session, wanted)
    usual: Stage = stages[-1] if not moment.closed else "night" if "night" in stages else "evening"
    stage: Stage = next((s for s in stages if s == asked["stage"]), usual)
    before = market.bars.session_on(session - 1)
    evening = int(market.bars.sessions[before]) if before >= 0 else session - 1
    return Begun(market, session, evening, stage, stages, wanted, index, known)


def _morning(at: Begun, whole: bool) -> Morning:
    """The morning laid out, the latest kept. What looks at an owner's lists is laid out anew: lists are no part of the market's version."""
    key = (at.market.version, at.session, at.stage, tuple(at.indices), whole)
    with _lock:
        found = _mornings.get(key)
        if found is None:
            found = mornings.morning(at.market, at.session, at.stage, at.indices, whole)
            _mornings[key] = found
            while len(_mornings) > MOST_MORNINGS:
                _mornings.popitem(last=False)
            for old in [k for k in _mornings if k[0] != at.market.version or (k[4] and k != key)]:
                del _mornings[old]
        _mornings.move_to_end(key)
        if whole:
            found.engine.market._lists.update(at.market._lists)
        return found


def text_of(base: str, lines: Sequence[str]) -> str:
    """The ticked lines as a rule, or behind the rule they are added to."""
    return "\n".join([base.rstrip() or HEAD, *lines]) + "\n"


def _checked(owner: Any, market: Market, text: str) -> CheckedRule | None:
    """The rule of a morning; None where nothing is ticked yet. Raises RuleError, and Refused for one that decides at the close."""
    if text.strip() == HEAD:
        return None
    parts = with_universes(owner, market, text, parts_for(owner, text))
    rule = check_rule(text, parts, universe="", base="day")
    if rule.decide != "open" or rule.frame != "day":
        raise Refused(
            "Precedents are of rules that decide at the open, on day bars: write `decide: open` in the head of the rule.", 422
        )
    return rule


def looked(owner: Any, asked: dict[str, Any]) -> dict[str, Any]:
    """What is true of the morning, the taper of what is ticked, and how such sessions went. Raises RuleError, Refused and Stopped."""
    at = begun(asked)
    text = text_of(asked["text"], asked["lines"])
    rule = _checked(owner, at.market, text)
    ways: list[tuple[str, CheckedRule | None]] = [("", rule)]
    if asked["both"] is not None:
        ways = [(line, _checked(owner, at.market, text_of(text, [line]))) for line in BOTH_WAYS[asked["both"]]]
    first = None if asked["first"] is None else _day_of(asked["first"])
    limits = request_limits()
    with in_turn():
        told = _told(at, first)
        results = []
        for line, one in ways:
            ops = [] if one is None else [x.op for x in one.deciding]
            laid = _morning(at, needs_all(ops, at.indices))
            results.append((line, one, {s: sessions_of(laid, s, ops, first, limits) for s in at.indices}, laid))
    sets = _count_set(owner, at, [one for _, one, _, _ in results])
    _, _, own, laid = results[0]
    head = own[at.index]
    plain = sessions_of(laid, at.index, [] if rule is None else [x.op for x in rule.deciding], first, limits)
    return {
        "session": iso(at.session),
        "evening": iso(at.evening),
        "stage": at.stage,
        "stages": list(at.stages),
        "index": at.index,
        "indices": [{"symbol": s, "name": _name(at.market, s)} for s in at.indices],
        "offered": [{"symbol": s, "name": _name(at.market, s)} for s in at.offered],
        "groups": told,
        "text": text,
        "lines": [
            {"text": x.text, "left": left, "this": _truth(this), "number": x.number}
            for x, left, this in zip(rule.deciding if rule else (), taper(plain)[1:], plain.this, strict=True)
        ],
        "sessions": len(head.days),
        "since": iso(head.days[0]) if len(head.days) else None,
        "sets": sets,
        "results": [_result(line, of, laid_, asked, at, sets) for line, _, of, laid_ in results],
    }


def _truth(value: int) -> bool | None:
    return None if value == UNKNOWN else value == TRUE


def _name(market: Market, symbol: str) -> str:
    k = market.bars.number[symbol]
    return market.names[k] if market.names and market.names[k] else symbol


@lru_cache(1_000)
def _op(line: str) -> Op:
    """Kept: a hundred statements are looked at with every morning, and are the same lines each time."""
    return check_rule(text_of("", [line])).lines[0].op


def _told(at: Begun, first: int | None) -> list[dict[str, Any]]:
    """The statements by group: those that are true this morning, rarest first, and those that are open until the bell."""
    statements = statements_of(at.market.events)
    ops = [_op(s.line) for s in statements]
    found = sessions_of(_morning(at, False), at.index, ops, first)
    rows: dict[str, list[dict[str, Any]]] = {name: [] for name in GROUPS}
    for statement, truth, known, this in zip(statements, found.truths, found.known, found.this, strict=True):
        if this == TRUE or (statement.known == "bell" and at.stage != "bell"):
            share = float(truth.sum() / known.sum()) if known.any() else None
            rows[statement.group].append(_statement(statement, this, share))
    return [
        {"name": name, "statements": sorted(of, key=lambda s: (s["true"] is None, s["share"] or 0.0))}
        for name, of in rows.items()
        if of
    ]


def _statement(one: Statement, this: int, share: float | None) -> dict[str, Any]:
    both = next((i for i, pair in enumerate(BOTH_WAYS) if one.line in pair), None)
    return {"line": one.line, "words": one.words, "share": share, "true": _truth(this), "both": both if this == UNKNOWN else None}


def _count_set(owner: Any, at: Begun, rules: Sequence[CheckedRule | None]) -> int:
    """Counts the sets of lines that are looked at now among those of this session, and says how many they are."""
    mine = PrecedentLook.objects.filter(owner=owner, session=at.session)
    for rule in rules:
        if rule is not None and mine.count() < MOST_SETS:
            digest = digest_of(sorted(line.op.key for line in rule.deciding))
            PrecedentLook.objects.get_or_create(owner=owner, session=at.session, digest=digest)
    return mine.count()


def _result(line: str, of: dict[str, Sessions], laid: Morning, asked: dict[str, Any], at: Begun, sets: int) -> dict[str, Any]:
    """One way the morning can go: each index's figures and dots, the verdict of the chosen one, and each of its precedents."""
    panels = []
    own = of[at.index]
    for symbol, found in of.items():
        went, mine = way(laid, found, asked["closes"], asked["cost"]), chosen(found)
        figures = outcome(went, mine)
        panels.append({"symbol": symbol, **asdict(figures), "few": figures.few, "dots": asdict(dots(went, mine))})
        if symbol == at.index:
            told = figures
    return {
        "line": line,
        "verdict": precedents_verdict(told, asked["closes"], sets),
        "luck": told.luck,
        "one_of_sets": None if told.luck is None else at_least_once(told.luck, sets),
        "panels": panels,
        "each": _each(laid, own, asked["cost"]),
        "more": max(0, int(chosen(own).sum()) - MOST_EACH),
    }


def _each(laid: Morning, own: Sessions, cost: float) -> list[dict[str, Any]]:
    """Every precedent of the chosen index, the latest first."""
    same, following = way(laid, own, 0, cost), way(laid, own, 1, cost)

    def told(value: Any) -> float | None:
        return None if np.isnan(value) else float(value)

    return [
        {
            "day": iso(own.days[i]), "night": told(own.night[i]), "gap": told(own.gap[i]), "worst": told(same.worst[i]),
            "best": told(same.best[i]), "session": told(same.value[i]), "next": told(following.value[i]),
        }
        for i in np.flatnonzero(chosen(own))[::-1][:MOST_EACH].tolist()
    ]  # fmt: skip


def _day_of(said: str) -> int:
    """A date as days since 1970. Raises Refused for one that is none, such as 2024-02-31."""
    try:
        return int(np.datetime64(said, "D").astype(int))
    except ValueError:
        raise Refused(f"`{said}` is not a date of the form 2024-06-28.", 422) from None


def session_chart(symbol: str, day: str) -> dict[str, Any]:
    """One session's five-minute bars with the night before them, as printed. Raises Refused."""
    market = open_market().market
    if symbol not in market.bars.number:
        raise Refused(f"There is no instrument {symbol}.", 404)
    session = _day_of(day)
    k = market.bars.number[symbol]
    found: dict[str, Any] = {
        "symbol": symbol,
        "name": _name(market, symbol),
        "day": day,
        "before": None,
        "night": None,
        "bars": [],
        "daily": None,
    }
    rows = slice(int(market.bars.offsets[k]), int(market.bars.offsets[k + 1]))
    days = market.bars.days[rows]
    at = int(np.searchsorted(days, session))
    if at and len(days):
        scale = 1.0
        if at < len(days) and days[at] == session:
            scale = float(market.bars.factor[rows][at - 1] / market.bars.factor[rows][at])
        found["before"] = float(market.bars.close[rows][at - 1] * scale)
    if at < len(days) and days[at] == session:
        found["daily"] = {name: float(getattr(market.bars, name)[rows][at]) for name in ("open", "high", "low", "close")}
    dated = market.overnight
    if dated:
        part = slice(int(dated["close"].offsets[k]), int(dated["close"].offsets[k + 1]))
        place = int(np.searchsorted(dated["close"].days[part], session))
        if place < part.stop - part.start and dated["close"].days[part][place] == session:
            found["night"] = {name: float(column.values[part][place]) for name, column in dated.items()}
    if market.finest != "day":
        inner = market.table("5min")
        begin, end = int(inner.offsets[k]), int(inner.offsets[k + 1])
        low, high = np.searchsorted(inner.days[begin:end], [session, session + 1]) + begin
        assert inner.minute is not None
        found["bars"] = [
            {"minute": int(inner.minute[i]), **{name: float(getattr(inner, name)[i]) for name in ("open", "high", "low", "close")}}
            for i in range(int(low), int(high))
        ]
    return found
