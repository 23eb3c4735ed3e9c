"""Advice on a book from its text alone: stops on the wrong side, targets that costs eat, positions that nothing ends. It never
blocks."""

from collections.abc import Iterator

from wickcore.bars.frame_names import finer
from wickcore.language.book import LONG, SHORT, CheckedBook, Level, Ways
from wickcore.language.book_text import BookText, Exits, LevelLine
from wickcore.language.operations import Op
from wickcore.language.recurrence import POSITION
from wickcore.language.tree import Span
from wickcore.trade.cost_rates import round_trip

Said = tuple[Span, str, str | None]


def about_book(book: CheckedBook, text: BookText) -> Iterator[Said]:
    """(place, sentence, mend) for each thing a trader would want to know before running it."""
    sides = {e.side for e in book.enters}
    spans = {s.span.start: s.span for s in text.statements if isinstance(s, LevelLine | Exits)}
    for side in sorted(sides, reverse=True):
        ways, name = book.ways(side), "a long" if side == LONG else "a short"
        for key, level, good in (
            ("stop", ways.stop, -side),
            ("follow", ways.follow, -side),
            *(("target", t, side) for t in ways.targets),
        ):
            if level is None:
                continue
            place = _span_of(level, spans, text)
            lies = _lies(level.op)
            if lies == -good:
                where = "above" if lies > 0 else "below"
                both = " Write one for each side: " + f"`{key} long:` and `{key} short:`." if len(sides) > 1 else ""
                yield place, f"This {key} lies {where} the price of {name} position, on the wrong side.{both}", None
            far = _distance(level.op)
            costs = round_trip(book.cost, book.slip)
            if key == "target" and far is not None and 0 < far * side <= costs:
                yield place, f"This target lies {abs(far):.2%} from the entry, and getting in and out costs {costs:.2%}.", None
        if _endless(ways):
            said = f"Nothing ends {name} position but a delisting: add `exit when …`, a `stop:` or a `follow:`."
            yield Span(0, 1), said, None
    own = text.setting("bars")
    sooner = sorted({e.name for e in book.enters if finer(e.rule.frame, book.frame)}) if own is not None else []
    if own is not None and sooner:
        names, are = " and ".join(f"“{name}”" for name in sooner), "is" if len(sooner) == 1 else "are"
        said = f"Exits, `follow` and `bars_held` wait for the {book.frame}'s close here; {names} {are} entered on any of their own bars."
        yield own.value_span, said.replace("their", "its") if len(sooner) == 1 else said, None
    if len(sides) == 1:
        other = "short" if sides == {LONG} else "long"
        for s in text.statements:
            if isinstance(s, LevelLine | Exits) and s.side == other:
                yield s.span, f"This line is of {other} positions, and no rule of this book is entered {other}.", None
    if SHORT in sides and LONG in sides and book.gross <= 1.0 and book.sizing == "equal":
        yield Span(0, 1), "Longs and shorts share `gross: 100%` of equity; `gross: 200%` lets each side use all of it.", None


def _span_of(level: Level, spans: dict[int, Span], text: BookText) -> Span:
    line = sum(len(one) + 1 for one in text.text.split("\n")[: level.line - 1])
    return next((span for start, span in spans.items() if start >= line), Span(0, 1))


def _endless(ways: Ways) -> bool:
    return not (ways.stop or ways.follow or ways.targets or ways.exits)


def _entry(op: Op) -> bool:
    return op.kind == POSITION and op.params[0] in ("entry", "best", "worst")


def _lies(op: Op) -> int:
    """1 where a level surely lies above what it is measured from, -1 below, 0 where nobody can tell."""
    far = _distance(op)
    if far is not None:
        return (far > 0) - (far < 0)
    if op.kind in ("+", "-") and _entry(op.args[0]):
        return 1 if op.kind == "+" else -1
    return 0


def _distance(op: Op) -> float | None:
    """The distance from the entry as a fraction of it, where it is plain."""
    if op.kind == "*" and any(_entry(a) for a in op.args):
        plain = next((a for a in op.args if a.kind == "constant"), None)
        return None if plain is None else float(plain.params[0]) - 1.0
    return None
