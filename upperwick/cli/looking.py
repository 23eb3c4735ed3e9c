"""The commands that look at one moment, one instrument or the market as a whole: scan, values, explain, breadth."""

import sys
from argparse import Namespace
from pathlib import Path
from typing import Any

from upperwick.cli.shared import Bad, checked, emit, engine_of, members_of, read_rule, rule_error, say_lacking, standing, symbol_of
from wickcore.language.check import check_expression
from wickcore.language.problems import RuleError


def scan(given: Namespace) -> None:
    """What a rule leaves on one evening, or at a moment inside a session."""
    engine = engine_of(given)
    base = engine.market.finest
    rule = checked(given.rule, base, given.universe)
    at = standing(engine, given.as_of)
    engine = engine.stepping(rule.frame, at)
    from upperwick.rules.scan import COLUMNS, hit_rows, line_rows, read_columns
    from wickcore.scan.scan import scan as run

    result = run(engine, rule, at, members_of(engine, given, rule), ever=False, runs=given.json)
    say_lacking(engine, {f"Line {line.number}": line.op for line in rule.lines}, given)
    lines = line_rows(result)
    if not given.json:
        so_far = f"; the {rule.frame} so far" if result.partial else ""
        print(f"{result.as_of}: {result.scanned} scanned, {result.no_bar} without a bar that day{so_far}")
        for row in lines:
            left = "" if row["depth"] or row["skip"] else f"{row['left']:>7}"
            print(f"{left:>7}  {'    ' * row['depth']}{'skip ' if row['skip'] else ''}{row['text']}")
        print(", ".join(h.symbol for h in result.hits) or "No hits.")
        return
    hits = hit_rows(engine, result, read_columns(COLUMNS, lambda text: check_expression(text, base=base)))
    keys = ("number", "text", "true", "false", "unknown", "left", "alone", "depth", "skip")
    report: dict[str, Any] = {
        "as_of": str(result.as_of),
        "partial": result.partial,
        "scanned": result.scanned,
        "no_bar": result.no_bar,
        "lines": [{key: row[key] for key in keys} for row in lines],
        "hits": [{"symbol": h["symbol"], "days": h["days"], "values": h["values"]} for h in hits],
        "near_misses": [{"symbol": n.symbol, "line": n.line.number} for n in result.near_misses],
    }
    emit(report)


def breadth(given: Namespace) -> None:
    """A breadth through all of history: members of each session's day that pass, fail and are unknown, and what it shows."""
    engine = engine_of(given)
    market = engine.market
    text, parts = read_rule(given.rule)
    from wickcore.bars.moment import iso
    from wickcore.bars.universe import UnknownUniverse, read_universe
    from wickcore.breadth.series import MOST_SMOOTHED, breadth_series
    from wickcore.language.breadth import check_breadth

    if not 1 <= given.smooth <= MOST_SMOOTHED:
        raise Bad(f"--smooth is a number of values from 1 to {MOST_SMOOTHED}; this is {given.smooth}.")
    try:
        checked_one = check_breadth(text, parts, given.universe, market.finest)
    except RuleError as error:
        raise rule_error(error) from None
    try:
        if checked_one.universe:
            read_universe(checked_one.universe, market.universes)
    except UnknownUniverse as unknown:
        if given.universe or given.prices is None:
            raise Bad(f"{unknown} Known are: {', '.join(sorted(market.universes)) or 'none'}.") from None
        print(f"The prices hold no universe “{unknown.name}”; all shares are counted.", file=sys.stderr)
        checked_one = checked_one.over("")
    say_lacking(engine, {f"Line {line.number}": line.op for line in checked_one.rule.lines}, given)
    found = breadth_series(engine, checked_one, standing(engine, given.as_of), given.by, given.smooth)
    so_far = checked_one.frame != "day" and found.frame == "day"
    value, mean = ([None if v != v else v for v in column.tolist()] for column in (found.value, found.smoothed))
    report: dict[str, Any] = {
        "universe": checked_one.universe or None, "bars": checked_one.frame, "by": found.frame, "shows": checked_one.shows,
        "so_far": so_far, "running": found.running, "days": [iso(day) for day in found.days], "pass": found.passed.tolist(),
        "fail": found.failed.tolist(), "unknown": found.unknown.tolist(),
        "share": [None if not p + f else p / (p + f) for p, f in zip(found.passed.tolist(), found.failed.tolist(), strict=True)],
        "value": value, **({"smoothed": mean} if given.smooth > 1 else {}),
    }  # fmt: skip
    names = [name for name in ("days", "pass", "fail", "unknown", "share", "value", "smoothed") if name in report]
    rows = list(zip(*(report[name] for name in names), strict=True))
    if given.csv is not None:
        _write_csv(given.csv, ["day" if name == "days" else name for name in names], rows)
    if given.json:
        return emit(report)
    if so_far:
        print(f"A session counts the {checked_one.frame} so far.", file=sys.stderr)
    for day, passed, failed, not_known, share, *_ in rows[-20:]:
        print(f"{day}  {passed:>6} pass {failed:>6} fail {not_known:>6} unknown  {'' if share is None else f'{share:>7.1%}'}")


