"""The kinds of messages, with the words the outbox shows for each. A new kind is one row here."""

KINDS: dict[str, str] = {
    "alert": "alert",
    "schedule": "schedule",
    "position": "position",
    "paper": "paper order",
    "data": "data",
}


def checked(kind: str) -> str:
    """The kind. Raises ValueError for one that is not declared: a message of it would be shown without words."""
    if kind not in KINDS:
        raise ValueError(f"There is no kind of message {kind!r}; declare it in outbox/kinds.py.")
    return kind


def words_of(kind: str) -> str:
    """The words for a stored kind; its own name where a newer version stored it."""
    return KINDS.get(kind, kind)
