"""Names with a meaning of their own: `on`, `first_of`, `stacked`, `rank`, `breadth`, `benchmark` and `event`."""

import itertools
from collections.abc import Callable
from functools import cache

from wickcore.bars.frame_names import FRAMES, finer
from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.comparisons import pair
from wickcore.language.entry import SHARE, SIGNED
from wickcore.language.foreign_scale import lent
from wickcore.language.lint import in_a_month
from wickcore.language.named_texts import key_of, name_of
from wickcore.language.operations import Op, every
from wickcore.language.problems import RuleError, nearest
from wickcore.language.ready_breadths import READY
from wickcore.language.recurrence import PRIOR, NotCarried, program_of
from wickcore.language.rule import Overlay, Value
from wickcore.language.scope import Scope
from wickcore.language.session_forms import SESSION_FORMS


def on(e: Scope, node: tree.Call) -> Value:
    if len(node.arguments) != 2 or any(a.name for a in node.arguments):
        e.fail(node.span, "`on` takes a frame and an expression: `on(week, close > sma(40))`.")
    frame = _frame_named(e, node.arguments[0].value)
    in_a_month(e, node)
    return e.in_frame(frame, lambda: e.check(node.arguments[1].value), node.arguments[0].value.span)


def first_of(e: Scope, node: tree.Call) -> Value:
    if len(node.arguments) != 1:
        e.fail(node.span, "`first_of` takes a frame: `first_of(month)`.")
    frame = _frame_named(e, node.arguments[0].value)
    if not finer(e.frame, frame) and e.inside is not None:  # where `vwap` begins when nothing else is said
        e.fail(
            node.span,
            f"On {e.frame} bars `{e.source(node)}` needs where it begins, such as `vwap(first_of(month))`; from the session's open it "
            "is counted on bars within the day: `on(5min, vwap)`.",
            "on(5min, vwap)" if e.source(node) == "vwap" else None,
        )
    if not finer(e.frame, frame):
        e.fail(node.span, f"`first_of` takes a frame coarser than the bars it is asked on, which are {e.frame} bars.")
    return Value(Op("opens", (), (frame,), e.frame, "condition"), "condition")


def last_of(e: Scope, node: tree.Call) -> Value:
    if len(node.arguments) != 1:
        e.fail(node.span, "`last_of` takes a frame: `last_of(month)`.")
    frame = _frame_named(e, node.arguments[0].value)
    if not finer("day", frame):
        e.fail(node.span, "`last_of` takes week, month, quarter or year: it tells of sessions.")
    return Value(Op("last_of", (), (frame,), "day", "condition"), "condition")


@cache
def _averages() -> tuple[str, ...]:
    """Those of one source."""
    return tuple(e.name for e in CATALOGUE.entries.values() if e.family == "averages" and len(e.parameters) == 2)


def stacked(e: Scope, node: tree.Call) -> Value:
    hint = "`stacked` takes an average and two numbers of bars or more: `stacked(sma, 20, 50, 200)`."
    named = node.arguments[0].value if node.arguments else None
    if not isinstance(named, tree.Name) or len(node.arguments) < 3 or any(a.name for a in node.arguments):
        e.fail(node.span, hint)
    if named.name not in _averages():
        near = nearest(named.name, _averages())
        e.fail(named.span, f"`{named.name}` is not an average of one source" + (f": did you mean `{near}`?" if near else "."), near)
    values = []
    for argument in node.arguments[1:]:
        n = e.bar_count(argument.value, 1, "A number of bars of `stacked`")
        count = tree.Count(float(n), None, argument.value.span)
        frame = argument.value.frame if isinstance(argument.value, tree.Count) else None
        call = tree.Call(named.name, (tree.Argument(None, count, argument.span),), argument.span, named.span)
        values.append(e.in_frame(frame, lambda call=call: e.check(call)) if frame else e.check(call))  # type: ignore[misc]
        if e.inside is None:
            e.overlays.append(Overlay(f"{named.name}({e.source(argument.value)})", values[-1].op))
    return Value(every([pair(e, a, ">", b, node.span) for a, b in itertools.pairwise(values)]), "condition")


def rank(e: Scope, node: tree.Call) -> Value:
    plain = [a for a in node.arguments if a.name is None]
    among = [a.value for a in node.arguments if a.name == "in"]
    if len(plain) != 1 or len(plain) + len(among) != len(node.arguments):
        e.fail(
            node.span,
            "`rank` takes an expression, and `in=sector` where it ranks within sectors: `rank(change(63), in=sector)`.",
        )
    within = among[0].name if among and isinstance(among[0], tree.Name) else "universe" if not among else ""
    if within not in ("universe", "sector"):
        e.fail(among[0].span, "`rank` ranks in=universe or in=sector.", "sector")
    value = e.number(plain[0].value)
    return Value(Op("rank", (e.unscaled(value),), (e.universe, "sector" if within == "sector" else "")), "number", 0)


