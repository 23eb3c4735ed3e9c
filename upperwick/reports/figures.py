"""How a report writes its numbers."""

from typing import Any

from django import template

register = template.Library()
UNKNOWN = "–"


def _number(value: Any) -> bool:
    """Whether there is a number to write: a figure that is not known is None, and one of a part that is missing is empty."""
    return isinstance(value, int | float) and not isinstance(value, bool)


@register.filter
def percent(value: Any, digits: int = 2) -> str:
    """A fraction as a percentage with its sign, a dash for what is not known."""
    return UNKNOWN if not _number(value) else f"{value * 100:+.{digits}f}%".replace("-", "−")


@register.filter
def share(value: Any, digits: int = 1) -> str:
    """A share as a percentage without a sign."""
    return UNKNOWN if not _number(value) else f"{value * 100:.{digits}f}%"


@register.filter
def whole(value: Any) -> str:
    """A count with its thousands apart."""
    return UNKNOWN if not _number(value) else f"{value:,}"
