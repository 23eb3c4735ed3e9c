"""The text of a book to a checked book: the one door, as `check` is for rules."""

import math
import re
from collections.abc import Mapping
from dataclasses import replace
from typing import Any

from wickcore.bars.frame_names import FRAMES, finer, within_day
from wickcore.language import tree
from wickcore.language.book import LONG, SHORT, CheckedBook, Condition, Enter, Leaving, Level, Ways
from wickcore.language.book_advice import about_book
from wickcore.language.book_amounts import Amounts, Wrong
from wickcore.language.book_text import PARTS, BookText, Enters, Exits, LevelLine, Setting, read_book
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_rule
from wickcore.language.expressions import Expressions
from wickcore.language.named_texts import name_of
from wickcore.language.operations import Op, constant, each, joined
from wickcore.language.parser import MAX_UNIVERSE
from wickcore.language.positions import BUILT, POSITION_NAMES, known_in
from wickcore.language.problems import Places, Problem, RuleError, nearest
from wickcore.language.recurrence import POSITION, NotCarried, program_of
from wickcore.language.rule import CheckedRule, DialState, Value
from wickcore.language.scope import Size, Unresolved
from wickcore.language.tree import Span

MAX_ENTERS, MAX_TARGETS, MAX_EXITS, MAX_ADVICE = 20, 8, 20, 200
_ONLY = re.compile(r"only\s+(\S+)\s*$", re.IGNORECASE)


def check_book(
    text: str,
    rules: Mapping[str, str] | None = None,
    dials: Mapping[str, float] | None = None,
    universe: str | None = None,
    base: str = "day",
) -> CheckedBook:
    """Checks a whole book.

    rules: the texts of the rules that it can enter (and that those use), by name. dials: settings that replace the defaults, by
    name;
    one named `slots` that the book does not have sets the slots. universe: one chosen instead of the book's own. base: the finest
    frame the
    market has bars of. Raises RuleError carrying every problem found.
    """
    return _Check(text, rules or {}, dials or {}, universe, base).run()


class _Scope(Expressions):
    """Expressions of a book; those of a position's lines know its names."""

    def _entry(self, name: str, span: Span) -> Any:
        if name in POSITION_NAMES and name not in CATALOGUE:
            where = " and ".join(f"`{w}`" for w in POSITION_NAMES[name].where)
            self.fail(span, f"`{name}` is known of a position that is held; it stands in {where} only.")
        return super()._entry(name, span)