def benchmark(e: Scope, node: tree.Call) -> Value:
    if len(node.arguments) != 1 or node.arguments[0].name:
        e.fail(node.span, "`benchmark` takes one expression: `benchmark(close)`.")
    return _of_another(e, node.arguments[0].value, "benchmark")


def _of_another(e: Scope, node: tree.Node, kind: str, *params: str) -> Value:
    before = list(e.pairs), list(e.overlays)
    value = e.returned(e.check(node))
    e.pairs, e.overlays = before  # what lies inside is of another instrument
    if value.type == "text":
        e.fail(node.span, "A number or a condition of the other instrument is needed here.")
    if value.type == "condition":
        return Value(Op(kind, (value.op,), params, result="condition"), "condition")
    scale = lent(kind, params, value.degree or 0.0, value.shift)
    return Value(Op(kind, (value.op,), params), "number", 0, lent=scale)


def of(e: Scope, node: tree.Call) -> Value:
    symbol = node.arguments[0].value if len(node.arguments) == 2 and not any(a.name for a in node.arguments) else None
    if not isinstance(symbol, tree.Text):
        e.fail(node.span, '`of` takes a symbol in quotes and an expression: `of("ABC", close)`.')
    return _of_another(e, node.arguments[1].value, "of", symbol.value)


def group(e: Scope, node: tree.Call) -> Value:
    plain = [a for a in node.arguments if a.name is None]
    by = [a.value for a in node.arguments if a.name == "by"]
    if len(plain) != 1 or len(plain) + len(by) != len(node.arguments):
        e.fail(
            node.span, "`group` takes an expression, and `by=sector` for the mean of the sector: `group(change(20), by=sector)`."
        )
    within = by[0].name if by and isinstance(by[0], tree.Name) else "universe" if not by else ""
    if within not in ("universe", "sector"):
        e.fail(by[0].span, "`group` takes by=universe or by=sector.", "sector")
    value = e.number(plain[0].value)
    return Value(Op("group", (e.unscaled(value),), (e.universe, "sector" if within == "sector" else "")), "number", 0)


def carry(e: Scope, node: tree.Call) -> Value:
    if len(node.arguments) != 2 or any(a.name for a in node.arguments):
        e.fail(node.span, "`carry` takes the first value and the next one: `carry(low, max(prior, low))`.")
    if PRIOR in e.bound:
        e.fail(node.span, "One `carry` cannot stand inside another; give the inner one a name with `let` first.")
    first_node, next_node = (a.value for a in node.arguments)
    first = e.number(first_node)
    prior = Value(Op("prior"), "number", first.degree or 0, None, first.weight)
    before = e.bound
    e.bound = {**before, PRIOR: prior}
    try:
        following = e.number(next_node)
    finally:
        e.bound = before
    begin, then, degree = e.same_scale(first, following, node.span)
    try:
        columns, program = program_of(then)
    except NotCarried as unfit:
        e.fail(next_node.span, str(unfit))
    return Value(Op("carry", (begin, *columns), (program,), e.frame), "number", degree or 0, None, first.weight)


MOST_OPENED = 32  # breadths that name one another


def breadth(e: Scope, node: tree.Call) -> Value:
    plain = [a for a in node.arguments if a.name is None]
    over = [a.value for a in node.arguments if a.name == "for"]
    if len(plain) != 1 or len(plain) + len(over) != len(node.arguments) or len(over) > 1:
        hint = "`breadth` takes the name of a breadth in quotes or a condition, and may be told a universe"
        e.fail(node.span, f'{hint}: `breadth("Above the 50-day average")`, `breadth(close > sma(50), for="ABC 100")`.')
    if over and not isinstance(over[0], tree.Text):
        e.fail(over[0].span, 'The universe of `breadth` stands in quotes: `for="ABC 100"`.', f'"{e.source(over[0])}"')
    universe = e.universe_named(over[0].value) if over and isinstance(over[0], tree.Text) else None
    first = plain[0].value
    if isinstance(first, tree.Text):
        return _kept_breadth(e, node, first, universe)
    before = list(e.pairs), list(e.overlays)
    try:
        condition = e.condition(first)
    finally:
        e.pairs, e.overlays = before  # what lies inside is of other instruments
    op = Op("breadth", (condition.op,), (e.universe if universe is None else universe, "share", e.frame, ""))
    return Value(op, "number", 0, bounds=SHARE, fraction=True)


