"""The `name:` line of a rule's text, and its other header lines."""

import re

_NAME = re.compile(r"^name[ ]*:.*$", re.MULTILINE)


def with_name(text: str, name: str) -> str:
    """The rule's text with its `name:` line set, added on top where there was none."""
    line = f"name: {name}"
    return _NAME.sub(lambda _: line, text, count=1) if _NAME.search(text) else f"{line}\n{text}"


def name_in(text: str) -> str:
    """The name the text gives itself, or ""."""
    match = _NAME.search(text)
    return match.group().split(":", 1)[1].strip()[:120] if match else ""


def header_in(text: str, key: str) -> str:
    """What a header line says, without its comment, or ""."""
    match = re.search(rf"^{key}[ ]*:(.*)$", text, re.MULTILINE)
    return match.group(1).split("#")[0].strip() if match else ""
