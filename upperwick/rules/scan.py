"""The scan as the interface asks for it: counts down the lines, and the table of hits."""

import json
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from upperwick.base.errors import Refused
from upperwick.charts.bars_at import place
from upperwick.jobs.admission import behind, in_turn
from upperwick.market.services import as_of_moment, open_market, request_limits, shown_as
from upperwick.rules.checking import PreparedRule, names_of, prepared
from upperwick.rules.count_cache import keep_answer, kept_answer, key_of
from wickcore.bars.moment import Moment, clock, iso, of_key
from wickcore.language.parser import read_head
from wickcore.language.problems import Problem, RuleError
from wickcore.language.rule import CheckedRule, Value
from wickcore.scan.advice import from_data
from wickcore.scan.block import WEEKDAYS
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.explain import LineTruth, explain
from wickcore.scan.scan import ScanResult, scan, values_at

COLUMNS = ("close", "change", "volume", "rel_volume(20)", "off_high(52w)", "adr(20)")
MOST_COLUMNS = 24
MOST_HITS = 5_000
MOST_LEFT_OUT = 40  # lines to mend beyond which nothing of a rule is counted


@dataclass(frozen=True)
class Column:
    """A column of the table of hits: its expression as written, checked; or the sentence that says what is wrong with it."""

    text: str
    value: Value | None
    error: str | None = None

    @property
    def shown(self) -> str:
        """How a person reads its values: percent, price, amount, number, truth or text."""
        return "number" if self.value is None else shown_as(self.value)


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
            "true": c.true, "false": c.false, "unknown": c.unknown, "left": c.left, "alone": c.alone,
        }
        for c in result.lines
    ]  # fmt: skip


def read_columns(texts: Sequence[str], check: Callable[[str], Value]) -> list[Column]:
    """Each column's checked expression, or what is wrong with it. check: as that of a rule's names, or `check_expression`."""
    found = []
    for text in texts[:MOST_COLUMNS]:
        try:
            found.append(Column(text, check(text)))
        except RuleError as error:
            found.append(Column(text, None, error.problems[0].message))
    return found


def column_rows(columns: Sequence[Column]) -> list[dict[str, Any]]:
    """What the interface needs to show each column."""
    return [{"text": c.text, "shown": c.shown, "error": c.error} for c in columns]


def hit_rows(
    engine: Evaluator, result: ScanResult, columns: Sequence[Column], limits: Limits | None = None
) -> list[dict[str, Any]]:
    """The table of hits: who, how long a hit, and each column's value on the as-of day's scale (None where unknown)."""
    hits = result.hits[:MOST_HITS]
    numbers = np.array([h.number for h in hits], np.int64)
    market = engine.market
    numeric = {c.text: c.value for c in columns if c.value is not None and c.value.type != "text"}
    values: dict[str, Any] = values_at(engine, numeric, numbers, result.as_of, limits)
    cells: dict[str, list[Any]] = {}
    for name, column in values.items():
        if numeric[name].degree == -1:  # a factor leaves a hair on whole shares
            column = np.where(np.abs(column - np.round(column)) <= 1e-9 * np.abs(column), np.round(column), column)
        told = column.astype(bool).tolist() if numeric[name].type == "condition" else column.tolist()
        cells[name] = [None if unknown else v for v, unknown in zip(told, np.isnan(column).tolist(), strict=True)]
    for c in columns:
        if c.value is not None and c.value.type == "text":
            name = str(c.value.op.params[0])
            told = market.bars.symbols if name == "symbol" else market.texts.get(name, ())
            cells[c.text] = [told[h.number] if told else None for h in hits]
            if name == "weekday":  # of the day, not of the instrument
                cells[c.text] = [WEEKDAYS[(result.as_of.day + 3) % 7]] * len(hits)
    sectors = market.texts.get("sector", ())
    return [
        {
            "symbol": h.symbol,
            "name": market.names[h.number] if market.names else h.symbol,
            "sector": sectors[h.number] if sectors else "",
            "days": h.days,
            "longer": h.longer,
            "values": {name: column[i] for name, column in cells.items()},
        }
        for i, h in enumerate(hits)
    ]


