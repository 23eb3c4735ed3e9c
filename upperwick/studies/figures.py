"""How a report writes its numbers."""

from typing import Any

from django import template

register = template.Library()


@register.filter
def percent(value: Any, digits: int = 2) -> str:
    """A fraction as a percentage with its sign, a dash for what is not known."""
    return "–" if value is None else f"{value * 100:+.{digits}f}%".replace("-", "−")


@register.filter
def share(value: Any, digits: int = 1) -> str:
    """A share as a percentage without a sign."""
    return "–" if value is None else f"{value * 100:.{digits}f}%"


@register.filter
def whole(value: Any) -> str:
    """A count with its thousands apart."""
    return "–" if value is None else f"{value:,}"
