"""What a rule can name of its owner: the texts of other rules, for `use`, and of breadths, for `breadth`, in one mapping.

A breadth stands in it under what a rule writes to name it, which holds quotes and so can be no rule's name. So does what the core calls a
universe, where it calls it otherwise than a person does.
"""

import re
from collections.abc import Iterable, Mapping

_KEY = re.compile(r'^breadth\("(.*)"\)$')
_BREADTH = re.compile(r'\bbreadth\s*\(\s*"([^"\n]*)"')
_FOR = re.compile(r'\bfor\s*=\s*"([^"\n]*)"')
_USE = re.compile(r'^[ \t]*use[ \t]+"([^"\n]*)"', re.MULTILINE)


def key_of(breadth: str) -> str:
    """What a breadth of this name is called among the parts."""
    return f'breadth("{breadth}")'


def name_of(key: str) -> str | None:
    """The name of a breadth's key; None for a rule's name."""
    found = _KEY.match(key)
    return found[1] if found else None


def renamed_in(text: str, was: str, name: str) -> str:
    """The text, naming by its new name the breadth that it named by the former one. All else stays to the letter."""
    return _BREADTH.sub(lambda m: m[0][: -len(was) - 1] + name + '"' if m[1] == was else m[0], text)


def universe_said(name: str) -> str:
    """Under what stands among the parts what the core calls a universe that a text names."""
    return f'universe("{name}")'


def universes_in(text: str) -> list[str]:
    """The universes that the breadths of a text are told of."""
    return _FOR.findall(text)


def named_in(text: str) -> list[str]:
    """The keys of all parts that a text names itself."""
    return [*_USE.findall(text), *(key_of(name) for name in _BREADTH.findall(text))]


def those_used(text: str, parts: Mapping[str, str], without: Iterable[str] = ()) -> dict[str, str]:
    """Of the parts those that a text names, directly or through others. without: keys that are left out with what only they name."""
    found: dict[str, str] = {}
    waiting, out = named_in(text), set(without)
    while waiting:
        key = waiting.pop()
        if key in parts and key not in found and key not in out:
            found[key] = parts[key]
            waiting += named_in(parts[key])
    return found
