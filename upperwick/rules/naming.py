"""What the head of a rule's text says, and how its name is changed there."""

from wickcore.language.parser import read_head

LONGEST = 120  # characters of a name


def with_name(text: str, name: str) -> str:
    """The rule's text with its `name:` line set, added on top where there was none."""
    found = read_head(text).get("name")
    if found is None:
        return f"name: {name}\n{text}"
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    lines[found.line - 1] = f"name: {name}"
    return "\n".join(lines)


def same_but_name(one: str, other: str) -> bool:
    """Whether two texts differ in nothing but the name they give themselves."""
    return with_name(one, "-") == with_name(other, "-")


def cleaned(name: str) -> str:
    """A name as rules are named: one line, no runs of blanks, no quotes, since other rules use it by name within quotes; "" for none."""
    return " ".join("".join(c if c.isprintable() else " " for c in name).replace('"', "'").split())[:LONGEST].strip()


def name_in(text: str) -> str:
    """The name the text gives itself, or ""."""
    return header_in(text, "name")[:LONGEST]


def header_in(text: str, key: str) -> str:
    """What a header line says, without its comment, or ""."""
    found = read_head(text).get(key)
    return found.value if found else ""
