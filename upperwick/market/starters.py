"""What ships with the application, in the market that is there."""

import re

from upperwick.market.models import Universe


def at_home(text: str) -> str:
    """A text that ships with the application, in this market: a universe that it has not is left out, so that all instruments are meant."""
    found = re.search(r"^universe:(.*)\n", text, re.MULTILINE)
    if found is None or Universe.objects.filter(name=found[1].strip()).exists():
        return text
    return text[: found.start()] + text[found.end() :]
