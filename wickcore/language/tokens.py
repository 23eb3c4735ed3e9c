"""The words and signs of a statement, found by one regular expression, and what is said of one that does not fit."""

import re
from typing import NoReturn

from wickcore.language.problems import Places, RuleError, nearest
from wickcore.language.tree import Span

_TOKEN = re.compile(
    r"[ \t\r\n]*(?:(?P<framed>[0-9]+(?:d|w|mo|y)\b)|(?P<intraday>(?:5|15|30|65)min\b)"
    r"|(?P<number>[0-9]+(?:_[0-9]{3})*(?:\.[0-9]+)?(?:%|(?:bn|[kmb])\b)?)|(?P<said>is[ \t]+(?:above|below)\b)"
    r'|(?P<string>"[^"\n]*")|(?P<name>[a-z_][a-z0-9_]*)|(?P<sign>>=|<=|==|!=|[-+*/^()<>=.,:])|(?P<end>\Z))'
)
_UNKNOWN = re.compile(r"[ \t\r\n]*(?P<unknown>.)", re.DOTALL)
COMPARISONS = {">", "<", ">=", "<=", "==", "!="}
JOINING = ("and", "or", "held", "once", "crosses", "between", "near", "in", "ago", "by", "above", "below")
_SAID = {"above": ">", "below": "<"}  # `is above`, as people say it; the layout writes the sign
_MENDS = {"≥": ">=", "≤": "<=", "−": "-", "×": "*", "÷": "/", "≠": "!=", "“": '"', "”": '"', "'": '"'}


class TokenReader:
    """The words and signs of one statement, and saying why the one that stands next cannot; `words` says how many there are.

    own_all: whether `all` is a name that the rule gave.
    """

    def __init__(self, text: str, start: int, places: Places, own_all: bool = False) -> None:
        self.text, self.start, self.places, self.own_all = text, start, places, own_all
        self.kinds: list[str] = []
        self.texts: list[str] = []
        self.begins: list[int] = []
        self.ends: list[int] = []
        self.i = self.depth = self.operators = 0
        self._scan()

    def _scan(self) -> None:
        at, start, match = 0, self.start, _TOKEN.match
        kinds, texts, begins, ends = self.kinds, self.texts, self.begins, self.ends
        while True:
            found = match(self.text, at)
            if found is None:
                # What went before may already be wrong; the reader says so first, if it comes upon that.
                found = _UNKNOWN.match(self.text, at)
                assert found
            kind = found.lastgroup
            assert kind
            word, at = found[kind], found.end()
            begin = start + at - len(word)
            if kind == "said":
                kind, word = "sign", _SAID[word.split()[1]]
            kinds.append(word if kind == "sign" else kind)
            texts.append(word)
            begins.append(begin)
            ends.append(start + at)
            if kind in ("end", "unknown"):
                return

    @property
    def words(self) -> int:
        return len(self.kinds) - 1

    # -- errors ------------------------------------------------------------------------------------------------------

    def fail(self, span: Span, message: str, mend: str | None = None) -> NoReturn:
        raise RuleError([self.places.problem(span, message, mend)])

    def here(self) -> Span:
        return Span(self.begins[self.i], self.ends[self.i])

    def unexpected(self, words: tuple[str, ...] = ()) -> NoReturn:
        """Says why what stands here cannot; `words` are those of the language that could."""
        kind, word, at = self.kinds[self.i], self.texts[self.i], self.here()
        operand = not words
        if kind == "unknown":
            self._unknown()
        if kind == "end":
            self._ends(words)
        if kind == "=":
            self.fail(at, "A comparison for equality is written `==`.", "==")
        if kind == ")":
            if self.text.count(")") > self.text.count("("):
                self.fail(at, "This bracket closes nothing; take it out.", "")
            self.fail(at, "A value is missing before this bracket.")
        if not operand and kind in ("number", "framed"):
            self.fail(at, f"`{word}` follows a value without an operator, such as `>` or `+`, between them.")
        if operand and kind in COMPARISONS:
            self.fail(at, f"A value is missing before `{word}`.")
        near = nearest(word, words) if kind == "name" and words else None
        if near:
            self.fail(at, f"`{word}` does not fit here: did you mean `{near}`?", near)
        self.fail(at, f"`{word}` does not fit here.")

    def _unknown(self) -> NoReturn:
        char, begin = self.texts[self.i], self.begins[self.i]
        at = Span(begin, begin + 1)
        if char in _MENDS:
            self.fail(at, f"`{char}` is written `{_MENDS[char]}` here.", _MENDS[char])
        if char.isupper():
            word = re.match(r"\w+", self.text[begin - self.start :])
            assert word
            self.fail(Span(begin, begin + word.end()), "Names are in lower case.", word.group().lower())
        if char == '"':
            self.fail(at, "A text in quotes is never closed; end it with a quote on the same line.")
        if char in "&|":
            word_for = "and" if char == "&" else "or"
            self.fail(at, f"`{char}` means nothing here; write `{word_for}`.", word_for)
        self.fail(at, f"`{char}` means nothing in a rule.")

    def _ends(self, words: tuple[str, ...]) -> NoReturn:
        end = self.start + len(self.text.rstrip())
        if self.text.count("(") > self.text.count(")"):
            self.fail(Span(end, end + 1), "A bracket is never closed; add `)`.", ")")
        if words == ("ago",):
            self.fail(Span(end - 1, end), "A number after a value needs `ago` behind it, or an operator between them.")
        if words == (":",):
            self.fail(Span(end, end + 1), "A group's first line ends with a colon.", ":")
        self.fail(Span(max(self.start, end - 1), end), "The line ends too early: a value is missing at the end.")
