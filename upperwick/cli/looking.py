"""The commands that look at one moment or one instrument: scan, values, explain."""

from argparse import Namespace
from typing import Any

from upperwick.cli.shared import Bad, checked, emit, engine_of, members_of, rule_error, say_lacking, standing, symbol_of
from wickcore.language.check import check_expression
from wickcore.language.problems import RuleError


def scan(given: Namespace) -> None:
    """What a rule leaves on one evening, or at a moment inside a session."""
    engine = engine_of(given)
    base = engine.market.finest
    rule = checked(given.rule, base)
    at = standing(engine, given.as_of)
    engine = engine.stepping(rule.frame, at)
    from upperwick.rules.scan import COLUMNS, hit_rows, line_rows, read_columns
    from wickcore.scan.scan import scan as run

    result = run(engine, rule, at, members_of(engine, given, rule))
    say_lacking(engine, {f"Line {line.number}": line.op for line in rule.lines}, given)
    hits = hit_rows(engine, result, read_columns(COLUMNS, lambda text: check_expression(text, base=base)))
    keys = ("number", "text", "true", "false", "unknown", "left", "alone", "depth", "skip")
    report: dict[str, Any] = {
        "as_of": str(result.as_of),
        "partial": result.partial,
        "scanned": result.scanned,
        "no_bar": result.no_bar,
        "lines": [{key: row[key] for key in keys} for row in line_rows(result)],
        "hits": [{"symbol": h["symbol"], "days": h["days"], "values": h["values"]} for h in hits],
        "near_misses": [{"symbol": n.symbol, "line": n.line.number} for n in result.near_misses],
    }
    if given.json:
        return emit(report)
    so_far = f"; the {rule.frame} so far" if result.partial else ""
    print(f"{report['as_of']}: {result.scanned} scanned, {result.no_bar} without a bar that day{so_far}")
    for row in report["lines"]:
        left = "" if row["depth"] or row["skip"] else f"{row['left']:>7}"
        print(f"{left:>7}  {'    ' * row['depth']}{'skip ' if row['skip'] else ''}{row['text']}")
    print(", ".join(h["symbol"] for h in hits) or "No hits.")


def values(given: Namespace) -> None:
    """One expression, bar by bar, up to a moment."""
    engine = engine_of(given)
    market = engine.market
    frame = given.bars or ("day" if any(t.frame == "day" for t in market.tables) else market.finest)
    try:
        value = check_expression(given.expression, frame, market.finest)
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


def explain(given: Namespace) -> None:
    """Each line for one instrument at one moment."""
    engine = engine_of(given)
    rule = checked(given.rule, engine.market.finest)
    from upperwick.refused import Refused
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
