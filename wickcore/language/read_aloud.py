"""A rule read aloud: plain sentences, one a line."""

import re
from collections.abc import Mapping

from wickcore.language import tree
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.formatter import count, number
from wickcore.language.parser import parse
from wickcore.language.shapes import SHAPES, in_words

_FRAME = {"day": "daily", "week": "weekly", "month": "monthly", "quarter": "quarterly", "year": "yearly"}
_OPERATORS = {"+": "plus", "-": "less", "*": "times", "/": "over", "^": "to the power of", "and": "and", "or": "or"}
_COMPARED = {">": "is above", "<": "is below", ">=": "is at or above", "<=": "is at or below", "==": "is", "!=": "is not"}
_MORE = {">": "is more than", "<": "is less than", ">=": "is at least", "<=": "is at most", "==": "is", "!=": "is not"}


def read_aloud(text: str) -> list[tuple[int, str]]:
    """(line, sentence) for each statement. Raises RuleError where the text cannot be read."""
    rule = parse(text)
    named = [s.name for s in rule.statements if isinstance(s, tree.Let | tree.Dial)]
    speaker = Speaker(rule.text, frozenset(named))
    found: list[tuple[int, str]] = []

    def say(statements: tuple[tree.Statement, ...], depth: int) -> None:
        for s in statements:
            line = rule.text.count("\n", 0, s.span.start) + 1
            found.append((line, "  " * depth + sentence(speaker.statement(s))))
            if isinstance(s, tree.Group):
                say(s.children, depth + 1)

    say(rule.statements, 0)
    return found


def sentence(said: str) -> str:
    end = "" if said.endswith((":", ".")) else "."
    return said[0].upper() + said[1:] + end


def _windows(template: str, node: tree.Call) -> tuple[str, tree.Since | None]:
    """Without the words that count the bars, where these are told otherwise: `since c` or `all`."""
    window = next((a.value for a in node.arguments if isinstance(a.value, tree.Since)), None)
    if window is None:
        return template, None
    template = re.sub(r"\{n\}-bar ?", "", template)
    return re.sub(r"(?: among its last| of the last| over| of| in)? ?\{(?:n|condition)\}(?: bars)?", "", template), window


def _article(words: str) -> str:
    return "an" if words[:1] in "aeiou" else "a"