def counted(
    owner: Any, text: str, as_of: str | None, universe: str | None, dials: dict[str, float], columns: Sequence[str] = COLUMNS
) -> bytes:
    """As `count`, as JSON: made once for all who ask the same. Raises RuleError and Refused."""
    moment = as_of or str(open_market().market.latest)
    found = prepared(owner, text, dials, universe, as_of=moment)
    market = found.engine.shared
    key = key_of(found.rule.text, found.parts, dials, found.key, found.universe, found.lists, moment, list(columns))
    answer = kept_answer(market, key)
    if answer is None:
        with in_turn():
            answer = kept_answer(market, key)  # made while this one waited for its turn
            if answer is None:
                answer = json.dumps(_counted(found, as_of, columns), ensure_ascii=False).encode()
                keep_answer(market, key, answer)
    return answer


def count(
    owner: Any, text: str, as_of: str | None, universe: str | None, dials: dict[str, float], columns: Sequence[str] = COLUMNS
) -> dict[str, Any]:
    """Checks and scans a rule as typed, each hit with all of its bars in a row. Raises RuleError and Refused."""
    found = prepared(owner, text, dials, universe, as_of=as_of or str(open_market().market.latest))
    with in_turn():
        return _counted(found, as_of, columns, runs=True)


def _counted(found: PreparedRule, as_of: str | None, columns: Sequence[str], runs: bool = False) -> dict[str, Any]:
    """What only the whole history says of it is left to `history`. runs: as `scan` takes it."""
    rule, engine = found.rule, found.engine
    limits = request_limits(only_shown=True)
    result = scan(engine, rule, as_of_moment(engine.market, as_of), found.members, limits, ever=False, runs=runs)
    shown = read_columns(columns, found.names.check)
    hits = hit_rows(engine, result, shown, request_limits(only_shown=True))
    advice = _advised(rule, from_data(engine, rule, limits, ever=False))
    return {
        "as_of": str(result.as_of),
        "partial": result.partial,
        "universe": found.universe,
        "lists": found.lists,
        "side": rule.side,
        "bars": rule.frame,
        "decide": rule.decide,
        "scanned": result.scanned,
        "no_bar": result.no_bar,
        "lines": line_rows(result),
        "columns": column_rows(shown),
        "hits": hits,
        "hits_total": len(result.hits),
        "near_misses": [{"symbol": n.symbol, "line": n.line.number} for n in result.near_misses[:MOST_HITS]],
        "advice": advice,
        "dials": [
            {"name": d.name, "value": d.value, "low": d.low, "high": d.high, "step": d.step, "percent": d.percent, "line": d.line}
            for d in rule.dials
        ],
    }


def _advised(rule: CheckedRule, of_data: Iterable[Problem]) -> list[dict[str, Any]]:
    return [said(p) for p in sorted((*rule.advice, *of_data), key=lambda p: p.line)]


def history(owner: Any, text: str, as_of: str | None, universe: str | None, dials: dict[str, float]) -> dict[str, Any]:
    """What the lines were over the whole history: on what share of all bars each was true, in their order; on how many bars in a row each hit
    has been one; and all advice. It waits behind whatever anybody waits for, and gives way to the same owner's next. Raises RuleError and
    Refused."""
    found = prepared(owner, text, dials, universe, as_of=as_of or str(open_market().market.latest))
    rule, engine = found.rule, found.engine
    with behind(getattr(owner, "pk", None)):
        limits = request_limits(only_shown=True)
        result = scan(engine, rule, as_of_moment(engine.market, as_of), found.members, limits)
        return {
            "as_of": str(result.as_of),
            "ever": [count.ever for count in result.lines],
            "runs": {h.symbol: h.days for h in result.hits[:MOST_HITS]},
            "advice": _advised(rule, from_data(engine, rule, limits)),
        }


def others(text: str, error: RuleError, count: Callable[[str], bytes]) -> dict[str, Any] | None:
    """The counts of a rule without its lines that are to mend, and of what those leave meaningless: {text, without, scan}; None where no
    rule is left, or where it is the head that is wrong. error: what is wrong with the text. count: the counts of a text, as JSON."""
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    head = max((found.line for found in read_head(text).values()), default=0)
    gone: set[int] = set()
    while True:
        broken = {p.line for p in error.problems} - gone
        if not broken or min(broken) <= head or max(broken) > len(lines) or len(gone) > MOST_LEFT_OUT:
            return None
        gone |= broken
        left = "\n".join("#" if n in gone else line for n, line in enumerate(lines, 1))
        try:
            return {"text": left, "without": sorted(gone), "scan": json.loads(count(left))}
        except RuleError as next_error:
            error = next_error
        except Refused:
            return None


