"""A book in its canonical layout, read aloud, and turned to the other side: what `layout`, `aloud` and `mirror` are for rules."""

import re
from collections.abc import Callable, Iterator

from wickcore.language import tree
from wickcore.language.book_amounts import NUMBER
from wickcore.language.book_text import BookStatement, BookText, Enters, Exits, LevelLine, Setting, parse_book
from wickcore.language.formatter import count, number, statement, write
from wickcore.language.layout import has_comments, pieces_of, without_comments
from wickcore.language.mirror import LEFT_OUT, LEVEL, MOVE, PLAIN, Mirrored, MirrorOf, NoMirror, negative
from wickcore.language.positions import POSITION_NAMES
from wickcore.language.read_aloud import Speaker, sentence
from wickcore.language.statement import read_number

Writer = Callable[[BookStatement | tree.Condition | tree.Group, str], str]
SIDE_OF_NAMES = {"entry": LEVEL, "best": LEVEL, "worst": LEVEL, "risk": PLAIN, "bars_held": PLAIN, "gain": PLAIN, "gain_r": PLAIN}


def format_book(text: str) -> str:
    """The book in its canonical layout: the name and what it is about first, one space around operators, four spaces a group,
    comments kept.
    Formatting twice changes nothing. Raises RuleError where the text cannot be read."""
    return _laid_out(parse_book(text), line_of)


def _laid_out(book: BookText, say: Writer, comments: bool = True) -> str:
    flat = list(_flat(book))
    lines: list[str] = []
    at = 0
    pieces = pieces_of(book.text, heading=False)
    for piece in pieces if comments else without_comments(pieces):
        indent = "    " * (flat[at][0] if at < len(flat) else 0)
        if piece.kind == "blank":
            lines.append("")
        elif piece.kind == "comment":
            lines.append(f"{indent}# {piece.comment}".rstrip())
        elif at < len(flat):
            lines.append(f"{indent}{say(flat[at][1], book.text)}" + (f"  # {piece.comment}" if piece.comment else ""))
            at += 1
    kept: list[str] = []
    for line in lines:
        if line or (kept and kept[-1]):
            kept.append(line)
    while kept and not kept[-1]:
        kept.pop()
    return "\n".join(kept) + "\n" if kept else ""


def _flat(book: BookText) -> Iterator[tuple[int, "BookStatement | tree.Condition | tree.Group"]]:
    def below(
        children: "tuple[tree.Condition | tree.Group, ...]", depth: int
    ) -> "Iterator[tuple[int, tree.Condition | tree.Group]]":
        for child in children:
            yield depth, child
            if isinstance(child, tree.Group):
                yield from below(child.children, depth + 1)

    for s in book.statements:
        yield 0, s
        if isinstance(s, Exits) and s.kind:
            yield from below(s.conditions, 1)


def line_of(s: "BookStatement | tree.Condition | tree.Group", text: str) -> str:
    """One line of a book as it is laid out."""
    match s:
        case Setting():
            said = write(s.node, text) if s.node is not None else s.text if s.key in ("name", "about") else _amounts(s.text)
            return f"{s.key}: {' '.join(said.split())}"
        case Enters():
            where = f"{write(s.price, text)}" if s.price is not None else s.kind
            bars = "" if s.bars is None else f" for {count(s.bars, text)} bar{'' if s.bars.amount == 1 else 's'}"
            return f'enter "{s.name}" at {where}{bars}'
        case LevelLine():
            side = f" {s.side}" if s.side else ""
            return f"{s.key}{side}: {write(s.node, text)}" + (f", {s.part.lower().replace(' ', '')}" if s.part else "")
        case Exits():
            head = "exit" + (" at close" if s.at_close else "") + (f" {s.side}" if s.side else "") + " when "
            return head + (f"{s.kind} of:" if s.kind else statement(s.conditions[0], text))
    return statement(s, text)


def _amounts(text: str) -> str:
    """Numbers in the form that a person would write: 500_000 as 500k, 1bn as 1b."""

    def one(match: "re.Match[str]") -> str:
        said = match.group()
        return number(read_number(said)) if "_" in said or said.endswith("n") else said

    return re.sub(rf"(?<![\w.]){NUMBER}(?![\w.])", one, text).replace("’", "'")


# -- read aloud -----------------------------------------------------------------------------------------------------------


def read_book_aloud(text: str) -> list[tuple[int, str]]:
    """(line, sentence) for each line. Raises RuleError where the text cannot be read."""
    book = parse_book(text)
    named = [s.name for s in book.statements if isinstance(s, tree.Let | tree.Dial)]
    speaker = Speaker(book.text, frozenset(named), {name: told.said for name, told in POSITION_NAMES.items()})
    found = []
    for depth, s in _flat(book):
        line = book.text.count("\n", 0, s.span.start) + 1
        found.append((line, "  " * depth + sentence(_aloud(s, speaker))))
    return found


_SETTINGS = {
    "name": "this book is called “{}”", "about": "{}", "universe": "it trades {}", "bars": "it decides on {} bars",
    "start": "it begins with {} of money", "slots": "it holds at most {} positions at a time", "gross": "positions come to at most {} of equity",
    "cash earns": "idle cash earns {} a year", "borrow costs": "what is borrowed costs {} a year", "cost": "each order costs {}",
    "slip": "each fill is worse than its price by {}", "delisting": "of a delisted name {} of the last price is got back",
    "fractions": "parts of shares: {}",
}  # fmt: skip


