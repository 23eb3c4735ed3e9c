"""The scan as the interface asks for it: counts down the lines, and the table of hits."""

from typing import Any

import numpy as np

from upperwick.market.files import iso
from upperwick.market.services import as_of_day, column, members_of, open_market, request_limits
from upperwick.problems import Refused
from wickcore.language.check import check_rule
from wickcore.language.problems import Problem
from wickcore.language.rule import CheckedRule
from wickcore.scan.advice import from_data
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.explain import LineTruth, explain
from wickcore.scan.scan import ScanResult, scan, values_at

COLUMNS = {
    "close": "close", "change": "change", "volume": "volume", "rel_volume": "rel_volume(20)", "off_high": "off_high(52w)",
    "adr": "adr(20)",
}  # fmt: skip
MOST_HITS = 5_000


def said(problem: Problem) -> dict[str, Any]:
    """A problem as the interface and the command line give it."""
    return {
        "line": problem.line, "column": problem.column, "length": problem.length, "message": problem.message, "mend": problem.mend,
    }  # fmt: skip


def line_rows(result: ScanResult) -> list[dict[str, Any]]:
    """The taper, one row a line. `left` counts down the lines that decide; a line inside a group or skipped decides nothing."""
    return [
        {
            "number": c.line.number, "text": c.line.text, "depth": c.line.depth, "skip": c.line.skip, "part": c.line.part,
            "true": c.true, "false": c.false, "unknown": c.unknown, "left": c.left, "alone": c.alone, "ever": c.ever,
        }
        for c in result.lines
    ]  # fmt: skip


def hit_rows(engine: Evaluator, result: ScanResult, columns: dict[str, str] | None = None) -> list[dict[str, Any]]:
    """The table of hits: who, how long a hit, and the values of each column on the as-of day's scale."""
    hits = result.hits[:MOST_HITS]
    positions = np.array([h.position for h in hits], np.int64)
    texts = columns or COLUMNS
    values = values_at(engine, {name: column(text) for name, text in texts.items()}, positions, result.as_of)
    market = engine.market
    sectors = market.texts.get("sector", ())
    return [
        {
            "symbol": h.symbol,
            "name": market.names[h.number] if market.names else h.symbol,
            "sector": sectors[h.number] if sectors else "",
            "days": h.days,
            "values": {name: None if np.isnan(column[i]) else float(column[i]) for name, column in values.items()},
        }
        for i, h in enumerate(hits)
    ]


def count(text: str, parts: dict[str, str], as_of: str | None, universe: str | None, dials: dict[str, float]) -> dict[str, Any]:
    """Checks and scans a rule as typed. Raises RuleError and Refused."""
    rule = check_rule(text, parts, dials, universe or None)
    engine = open_market()
    day = as_of_day(engine.market, as_of)
    chosen = rule.universe
    result = scan(engine, rule, day, members_of(engine.market, chosen), request_limits())
    return {
        "as_of": iso(day),
        "universe": chosen,
        "side": rule.side,
        "bars": rule.frame,
        "decide": rule.decide,
        "scanned": result.scanned,
        "no_bar": result.no_bar,
        "lines": line_rows(result),
        "hits": hit_rows(engine, result),
        "hits_total": len(result.hits),
        "near_misses": [{"symbol": n.symbol, "line": n.line.number} for n in result.near_misses[:MOST_HITS]],
        "advice": [said(p) for p in (*rule.advice, *from_data(engine, rule))],
        "dials": [
            {"name": d.name, "value": d.value, "low": d.low, "high": d.high, "step": d.step, "percent": d.percent, "line": d.line}
            for d in rule.dials
        ],
    }


def truth_row(found: LineTruth) -> dict[str, Any]:
    """One line of an explanation."""
    return {
        "number": found.line.number, "text": found.line.text, "truth": found.truth, "left_value": found.left,
        "operator": found.operator, "right_value": found.right, "margin": found.margin,
    }  # fmt: skip


def explain_rows(engine: Evaluator, rule: CheckedRule, symbol: str, day: int) -> list[dict[str, Any]]:
    """Each line for one instrument on one day. Raises Refused."""
    try:
        return [truth_row(found) for found in explain(engine, rule, symbol, day)]
    except KeyError:
        raise Refused(f"There is no instrument {symbol}.", 404) from None
    except LookupError:
        raise Refused(f"{symbol} has no bar on {iso(day)}.", 404) from None
