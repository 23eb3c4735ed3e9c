"""What can be wrong with a rule, said with its place and, where there is one, its mend."""

import re
from bisect import bisect_right
from dataclasses import dataclass
from functools import lru_cache

from rapidfuzz import fuzz, process

from wickcore.language.tree import Span


@dataclass(frozen=True, slots=True, order=True)
class Problem:
    """One error or one piece of advice. Lines and columns count from 1; `mend` is the text to put in place."""

    line: int
    column: int
    length: int
    message: str
    mend: str | None = None


class RuleError(ValueError):
    """A rule that cannot be run. Carries every problem found, in the order of the text."""

    def __init__(self, problems: list[Problem]) -> None:
        self.problems = sorted(set(problems))
        super().__init__("; ".join(f"line {p.line}, column {p.column}: {p.message}" for p in self.problems))


class Places:
    """Turns character offsets into lines and columns of one text."""

    def __init__(self, text: str) -> None:
        self.starts = [0, *(found.end() for found in re.finditer("\n", text))]

    def line_of(self, offset: int) -> int:
        return bisect_right(self.starts, offset)

    def problem(self, span: Span, message: str, mend: str | None = None) -> Problem:
        line = self.line_of(span.start)
        return Problem(line, span.start - self.starts[line - 1] + 1, max(1, span.end - span.start), message, mend)


def nearest(word: str, known: "list[str] | set[str] | tuple[str, ...]") -> str | None:
    """The known word most like `word`, or None when nothing is near enough to be worth proposing."""
    names = tuple(sorted(known))
    found = process.extractOne(word.lower(), _lowered(names), scorer=fuzz.ratio, score_cutoff=72)
    return names[found[2]] if found else None


@lru_cache(maxsize=16)
def _lowered(names: tuple[str, ...]) -> list[str]:
    return [name.lower() for name in names]
