"""A breadth as the interface asks for it: its series beside an index, and what came after its passings of a level."""

from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from upperwick.base.errors import Refused
from upperwick.bench.lists import universe_key
from upperwick.charts.series import rounded
from upperwick.data.quality.findings import open_in
from upperwick.jobs.admission import in_turn
from upperwick.market.services import as_of_moment, open_market, request_limits
from upperwick.rules.checking import with_universes
from upperwick.rules.naming import header_in
from upperwick.rules.services import parts_for
from wickcore.bars.market import Market
from wickcore.bars.moment import iso
from wickcore.breadth.passings import HORIZONS, After, after, index_closes, passings
from wickcore.breadth.series import BreadthSeries, breadth_series
from wickcore.breadth.verdict import passing_verdict
from wickcore.language.breadth import CheckedBreadth, check_breadth
from wickcore.language.problems import nearest
from wickcore.scan.evaluate import Evaluator

MOST_LISTED = 500  # passings that are listed, the latest; all are marked and measured


@dataclass(frozen=True)
class Looked:
    """A breadth set up for its owner. universe: as written; lists: the owner's lists in it, which know nothing of dates."""

    breadth: CheckedBreadth
    engine: Evaluator
    series: BreadthSeries
    universe: str | None
    lists: list[str]
    beside: str | None

    @property
    def market(self) -> Market:
        return self.engine.market


def looked(owner: Any, asked: dict[str, Any]) -> Looked:
    """Computes a breadth as asked. Raises RuleError, Refused and Stopped."""
    engine = open_market()
    market = engine.market
    text = asked["text"]
    wanted = asked.get("universe") or header_in(text, "universe")
    key, lists = universe_key(owner, market, wanted)
    parts = with_universes(owner, market, text, parts_for(owner, text))
    breadth = check_breadth(text, parts, key, market.finest)
    with in_turn():
        series = breadth_series(
            engine, breadth, as_of_moment(market, asked["as_of"]), asked["by"], asked["smooth"], request_limits()
        )
    return Looked(breadth, engine, series, wanted or None, lists, _beside(market, asked.get("beside")))


def _beside(market: Market, symbol: str | None) -> str | None:
    """The instrument that is drawn beside it: the one named, else the benchmark. Raises Refused for one that is not there."""
    chosen = (symbol or market.benchmark or "").upper()
    if not chosen:
        return None
    if chosen not in market.bars.number:
        near = nearest(chosen, market.bars.symbols)
        raise Refused(f"There is no instrument {chosen}{f'; did you mean {near}?' if near else '.'}", 422)
    return chosen


def whole(owner: Any, asked: dict[str, Any]) -> dict[str, Any]:
    """The series, the index beside it, and the passings of the level."""
    found = looked(owner, asked)
    series, market = found.series, found.market
    symbols = None if found.universe is None else _members(found)
    return {
        "universe": found.universe,
        "lists": found.lists,
        "bars": found.breadth.frame,
        "shows": found.breadth.shows,
        "signed": found.breadth.signed or found.breadth.shows == "sum",
        "weighed": found.breadth.weight is not None,
        "by": series.frame,
        "running": series.running,
        "days": [iso(d) for d in series.days],
        "passed": series.passed.tolist(),
        "failed": series.failed.tolist(),
        "unknown": series.unknown.tolist(),
        "value": rounded(series.value),
        "smoothed": rounded(series.smoothed),
        "lines": [{"number": x.number, "text": x.text, "part": x.part} for x in found.breadth.rule.lines if x.decides],
        "beside": found.beside,
        "index": [] if found.beside is None else rounded(_printed(market, found.beside, series)),
        "passings": followed(found, asked),
        "findings": open_in(symbols),
    }


def _members(found: Looked) -> list[str] | None:
    """Who ever belonged to its universe; None for all."""
    marks = found.market.members(found.breadth.universe, "day")
    if marks is None:
        return None
    bars = found.market.bars
    return [bars.symbols[k] for k in np.unique(bars.owner[marks])]


def _printed(market: Market, symbol: str, series: BreadthSeries) -> Any:
    """The index's closes on the scale of the series' last day."""
    bars = market.bars
    k = bars.number[symbol]
    end = int(bars.ends(int(series.days[-1]))[k]) if len(series.days) else 0
    scale = float(bars.factor[end - 1]) if end > bars.offsets[k] else 1.0
    return index_closes(market, symbol, series.days) / scale


def followed(found: Looked, asked: dict[str, Any]) -> dict[str, Any] | None:
    """The passings of the level, each with what the index did afterwards; None where no level is set or there is no index."""
    level, way = asked.get("level"), asked["way"]
    if level is None or found.beside is None:
        return None
    over = found.series.over()
    times = passings(over, level, way)
    close = index_closes(found.market, found.beside, over.days)
    horizons = [after(times, close, h) for h in HORIZONS[over.frame]]
    return {
        "level": level,
        "way": way,
        "days": [iso(p.day) for p in times],
        "rows": [
            {
                "day": iso(p.day),
                "extreme": p.extreme,
                "returns": [None if np.isnan(h.returns[i]) else float(h.returns[i]) for h in horizons],
                "counted": [bool(h.counted[i]) for h in horizons],
            }
            for i, p in list(enumerate(times))[-MOST_LISTED:]
        ],
        "after": [_after(h, over.frame) for h in horizons],
    }


def _after(found: After, frame: str) -> dict[str, Any]:
    told = {k: v for k, v in asdict(found).items() if k not in ("returns", "counted")}
    return {**told, "better": found.better, "verdict": passing_verdict(found, frame)}