class _Check:
    def __init__(self, text: str, rules: Mapping[str, str], given: Mapping[str, float], universe: str | None, base: str) -> None:
        self.problems: list[Problem]
        self.book: BookText
        self.book, self.problems = read_book(text)
        self.rules, self.given, self.base = rules, given, base
        self.advice: list[Problem] = []
        self.places = Places(self.book.text)
        self.dials: list[DialState] = []
        own = self.book.setting("universe")
        said = own.text if own else ""
        only = _ONLY.match(said)
        self.only = only.group(1).upper() if only else ""
        if only is None and re.fullmatch(r"only", said, re.IGNORECASE) and own is not None:
            self._say(own.value_span, "`universe: only` needs the symbol that is traded, such as `universe: only ISTYAR`.")
        self.universe = "" if self.only else said if universe is None else universe
        if len(self.universe) > MAX_UNIVERSE:
            self._say(
                own.value_span if own else Span(0, 1), f"A universe is at most {MAX_UNIVERSE} characters; this has {len(said):,}."
            )
        self.size = Size()

    def run(self) -> CheckedBook:
        self._twice()
        self.frame = self._frame()
        self.scope = _Scope(
            self.book.text, self._tell, self._advise, self.frame, "close", self.base, self.universe, self.size, self.rules
        )
        self._names()
        fields: dict[str, Any] = {}
        amounts = Amounts({d.name: d.value for d in self.dials})
        for statement in self.book.statements:
            if isinstance(statement, Setting):
                self._setting(statement, amounts, fields)
        enters = self._enters()
        fields |= {side: self._ways(side, enters, amounts) for side in ("long", "short")}
        if "slots" in self.given and not any(d.name == "slots" for d in self.dials):
            fields["slots"] = int(self.given["slots"])
        unknown = set(self.given) - {d.name for d in self.dials} - {"slots"}
        if unknown:
            self._say(Span(0, 1), f"There is no dial named `{sorted(unknown)[0]}` in this book.")
        if self.problems:
            raise RuleError(self.problems)
        text = {key: (s.text if (s := self.book.setting(key)) else "") for key in ("name", "about")}
        made = CheckedBook(
            self.book.text, text["name"], text["about"], self.universe or None, self.only, self.frame, tuple(enters), **fields,
            dials=tuple(self.dials), settings={d.name: d.value for d in self.dials},
        )  # fmt: skip
        if fields.get("sizing") == "risk":
            self._stops_for_risk(made)
        if self.problems:
            raise RuleError(self.problems)
        places = self.places
        found = [*self.advice, *(places.problem(*said) for said in about_book(made, self.book))]
        return replace(made, advice=tuple(sorted(set(found)))[:MAX_ADVICE])

    # -- saying what is wrong -------------------------------------------------------------------------------------------

    def _say(self, span: Span, message: str, mend: str | None = None) -> None:
        self.problems.append(self.places.problem(span, message, mend))

    def _tell(self, span: Span, message: str, mend: str | None) -> None:
        self._say(span, message, mend)

    def _advise(self, span: Span, message: str, mend: str | None) -> None:
        if len(self.advice) < MAX_ADVICE:
            self.advice.append(self.places.problem(span, message, mend))

    def _twice(self) -> None:
        seen: set[str] = set()
        for s in self.book.statements:
            key = f"{s.key} {s.side}".strip() if isinstance(s, LevelLine) else s.key if isinstance(s, Setting) else ""
            if key and not key.startswith("target") and key in seen:
                self._say(s.span, f"`{key}` is given twice; keep one.")
            seen.add(key)

    # -- names, frame, settings ---------------------------------------------------------------------------------------

    def _frame(self) -> str:
        """The book's own `bars:`, else the frame that all its rules have, else days."""
        said = self.book.setting("bars")
        if said is not None:
            if said.text not in FRAMES:
                near = nearest(said.text, FRAMES) if said.text else None
                self._say(said.value_span, f"`bars` is one of {', '.join(FRAMES)}; this says `{said.text}`.", near)
                return "day"
            if finer(said.text, self.base):
                self._say(
                    said.value_span, f"There are no {said.text} bars in this market; {self.base} bars and longer ones can be used."
                )
                return self.base
            return said.text
        frames = set()
        for s in self.book.statements:
            if isinstance(s, Enters) and s.name in self.rules:
                found = re.search(r"^[ \t]*bars[ \t]*:[ \t]*(\w+)", self.rules[s.name], re.MULTILINE)
                frames.add(found.group(1) if found and found.group(1) in FRAMES else "day")
        frame = frames.pop() if len(frames) == 1 else "day"
        return self.base if finer(frame, self.base) else frame

    def _names(self) -> None:
        for s in self.book.statements:
            try:
                if isinstance(s, tree.Dial):
                    self._dial(s)
                elif isinstance(s, tree.Let):
                    self._new(s.name, s.name_span)
                    self.scope.lets[s.name] = s.value
            except Unresolved:
                continue

    def _new(self, name: str, span: Span) -> None:
        if name in POSITION_NAMES or (name in CATALOGUE and not CATALOGUE[name].later):
            self.scope.fail(span, f"`{name}` is a name of the language; choose another.")
        if name in self.scope.lets or name in self.scope.dials:
            self.scope.fail(span, f"`{name}` is already named above; choose another.")

    def _dial(self, dial: tree.Dial) -> None:
        self._new(dial.name, dial.name_span)
        value = self.given.get(dial.name, dial.default)
        self.scope.dials[dial.name] = Value(constant(value), "number", None, value, 0.0, dial.percent)
        if not all(math.isfinite(n) for n in (value, dial.low, dial.high, dial.step) if n is not None):
            self.scope.fail(dial.span, f"A number of `{dial.name}` is larger than any that can be computed with.")
        if dial.low is not None and dial.high is not None and not dial.low <= value <= dial.high:
            self.scope.fail(dial.span, f"`{dial.name}` is {value:g}, outside its range {dial.low:g} to {dial.high:g}.")
        if dial.step is not None and dial.step <= 0:
            self.scope.fail(dial.span, "A dial's step is above zero.")
        line = self.places.line_of(dial.span.start)
        self.dials.append(DialState(dial.name, value, dial.low, dial.high, dial.step, dial.percent, line))

    def _setting(self, s: Setting, amounts: Amounts, fields: dict[str, Any]) -> None:
        if s.key in ("name", "about", "universe", "bars"):
            return
        try:
            if s.node is None:
                fields |= amounts.plain(s.key, " ".join(s.text.split()))
            elif s.key == "rank":
                value = self.scope.number(s.node)
                fields |= {"rank": replace(value, op=self.scope.unscaled(value), degree=0), "rank_text": s.text}
            else:
                op = self.scope.condition(s.node).op
                fields[s.key.replace(" ", "_")] = Condition(op, s.text, self.places.line_of(s.span.start))
        except Wrong as wrong:
            self._say(s.value_span, str(wrong), wrong.mend)
        except Unresolved:
            return

    # -- rules --------------------------------------------------------------------------------------------------------

    def _enters(self) -> list[Enter]:
        found: list[Enter] = []
        wanted = [s for s in self.book.statements if isinstance(s, Enters)]
        if not wanted and not self.problems:
            self._say(Span(0, 1), 'This book enters no rule; write one, such as `enter "Quiet base" at next open`.')
        if len(wanted) > MAX_ENTERS:
            self._say(wanted[MAX_ENTERS].span, f"A book enters at most {MAX_ENTERS} rules.")
        names: set[str] = set()
        for s in wanted[:MAX_ENTERS]:
            if s.name in names:
                self._say(s.name_span, f"“{s.name}” is entered twice; keep one.")
                continue
            names.add(s.name)
            try:
                found.append(self._enter(s))
            except Unresolved:
                continue
        inner = {within_day(e.rule.frame) for e in found} | {within_day(self.frame)}
        if len(inner) > 1:
            said = "Rules on bars shorter than a day and rules on longer ones cannot share a book; its day steps on one of them."
            self._say(wanted[0].span, said)
        return found

    def _enter(self, s: Enters) -> Enter:
        rule = self._rule(s)
        if rule.decide == "open" and s.kind != "next open":
            said = f"“{s.name}” decides at the open, and is entered at that very open: write `at next open`."
            self.scope.fail(s.span, said, f'enter "{s.name}" at next open')
        price, bars = None, 1
        if s.price is not None:
            price = self._price(self.scope.number(s.price), s.price, "An order")
        if s.bars is not None:
            if s.bars.frame:
                self.scope.fail(s.bars.span, "How long an order rests is counted in bars: `for 3 bars`.")
            bars = self.scope.bar_count(s.bars, 1)
        return Enter(s.name, rule, s.kind, price, bars, self.places.line_of(s.span.start))  # type: ignore[arg-type]

    def _rule(self, s: Enters) -> CheckedRule:
        if s.name not in self.rules:
            known = [name for name in self.rules if name_of(name) is None]
            near = nearest(s.name, known) if known else None
            hint = f": did you mean “{near}”?" if near else "; save it first, or take this line out."
            self.scope.fail(s.name_span, f"There is no rule named “{s.name}”{hint}", f'"{near}"' if near else None)
        text = self.rules[s.name]
        own = set(re.findall(r"^[ \t]*dial[ \t]+([a-z_][a-z0-9_]*)", text, re.MULTILINE))
        turned = {d.name: d.value for d in self.dials if d.name in own}
        parts = {name: part for name, part in self.rules.items() if name != s.name}
        try:
            return check_rule(text, parts, turned, self.universe or ("" if self.only else None), self.base)
        except RuleError as error:
            first = error.problems[0]
            self.scope.fail(s.name_span, f"In “{s.name}”, line {first.line}: {first.message}")

    # -- how positions end --------------------------------------------------------------------------------------------

    def _ways(self, side: str, enters: list[Enter], amounts: Amounts) -> Ways:
        """The lines that speak of one side, or of both; problems of a line for both are said once."""
        levels: dict[str, Level] = {}
        targets: list[Level] = []
        exits: list[Leaving] = []
        for s in self.book.statements:
            if not isinstance(s, LevelLine | Exits) or s.side not in ("", side):
                continue
            before = len(self.problems)
            try:
                if isinstance(s, Exits):
                    exits += self._leavings(s, enters)
                else:
                    level = self._level(s, enters, amounts)
                    if s.key == "target":
                        targets.append(level)
                    else:
                        levels[s.key] = level if s.side or s.key not in levels else levels[s.key]
            except Unresolved:
                pass
            if s.side == "" and side == "short":
                del self.problems[before:]
        if len(targets) > MAX_TARGETS or len(exits) > MAX_EXITS:
            self._say(Span(0, 1), f"A side of a book has at most {MAX_TARGETS} targets and {MAX_EXITS} exits.")
        return Ways(levels.get("stop"), levels.get("follow"), tuple(targets), tuple(exits))

    def _known(self, line: str, check: Any, enters: list[Enter]) -> Any:
        before = self.scope.bound
        self.scope.bound = known_in(line)
        try:
            return check()
        finally:
            self.scope.bound = before
            self.scope.pairs, self.scope.overlays = [], []

    def _level(self, s: LevelLine, enters: list[Enter], amounts: Amounts) -> Level:
        value = self._known(s.key, lambda: self.scope.number(s.node), enters)
        op = self._numbered(self._price(value, s.node, f"`{s.key}`", s.key, s.side), enters, s.span).op
        self._carried(op, s.span, s.key)
        part = 1.0
        if s.part:
            try:
                part = PARTS.get(s.part.lower()) or amounts.number("part", "".join(s.part.split()))
            except Wrong as wrong:
                self.scope.fail(s.span, str(wrong), wrong.mend)
        return Level(op, self.scope.source(s.node), self.places.line_of(s.span.start), part)

    def _price(self, value: Value, node: tree.Node, what: str, key: str = "", side: str = "") -> Value:
        """A price on the continuous scale."""
        source = self.scope.source(node)
        if value.constant is not None:
            if value.percent or value.constant < 1:
                up = (key == "target") != (side == "short")
                of = "best" if key == "follow" else "entry" if key else "close"
                far = f"{(1 + value.constant if up else 1 - value.constant) * 100:g}%"
                mend = f"{of} * {far}" if key else None
                self.scope.fail(
                    node.span, f"{what} is a price, and {source} is a share: " + (f"write `{mend}`." if mend else "of what?"), mend
                )
            return replace(value, op=Op("money", (), (value.constant, 1.0)), degree=1)
        if value.degree != 1:
            self.scope.fail(node.span, f"{what} is a price, such as `entry - 2 * atr(14)`; `{source}` is none.")
        return value

    def _numbered(self, value: Value, enters: list[Enter], span: Span) -> Value:
        return replace(value, op=self._rule_numbers(value.op, enters, span))

    def _rule_numbers(self, op: Op, enters: list[Enter], span: Span) -> Op:
        """Where the rule's name is compared, its place among the entered ones."""
        if not any(o.kind == POSITION and o.result == "text" for o in each(op)):
            return op
        if op.kind == "text_in":
            places = {e.name: i for i, e in enumerate(enters)}
            found = []
            for text in map(str, op.params):
                if text not in places:
                    near = nearest(text, list(places)) if places else None
                    hint = f": did you mean “{near}”?" if near else "."
                    self.scope.fail(span, f"“{text}” is no rule that this book enters{hint}")
                held = Op(POSITION, (), ("held_rule",))
                found.append(Op("compare", (held, constant(float(places[text]))), ("==",), result="condition"))
            made = found[0]
            for other in found[1:]:
                made = Op("or", (made, other), result="condition")
            return made
        return Op(op.kind, tuple(self._rule_numbers(a, enters, span) for a in op.args), op.params, op.frame, op.result)

    def _carried(self, op: Op, span: Span, line: str) -> None:
        try:
            program_of(op, BUILT, apart=True)
        except NotCarried as unfit:
            self.scope.fail(span, str(unfit).replace("What `carry` does", f"What `{line}` works out"))

    def _leavings(self, s: Exits, enters: list[Enter]) -> list[Leaving]:
        def one(node: "tree.Condition | tree.Group") -> Op:
            if isinstance(node, tree.Condition):
                op: Op = self._known("exit", lambda: self.scope.condition(node.value), enters).op
                op = self._rule_numbers(op, enters, node.span)
                self._carried(op, node.span, "exit")
                return op
            ops = [one(child) for child in node.children if not child.skip]
            return joined(node.kind, ops, node.least if isinstance(node.least, float) else None)

        children = [c for c in s.conditions if not c.skip]
        if not children:
            return []
        line, found = self.places.line_of(s.span.start), []
        if s.kind in ("all", "none"):
            op = joined(s.kind, [one(c) for c in children], None)
            text = f"{s.kind} of: " + "; ".join(self._text(c) for c in children)
            self._carried(op, s.span, "exit")
            return [Leaving(op, text, line, s.at_close)]
        for child in children:
            found.append(Leaving(one(child), self._text(child), self.places.line_of(child.span.start), s.at_close))
        return found

    def _text(self, node: Any) -> str:
        return " ".join(self.book.text[node.span.start : node.span.end].split())

    def _stops_for_risk(self, made: CheckedBook) -> None:
        for side, name in ((LONG, "long"), (SHORT, "short")):
            if any(e.side == side for e in made.enters) and made.ways(side).stop is None:
                place = self.book.setting("size")
                assert place is not None
                sign = "-" if side == LONG else "+"
                said = f"`size: risk` is counted from a stop, and {name} positions have none: add `stop: entry {sign} 2 * atr(14)`."
                self._say(place.value_span, said)