def _kept_breadth(e: Scope, node: tree.Call, named: tree.Text, universe: str | None) -> Value:
    # Imported here: a breadth is the text of a rule, which is checked by what checks this.
    from wickcore.language.breadth import check_breadth

    name = named.value
    text = e.parts.get(key_of(name)) or READY.get(name)
    if text is None:
        known = [*(found for key in e.parts if (found := name_of(key)) is not None), *READY]
        near = nearest(name, known)
        hint = f": did you mean “{near}”?" if near else "; keep it first at the place Breadth."
        e.fail(named.span, f"There is no breadth named “{name}”{hint}", f'"{near}"' if near else None)
    if name in e.opened:
        way = " → ".join(f"“{n}”" for n in (*e.opened[e.opened.index(name) :], name))
        e.fail(node.span, f"The breadth “{name}” needs itself ({way}); break the circle.")
    if len(e.opened) >= MOST_OPENED:
        e.fail(node.span, f"Breadths name one another at most {MOST_OPENED} deep.")
    memo = (name, universe)
    if memo not in e.size.breadths:
        try:
            made = check_breadth(text, e.parts, universe, e.base, (*e.opened, name), e.size)
        except RuleError as error:
            first = error.problems[0]
            e.fail(named.span, f"In the breadth “{name}”, line {first.line}: {first.message}")
        e.size.breadths[memo] = made
    found = e.size.breadths[memo]
    if e.decide == "open" and not e.earlier and found.rule.decide != "open":
        e.fail(
            e.inside or node.span,
            "At the open, today's `breadth` is not known yet; use the session before: add `1 ago`.",
            f"({e.source(node)} 1 ago)",
        )
    share = found.shows == "share"
    bounds = None if not share else SIGNED if found.signed else SHARE
    return Value(found.op, "number", 0, bounds=bounds, fraction=share)


REPORTED = ("eps", "eps_growth", "eps_surprise", "revenue_growth", "shares_outstanding")


def at_report(e: Scope, node: tree.Call) -> Value:
    hint = f"`at_report` takes what a report says ({', '.join(REPORTED)}) and how many reports before the latest: `at_report(eps_growth, 1)`."
    if not 1 <= len(node.arguments) <= 2 or any(a.name for a in node.arguments):
        e.fail(node.span, hint)
    named = node.arguments[0].value
    if not isinstance(named, tree.Name) or named.name not in REPORTED:
        near = nearest(named.name, REPORTED) if isinstance(named, tree.Name) else None
        e.fail(named.span, f"`{e.source(named)}` is nothing that a report says: did you mean `{near}`?" if near else hint, near)
    n = e.bar_count(node.arguments[1].value, 0, "The number of reports of `at_report`") if len(node.arguments) > 1 else 1
    entry = CATALOGUE[named.name]
    return Value(
        Op("at_report", (), (named.name, float(n), *e.known_when()), "day"),
        "number",
        0,
        bounds=entry.bounds,
        fraction=entry.fraction,
    )


def event(e: Scope, node: tree.Call) -> Value:
    name = node.arguments[0].value if len(node.arguments) == 1 else None
    if not isinstance(name, tree.Text):
        e.fail(node.span, '`event` takes the announcement\'s name in quotes: `event("Lending rate")`.')
    return Value(Op("event", (), (name.value,), result="condition"), "condition")


def _within(part: str) -> Callable[[Scope, tree.Call], Value]:
    def form(e: Scope, node: tree.Call) -> Value:
        hint = f"`{node.name}` takes a pattern and a number of bars: `{node.name}(double_bottom, 3)`."
        if not 1 <= len(node.arguments) <= 2 or any(a.name for a in node.arguments):
            e.fail(node.span, hint)
        named = node.arguments[0].value
        if not isinstance(named, tree.Name | tree.Call) or named.name not in CATALOGUE or CATALOGUE[named.name].kind != "pattern":
            known = [n for n, entry in CATALOGUE.entries.items() if entry.kind == "pattern" and "." not in n]
            near = nearest(named.name, known) if isinstance(named, tree.Name | tree.Call) else None
            e.fail(named.span, hint if near is None else f"`{e.source(named)}` is no pattern: did you mean `{near}`?", near)
        n = e.bar_count(node.arguments[1].value, 1, f"`n` of `{node.name}`") if len(node.arguments) > 1 else 1
        found = e.check(tree.Part(named.name, part, named.span, named.arguments if isinstance(named, tree.Call) else ()))
        # Where none was confirmed there is no number of bars since, and the answer is no.
        since = Op("recently", (found.op,), (n,), result="condition")
        return Value(since, "condition")

    return form


def _frame_named(e: Scope, node: tree.Node) -> str:
    if not isinstance(node, tree.Name) or node.name not in FRAMES:
        word = e.source(node)
        e.fail(node.span, f"`{word}` is not a frame; known are {', '.join(FRAMES)}.", nearest(word, FRAMES))
    return node.name


FORMS: dict[str, Callable[[Scope, tree.Call], Value]] = {
    **SESSION_FORMS,
    "on": on,
    "first_of": first_of,
    "last_of": last_of,
    "of": of,
    "group": group,
    "carry": carry,
    "at_report": at_report,
    "stacked": stacked,
    "rank": rank,
    "breadth": breadth,
    "benchmark": benchmark,
    "event": event,
    "triggered": _within("since_trigger"),
    "failed": _within("since_failed"),
}