def _aloud(s: "BookStatement | tree.Condition | tree.Group", speaker: Speaker) -> str:
    match s:
        case Setting(key="rank") if s.node is not None:
            return f"among too many signals those with the highest {speaker.value(s.node).removeprefix('the ')} are taken"
        case Setting(key="only while") if s.node is not None:
            return f"new positions are entered only while {speaker.value(s.node)}"
        case Setting(key="out unless") if s.node is not None:
            return f"nothing is held unless {speaker.value(s.node)}"
        case Setting(key="size"):
            return _size(s.text)
        case Setting(key="leaves"):
            return "what leaves the universe is " + ("sold at the next open" if s.text == "exit" else "held on")
        case Setting():
            return _SETTINGS[s.key].format(s.text)
        case Enters():
            if s.price is None:
                return f"what “{s.name}” finds is entered at the {'next open' if s.kind == 'next open' else 'very close'}"
            bars = "the next bar" if s.bars is None or s.bars.amount == 1 else f"the next {speaker.count(s.bars)}"
            return f"what “{s.name}” finds is entered by an order at {speaker.value(s.price)}, resting for {bars}"
        case LevelLine():
            of = f" of a {s.side} position" if s.side else ""
            part = f", for {s.part} of it" if s.part else ""
            words = {
                "stop": "the stop{} lies at {}",
                "follow": "a stop{} follows at {}, and never moves back",
                "target": "a target{} lies at {}{}",
            }
            return words[s.key].format(of, speaker.value(s.node), part)
        case Exits():
            when = "at that close" if s.at_close else "at the next open"
            which = f"a {s.side} position" if s.side else "a position"
            if s.kind:
                return f"{which} is left {when} when {s.kind} of these {'hold' if s.kind != 'none' else 'holds'}:"
            return f"{which} is left {when} when {speaker.statement(s.conditions[0])}"
    return speaker.statement(s)


def _size(text: str) -> str:
    first, *caps = re.split(r"\s*,?\s*at most\s+", text)
    kind, _, amount = first.partition(" ")
    words = {
        "equal": "each position takes an equal part of equity",
        "risk": f"each position risks {amount} of equity, from its entry to its stop",
        "money": f"each position takes {amount} of money",
        "volatility": f"each position moves about {amount} of equity a day, by its average true range",
    }
    said = words.get(kind, text)
    for cap in caps:
        said += f", at most {cap}" + ("" if "day" in cap else " of equity")
    return said


# -- the other side -------------------------------------------------------------------------------------------------------


def mirror_book(text: str) -> Mirrored:
    """The book for the other side: its stops, targets, exits and orders turned; the rules it enters are named as they are, and
    have to be
    mirrored too. Raises RuleError where the text cannot be read."""
    book = parse_book(text)
    notes: list[tuple[int, str]] = []
    names: dict[str, str] = dict(SIDE_OF_NAMES)
    worker = MirrorOf(book.text, names)
    turned = {"long": "short", "short": "long", "": ""}

    def say(s: "BookStatement | tree.Condition | tree.Group", source: str) -> str:
        line = source.count("\n", 0, s.span.start) + 1
        try:
            match s:
                case tree.Let():
                    value, names[s.name] = worker.value(s.value)
                    return f"let {s.name} = {write(value, source)}"
                case tree.Dial():
                    names[s.name] = PLAIN
                case Enters():
                    notes.append((line, f"“{s.name}” is entered as it is: mirror that rule too, and enter its mirror here."))
                    if s.price is not None:
                        return line_of(Enters(s.name, s.name_span, s.kind, _level(worker, s.price), s.bars, s.span), source)
                case LevelLine():
                    return line_of(LevelLine(s.key, turned[s.side], _level(worker, s.node), s.part, s.span), source)
                case Exits(kind=""):
                    first = s.conditions[0]
                    assert isinstance(first, tree.Condition)
                    made = tree.Condition(worker.condition(first.value), first.span, first.skip)
                    return line_of(Exits(turned[s.side], s.at_close, "", (made,), s.span), source)
                case Exits():
                    return line_of(Exits(turned[s.side], s.at_close, s.kind, s.conditions, s.span), source)
                case Setting(key="rank") if s.node is not None:
                    node, kind = worker.value(s.node)
                    # The highest come first: a move turns its sign with the side, and so does the order.
                    said = node if kind == PLAIN else negative(node if kind != MOVE else s.node)
                    return f"rank: {write(said, source)}"
                case Setting(key="only while" | "out unless") if s.node is not None:
                    return f"{s.key}: {write(worker.condition(s.node), source)}"
                case tree.Condition():
                    return statement(tree.Condition(worker.condition(s.value), s.span, s.skip), source)
        except NoMirror as error:
            notes.append((line, f"{error} The line stays as it is."))
            if isinstance(s, tree.Let):
                names[s.name] = PLAIN
        return line_of(s, source)

    about = re.compile(r"^about[ \t]*:.*\n?", re.MULTILINE | re.IGNORECASE)
    if has_comments(book.text) or about.search(book.text):
        notes.append((0, LEFT_OUT))
    return Mirrored(about.sub("", _laid_out(book, say, comments=False)), tuple(notes))


def _level(worker: MirrorOf, node: tree.Node) -> tree.Node:
    """A price on the other side."""
    made, kind = worker.value(node)
    if kind != LEVEL:
        raise NoMirror(f"`{write(node, worker.text)}` is no price that has a mirror.")
    return made