def _write_csv(path: Path, head: list[str], rows: list[Any]) -> None:
    import csv

    from upperwick.base.outgoing import in_csv

    try:
        with path.open("w", newline="", encoding="utf-8") as sink:
            write = csv.writer(sink, lineterminator="\n")
            write.writerows([in_csv(cell) for cell in row] for row in (head, *rows))
    except OSError as error:
        raise Bad(f"{path} cannot be written: {error}.") from None


def values(given: Namespace) -> None:
    """One expression, bar by bar, up to a moment."""
    engine = engine_of(given)
    market = engine.market
    frame = given.bars or ("day" if any(t.frame == "day" for t in market.tables) else market.finest)
    try:
        value = check_expression(given.expression, frame, market.finest, _universe(market, given), lent=True)
    except RuleError as error:
        raise rule_error(error) from None
    if value.type == "text":
        raise Bad("A number or a condition is needed; this is a text.")
    at = standing(engine, given.as_of)
    say_lacking(engine, {"This": value.op}, given)
    from wickcore.bars.moment import clock, iso
    from wickcore.scan.explain import values as run

    days, times, found = run(engine, value, symbol_of(engine, given.symbol), frame, at)
    told = [None if t is None else clock(t) for t in times]
    if given.json:
        inner = {"times": told} if any(told) else {}
        return emit({"days": [iso(d) for d in days], **inner, "values": found})
    for day, time, v in zip(days, told, found, strict=True):
        print(iso(day) if time is None else f"{iso(day)}T{time}", "" if v is None else v, sep="\t")


def _universe(market: Any, given: Namespace) -> str:
    """The universe that was chosen, which exists; "" for none. Raises Bad."""
    from wickcore.bars.universe import UnknownUniverse, read_universe

    try:
        if given.universe:
            read_universe(given.universe, market.universes)
        return given.universe or ""
    except UnknownUniverse as unknown:
        raise Bad(f"{unknown} Known are: {', '.join(sorted(market.universes)) or 'none'}.") from None


def explain(given: Namespace) -> None:
    """Each line for one instrument at one moment."""
    engine = engine_of(given)
    rule = checked(given.rule, engine.market.finest, given.universe)
    from upperwick.base.errors import Refused
    from upperwick.rules.scan import explain_rows
    from wickcore.bars.moment import read_moment

    try:
        rows = explain_rows(engine, rule, symbol_of(engine, given.symbol), read_moment(given.day))
    except ValueError as error:
        raise Bad(str(error)) from None
    except Refused as error:
        raise Bad(error.detail) from None
    if given.json:
        return emit({"lines": rows})
    for row in rows:
        said = {True: "true   ", False: "false  ", None: "unknown"}[row["truth"]]
        sides = "" if row["left_value"] is None else f"   {row['left_value']:.6g} {row['operator']} {row['right_value']:.6g}"
        print(f"{row['number']:>4} {said} {row['text']}{sides}")
