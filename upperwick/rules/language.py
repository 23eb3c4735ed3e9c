"""Routes around the language: lay a rule out, turn it to the other side, read it aloud, and make a line of a phrase."""

from django.http import HttpRequest
from ninja import Router, Schema
from pydantic import Field

from upperwick.market.services import open_market
from upperwick.rules.services import parts_for
from wickcore.bars.frame_names import FRAMES
from wickcore.language.check import check_rule
from wickcore.language.layout import format_rule
from wickcore.language.mirror import mirror
from wickcore.language.parser import MAX_CHARACTERS
from wickcore.language.phrases import from_phrase
from wickcore.language.read_aloud import read_aloud

router = Router(tags=["language"])


class TextIn(Schema):
    text: str = Field(max_length=MAX_CHARACTERS + 1)


class PhraseIn(Schema):
    text: str = Field(max_length=300)


class TextOut(Schema):
    text: str


class NoteOut(Schema):
    line: int
    text: str


class MirrorOut(Schema):
    text: str
    notes: list[NoteOut]


class OfferOut(Schema):
    """said: the words it was made of, or what an example says. words: what the line says."""

    said: str
    line: str
    words: str


class PhraseOut(Schema):
    """words: what each of the lines says. unknown: the words in the way, where there are no lines; offers: lines near to what was said."""

    lines: list[str]
    words: list[str]
    unknown: list[str]
    offers: list[OfferOut]


@router.post("/format", response=TextOut, operation_id="format_rule")
def lay_out(request: HttpRequest, body: TextIn):
    """The rule in its canonical layout."""
    return {"text": format_rule(body.text)}


@router.post("/mirror", response=MirrorOut, operation_id="mirror_rule")
def other_side(request: HttpRequest, body: TextIn):
    """The rule for the other side, with notes on what stayed as it was."""
    check_rule(body.text, parts_for(request.user, body.text), base=FRAMES[0])
    found = mirror(body.text)
    return {"text": found.text, "notes": [{"line": line, "text": text} for line, text in found.notes]}


@router.post("/aloud", response=list[NoteOut], operation_id="read_aloud")
def aloud(request: HttpRequest, body: TextIn):
    """The rule in plain sentences, one a line."""
    return [{"line": line, "text": text} for line, text in read_aloud(body.text)]


@router.post("/phrase", response=PhraseOut, operation_id="phrase")
def phrase(request: HttpRequest, body: PhraseIn):
    """The line or lines a phrase means, or the words that were not understood."""
    found = from_phrase(body.text, open_market().market.finest)
    return {
        "lines": found.lines, "words": [_words(line) for line in found.lines], "unknown": found.unknown,
        "offers": [{"said": said, "line": line, "words": _words(line)} for said, line in found.offers],
    }  # fmt: skip


def _words(line: str) -> str:
    """A line in a plain sentence."""
    return " ".join(words.strip() for _, words in read_aloud(line))
