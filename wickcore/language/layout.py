"""The canonical layout of a rule: headers in order, one space around operators, four spaces a group, comments kept."""

import re
from collections.abc import Callable, Iterator
from dataclasses import dataclass

from wickcore.language import tree
from wickcore.language.formatter import statement
from wickcore.language.parser import HEADERS, mask_comment, parse

Writer = Callable[[tree.Statement, str], str]
_HEADER = re.compile(rf"({'|'.join(HEADERS)})[ \t]*:(?!\s*=)", re.IGNORECASE)


@dataclass(frozen=True, slots=True)
class Piece:
    """A statement's line with its comment, a comment alone, or a blank line."""

    kind: str
    comment: str = ""


def format_rule(text: str) -> str:
    """The rule in its canonical layout. Formatting twice changes nothing. Raises RuleError where the text cannot be read."""
    return lay_out(parse(text), statement)


def lay_out(rule: tree.RuleText, write: Writer, headers: dict[str, str] | None = None, comments: bool = True) -> str:
    """The rule's text, each statement as `write` says it. headers: values instead of the rule's own. comments: whether they are written."""
    said = {key: value for key, (value, _) in rule.headers.items()} | (headers or {})
    if said.get("side") == "long":
        del said["side"]  # what a rule is that says nothing
    lines = [f"{key}: {' '.join(said[key].split())}" for key in HEADERS if said.get(key)]
    if lines:
        lines.append("")
    flat = list(_flat(rule.statements, 0))
    at = 0
    for piece in pieces_of(rule.text) if comments else without_comments(pieces_of(rule.text)):
        indent = "    " * (flat[at][0] if at < len(flat) else 0)
        if piece.kind == "blank":
            lines.append("")
        elif piece.kind == "comment":
            lines.append(f"{indent}# {piece.comment}".rstrip())
        elif at < len(flat):
            body = write(flat[at][1], rule.text)
            lines.append(f"{indent}{body}" + (f"  # {piece.comment}" if piece.comment else ""))
            at += 1
    kept: list[str] = []
    for line in lines:
        if line or (kept and kept[-1]):
            kept.append(line)
    while kept and not kept[-1]:
        kept.pop()
    return "\n".join(kept) + "\n" if kept else ""


def _flat(statements: tuple[tree.Statement, ...], depth: int) -> Iterator[tuple[int, tree.Statement]]:
    for s in statements:
        yield depth, s
        if isinstance(s, tree.Group):
            yield from _flat(s.children, depth + 1)


def without_comments(pieces: Iterator[Piece]) -> Iterator[Piece]:
    """The pieces of a text but for what is a comment."""
    return (Piece(piece.kind) for piece in pieces if piece.kind != "comment")


def has_comments(text: str) -> bool:
    """Whether a person has written a comment beside or between the lines."""
    return any(piece.comment for piece in pieces_of(text, heading=False))


def pieces_of(text: str, heading: bool = True) -> Iterator[Piece]:
    """The text's lines after the headers, continued ones as one. heading: whether it begins with header lines."""
    depth, comments, begun, commented = 0, [], False, False  # type: int, list[str], bool, bool
    for raw in text.split("\n"):
        masked = mask_comment(raw)
        comment = raw[len(masked.rstrip()) :].strip().lstrip("#").strip() if "#" in raw[len(masked.rstrip()) :] else ""
        if heading and _HEADER.match(masked):
            continue
        if not masked.strip() and not begun:
            if comment or raw.strip().startswith("#"):
                yield Piece("comment", comment)
                commented = True
            elif not heading or commented:
                yield Piece("blank")
            continue
        heading = False
        if comment:
            comments.append(comment)
        outside = re.sub(r'"[^"]*"', "", masked)
        depth = max(0, depth + outside.count("(") - outside.count(")"))
        begun = depth > 0
        if not begun:
            yield Piece("line", "; ".join(comments))
            comments = []
