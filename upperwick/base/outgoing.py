"""Text that leaves the application in pages, tables and mails: one function for each, whatever a person or a file called things."""

import re
from typing import Any

from django.utils.html import escape

MAX_HEADER = 300
_FORMULA = re.compile(r"^[=+\-@\t\r]")


def in_html(text: object) -> str:
    """A text within a page or a mail's page, or within an attribute there."""
    return str(escape(str(text)))


def in_csv(value: Any) -> Any:
    """A cell of a table that a person opens in a spreadsheet: a text that would be taken for a formula is kept a text (OWASP, "CSV
    Injection"); numbers are numbers."""
    return f"'{value}" if isinstance(value, str) and _FORMULA.match(value) else value


def rows_in_csv(rows: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """Rows of a table, each cell as `in_csv` has it."""
    return [{in_csv(name): in_csv(value) for name, value in row.items()} for row in rows]


def in_header(text: str) -> str:
    """A text within a mail's header: one line, and not too long (RFC 5322, 2.1.1)."""
    return re.sub(r"[\x00-\x1f\x7f\u2028\u2029]+", " ", text)[:MAX_HEADER].strip()


def in_file_name(text: str) -> str:
    """A text as the name of a file, without what a system takes for more than that."""
    return re.sub(r"[^\w.\-^=& ]+", "_", text)
