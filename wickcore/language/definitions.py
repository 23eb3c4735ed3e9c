"""The definitions of the catalogue as trees, with what is the same at each use marked."""

from dataclasses import dataclass, fields, replace
from functools import cache
from typing import Any

from wickcore.language import tree
from wickcore.language.parser import parse_expression
from wickcore.language.tree import Span


@dataclass(slots=True, eq=False)
class Closed:
    """A part of a definition that names none of its arguments: checked once a rule, however often the definition is used."""

    node: Any
    span: Span


@cache
def definition_of(text: str, names: frozenset[str]) -> Any:
    """The tree of a definition, or of an argument's default. names: the arguments it may name. There are as many as the catalogue holds."""
    return _mark(parse_expression(text), names)


def _mark(node: Any, names: frozenset[str]) -> Any:
    if isinstance(node, tuple):
        return tuple(_mark(one, names) for one in node)
    if not _is_node(node):
        return node
    named = {inside.name for inside in _names(node)}
    if not named:
        return node  # plain numbers are looked at as they are
    if not named & names and not isinstance(node, tree.Name | tree.Argument):
        return Closed(node, node.span)
    return replace(node, **{f.name: _mark(getattr(node, f.name), names) for f in fields(node) if f.init})


def _is_node(node: Any) -> bool:
    return isinstance(node, tree.Node | tree.Argument)


def _names(node: Any) -> list[Any]:
    """All names and calls below a node, itself included."""
    found = [node] if isinstance(node, tree.Name | tree.Call | tree.Part) else []
    for f in fields(node):
        value = getattr(node, f.name)
        for one in value if isinstance(value, tuple) else (value,):
            if _is_node(one):
                found += _names(one)
    return found