class Speaker:
    """Says expressions in words. own: names that the text gave; known: words for names that the catalogue does not have."""

    def __init__(self, text: str, own: frozenset[str], known: Mapping[str, str] | None = None) -> None:
        self.text, self.own, self.known = text, own, known or {}

    def statement(self, s: tree.Statement) -> str:
        match s:
            case tree.Let():
                return f"call {self.value(s.value)} “{s.name}”"
            case tree.Dial():
                within = ""
                if s.low is not None and s.high is not None:
                    within = f", to be turned from {number(s.low, s.percent)} to {number(s.high, s.percent)}"
                return f"the dial “{s.name}” stands at {number(s.default, s.percent)}{within}"
            case tree.Use():
                return f"everything that “{s.name}” asks"
            case tree.Group():
                least = s.least.name if isinstance(s.least, tree.Name) else f"{s.least or 0:g}"
                words = {
                    "any": "any of these:",
                    "all": "all of these:",
                    "none": "none of these:",
                    "least": f"at least {least} of these:",
                }
                return ("not counted: " if s.skip else "") + words[s.kind]
            case tree.Condition():
                return ("not counted: " if s.skip else "") + self.value(s.value)

    def value(self, node: tree.Node) -> str:
        match node:
            case tree.Number():
                said = self.text[node.span.start : node.span.end]
                return said if re.fullmatch(r"[\d.]+[%kmb]?", said) else number(node.value, node.percent)
            case tree.Count():
                return self.count(node)
            case tree.Text():
                return node.value
            case tree.Name():
                if node.name in self.known:
                    return self.known[node.name]
                if node.name in self.own or node.name not in CATALOGUE:
                    return node.name
                return self.call(tree.Call(node.name, (), node.span, node.span))
            case tree.Part():
                return self.part(node)
            case tree.Call():
                return self.call(node)
            case tree.Unary():
                return f"not ({self.value(node.operand)})" if node.operator == "not" else f"minus {self.value(node.operand)}"
            case tree.Binary():
                return f"{self.value(node.left)} {_OPERATORS[node.operator]} {self.value(node.right)}"
            case tree.Compare():
                said = self.value(node.operands[0])
                for i, operator in enumerate(node.operators):
                    before = node.operands[i]
                    more = isinstance(before, tree.Name | tree.Call) and before.name in CATALOGUE and CATALOGUE[before.name].amount
                    words = _MORE if more else _COMPARED
                    said += f"{' and that' if i else ''} {words[operator]} {self.value(node.operands[i + 1])}"
                return said
            case tree.Crosses():
                return f"{self.value(node.left)} crosses {node.direction} {self.value(node.right)}"
            case tree.Between():
                return f"{self.value(node.value)} is between {self.value(node.low)} and {self.value(node.high)}"
            case tree.Near():
                return f"{self.value(node.value)} is within {self.value(node.by)} of {self.value(node.target)}"
            case tree.Within():
                return f"{self.value(node.value)} is one of {', '.join(t.value for t in node.texts)}"
            case tree.Ago():
                return f"{self.value(node.value)}, {self.count(node.count)} ago"
            case tree.Over():
                when = "on each of the last" if node.kind == "held" else "at least once in the last"
                return f"{self.value(node.value)}, {when} {self.count(node.count)}"
            case tree.Since():
                return "the whole history" if node.condition is None else f"since {self.value(node.condition)}"
            case tree.CountOf():
                return f"the number of these that hold ({'; '.join(self.value(c) for c in node.conditions)})"

    def count(self, node: tree.Count) -> str:
        unit = {"day": "day", "week": "week", "month": "month"}.get(node.frame or "", "bar")
        amount = count(tree.Count(node.amount, None, node.span), self.text)
        return f"{amount} {unit}" + ("" if amount == "1" else "s")

    def part(self, node: tree.Part) -> str:
        """A part of a pattern: `upper.slope` is the slope of its upper line."""
        if node.name == "own":
            return f"your own {node.part.replace('_', ' ')}"
        if node.name == "own_age":
            return f"the number of days since your own {node.part.replace('_', ' ')} was given"
        whole = f"{node.name}.{node.part}"
        if whole in CATALOGUE and CATALOGUE[whole].of_session:
            return self.call(tree.Call(whole, node.arguments, node.span, node.span))
        line, _, what = node.part.rpartition(".")
        if what == "age" and (node.name not in SHAPES or line):
            point = f"the {line} of the {self.pattern(node)}" if line else f"the latest {node.name.replace('_', ' ')}"
            return f"the number of bars since {point}"
        of = f"the {line} line of the {self.pattern(node)}" if line else f"the {self.pattern(node)}"
        what = {"touches": "number of touches"}.get(what, what.replace("_", " "))
        return of if what == "now" else f"the {what} of {of}"

    def pattern(self, node: tree.Name | tree.Call | tree.Part) -> str:
        """The pattern's name, and which of those that go either way is meant."""
        given = () if isinstance(node, tree.Name) else node.arguments
        down = any(a.name == "breaks" and isinstance(a.value, tree.Name) and a.value.name == "down" for a in given)
        return in_words(node.name, down)

    def call(self, node: tree.Call) -> str:
        name = node.name
        if name in SHAPES:
            words = self.pattern(node)
            return f"{_article(words)} {words} is {'there' if name == 'level' else 'forming'}"
        if name in ("triggered", "failed"):
            first = node.arguments[0].value
            words = self.pattern(first) if isinstance(first, tree.Name | tree.Call) else ""
            bars_ = self.value(node.arguments[1].value) if len(node.arguments) > 1 else "1"
            when = "on this bar" if bars_ == "1" else f"in the last {bars_} bars"
            return f"{_article(words)} {words} was {'confirmed' if name == 'triggered' else 'ended'} {when}"
        if name == "on":
            frame = node.arguments[0].value
            said = _FRAME.get(frame.name, frame.name) if isinstance(frame, tree.Name) else ""
            return f"on {said} bars, {self.value(node.arguments[1].value)}"
        if name == "at_report":
            n = self.value(node.arguments[1].value).split()[0] if len(node.arguments) > 1 else "1"
            which = "the latest report" if n == "0" else f"the report {n} before the latest"
            return f"{self.value(node.arguments[0].value)} as of {which}"
        if name == "stacked":
            kind = node.arguments[0].value
            windows = [self.value(a.value) for a in node.arguments[1:]]
            named = kind.name if isinstance(kind, tree.Name) else ""
            return f"the {' over '.join(w.split()[0] for w in windows)} {named} averages stand in order"
        if name not in CATALOGUE:
            return name
        template = CATALOGUE[name].said
        values = self.arguments(node)
        if not template:  # texts and forms are said as they are written
            return name.replace("_", " ")
        source = values.get("x", "close")
        values["x"], values["the x"] = source.removeprefix("the "), source
        by_name = {a.name for a in node.arguments}
        template = re.sub(r"\{(\w+):([^|]*)\|([^}]*)\}", lambda m: m.group(2 if m.group(1) in by_name else 3), template)
        template = template.replace("{of x}", "" if source in ("close", "the close") else f" of {source}")
        template, window = _windows(template, node)
        if window is not None:
            template += ", over the whole history" if window.condition is None else f" since {self.value(window.condition)}"
        said = re.sub(r"\{([\w ]+)\}", lambda m: values.get(m.group(1), ""), template)
        said = re.sub(r"(\d+) (week|day|month)s?-bar", r"\1-\2", said)
        return re.sub(r"\b1 bars", "1 bar", re.sub(r"(\d+ (?:week|day|month)s?) bars", r"\1", said))

    def arguments(self, node: tree.Call) -> dict[str, str]:
        entry = CATALOGUE[node.name]
        parameters = list(entry.parameters)
        positional = [a for a in node.arguments if a.name is None]
        if entry.source_optional and positional and isinstance(positional[0].value, tree.Number | tree.Count | tree.Since):
            parameters = parameters[1:]
        said = {p.name: p.default or "" for p in entry.parameters}
        for p, argument in zip(parameters, positional, strict=False):
            frame = p.takes == "frame" and isinstance(argument.value, tree.Name)  # `month` is a measure's name, too
            said[p.name] = argument.value.name if frame else self.value(argument.value)  # type: ignore[union-attr]
        for argument in node.arguments:
            if argument.name:
                said[argument.name] = self.value(argument.value)
        return {key: value.removesuffix(" bars").removesuffix(" bar") for key, value in said.items()}