def since(owner: Any, text: str, as_of: str | None, universe: str | None, dials: dict[str, float]) -> dict[str, Any]:
    """The hits of the moment stood on against those of the session before: which are new, which stayed, which are gone. Raises RuleError and
    Refused."""
    at = as_of_moment(open_market().market, as_of)
    found = prepared(owner, text, dials, universe, as_of=str(at))
    market = found.engine.market
    before = market.bars.session_on(at.day - 1)
    if before < 0:
        raise Refused("There is no session before this one.")
    earlier = int(market.bars.sessions[before])
    evening = prepared(owner, text, dials, universe, as_of=iso(earlier))
    limits = request_limits(only_shown=True)
    now, then = (
        {h.symbol: h for h in scan(one.engine, one.rule, when, one.members, limits, ever=False, runs=False).hits}
        for one, when in ((found, at), (evening, Moment(earlier)))
    )
    names = market.names or market.bars.symbols
    return {
        "before": iso(earlier),
        "new": sorted(now.keys() - then.keys()),
        "stayed": sorted(now.keys() & then.keys()),
        "gone": [{"symbol": s, "name": names[then[s].number]} for s in sorted(then.keys() - now.keys())],
    }


def as_parquet(owner: Any, text: str, as_of: str | None, columns: Sequence[str], symbols: Sequence[str]) -> bytes:
    """The table of hits as Parquet, the given symbols in the given order. Raises RuleError and Refused."""
    found = count(owner, text, as_of, None, {}, columns)
    row = {hit["symbol"]: hit for hit in found["hits"]}
    rows = [row[s] for s in symbols if s in row] if symbols else found["hits"]
    good = [c["text"] for c in found["columns"] if c["error"] is None]
    import pyarrow as pa
    import pyarrow.parquet as pq

    table = pa.table(
        {
            "day": [found["as_of"]] * len(rows),
            **{key: [r[key] for r in rows] for key in ("symbol", "name", "sector", "days")},
            **{text: [r["values"][text] for r in rows] for text in good},
        }
    )
    sink = pa.BufferOutputStream()
    pq.write_table(table, sink)
    return sink.getvalue().to_pybytes()


def value_of(owner: Any, text: str, expression: str, symbol: str, as_of: str | None) -> dict[str, Any]:
    """One expression, which may name the rule's dials and lets, for one instrument on the as-of day. Raises RuleError and Refused."""
    engine = open_market()
    market = engine.market
    at = as_of_moment(market, as_of)
    engine = engine.stepping("day", at)  # inside a session the day so far
    k, begin, end = place(engine.bars, symbol, at)
    column = Column(expression, names_of(owner, text).check(expression))
    assert column.value is not None
    if column.value.type == "text":
        name = str(column.value.op.params[0])
        told: Any = symbol if name == "symbol" else market.texts.get(name, ("",) * (k + 1))[k]
    elif end <= begin:
        told = None
    else:
        # Its latest bar, though that may lie before the as-of day.
        latest = of_key(int(engine.bars.known_at(np.array([end - 1]))[0]))
        found = values_at(engine, {"value": column.value}, np.array([k]), latest, request_limits(only_shown=True))["value"][0]
        told = None if np.isnan(found) else bool(found) if column.value.type == "condition" else float(found)
    return {"value": told, "shown": column.shown}


def truth_row(found: LineTruth) -> dict[str, Any]:
    """One line of an explanation."""
    return {
        "number": found.line.number, "text": found.line.text, "truth": found.truth, "left_value": found.left,
        "operator": found.operator, "right_value": found.right, "margin": found.margin, "percent": found.percent,
    }  # fmt: skip


def explain_rows(engine: Evaluator, rule: CheckedRule, symbol: str, at: Moment) -> list[dict[str, Any]]:
    """Each line for one instrument at one moment. Raises Refused."""
    try:
        return [truth_row(found) for found in explain(engine, rule, symbol, at, request_limits(only_shown=True))]
    except KeyError:
        raise Refused(f"There is no instrument {symbol}.", 404) from None
    except LookupError:
        raise Refused(f"{symbol} has no bar on {iso(at.day)}{'' if at.closed else f' by {clock(at.minute)}'}.", 404) from None
