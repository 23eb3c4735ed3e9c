"""The examples of the language that are nearest to a sentence which was not understood, by the words they share."""

import math
import re
from collections import Counter
from collections.abc import Iterable
from functools import cache

from wickcore.language.catalogue import CATALOGUE
from wickcore.language.ideas import IDEAS

MOST, LEAST = 3, 0.4  # how many, and how much of the words of both, by their weight, they share at least
_COMMON = frozenset(
    "a an and are as at be by for from has have in into is it its no not of on or than that the this to was were where which with day days bar bars".split()
)


def _words(text: str) -> list[str]:
    """The words that tell something, without the endings by which they are bent."""
    found = re.findall(r"[a-z]+|\d+", text.lower())
    return [re.sub(r"(?:ing|ed|es|s)$", "", word) if len(word) > 4 else word for word in found if word not in _COMMON]


@cache
def _examples() -> tuple[tuple[str, str, frozenset[str]], ...]:
    """Each example with its words: what the reference's headings say, then what each entry of the catalogue is."""
    told = [(said, line) for said, line in IDEAS]
    for entry in CATALOGUE.entries.values():
        if "." not in entry.name and entry.example:
            told.append((entry.help.split(". ")[0].rstrip("."), entry.example))
    return tuple((said, line, frozenset(_words(said))) for said, line in told)


@cache
def _weights() -> dict[str, float]:
    """The rarer a word is among the examples, the more it tells."""
    examples = _examples()
    counts = Counter(word for _, _, words in examples for word in words)
    return {word: math.log(len(examples) / n) for word, n in counts.items()}


def nearest_examples(said: str) -> list[tuple[str, str]]:
    """Up to MOST examples, as (what it says, its line), the nearest first."""
    weights, wanted = _weights(), set(_words(said))
    unknown = math.log(len(_examples()))

    def weight(words: Iterable[str]) -> float:
        return sum(weights.get(word, unknown) for word in words)

    scored = [
        (2 * weight(wanted & words) / (weight(wanted) + weight(words)), said_so, line)
        for said_so, line, words in _examples()
        if wanted & words
    ]
    return [(said_so, line) for score, said_so, line in sorted(scored, reverse=True)[:MOST] if score >= LEAST]
