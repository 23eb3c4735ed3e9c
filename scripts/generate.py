"""Writes what is made from the code: docs/language.md from the catalogue, docs/tables.md from the tables, web/src/lib/openapi.json from the API,
web/src/lib/constants.ts and web/src/palette.css from what the interface has in common with the code.

With --check it writes nothing and fails where a file is stale.
"""

import json
import os
import sys
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
sys.path.insert(0, str(ROOT))
os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")


def language() -> str:
    """The language reference."""
    from wickcore.language.catalogue import CATALOGUE
    from wickcore.language.positions import POSITION_NAMES

    families: dict[str, list[str]] = {}
    for entry in CATALOGUE.entries.values():
        if entry.kind == "pattern":
            continue  # a table of their own
        row = (
            f"| `{entry.signature}` | {entry.help} | `{entry.formula}` | {entry.unknown_for} | {entry.source} | `{entry.example}` |"
        )
        families.setdefault(entry.family, []).append(row.replace(" || ", " "))
    head = (ROOT / "docs" / "language-head.md").read_text()
    parts = [head.rstrip(), "\n## The catalogue\n", "Made from the catalogue in the code; do not edit below this line.\n"]
    for family, rows in families.items():
        parts.append(f"\n### {family.capitalize()}\n\n| name | what it is | formula | unknown for | source | example |")
        parts.append("|---|---|---|---|---|---|")
        parts.extend(rows)
        if family == "patterns":
            parts.extend(patterns())
    parts += [
        "\n### Of a position, in books\n",
        "Known in a book's lines only ([books.md](books.md)).\n",
        "| name | what it is | where | example |",
    ]
    parts.append("|---|---|---|---|")
    parts += [f"| `{n.name}` | {n.help} | {', '.join(n.where)} | `{n.example}` |" for n in POSITION_NAMES.values()]
    return "\n".join(parts) + "\n"


def patterns() -> list[str]:
    """The parts all patterns have, once; then the patterns, each with its own."""
    from wickcore.language.catalogue import CATALOGUE
    from wickcore.language.entries.pattern_parts import COMMON

    found = ["\nEvery pattern has these parts:\n", "| part | what it is |", "|---|---|"]
    found += [f"| `.{name}` | {said} |" for name, _, _, said in COMMON if name != "quality"]
    found.append("| `.quality` | 0 to 100, as each pattern says. |")
    found += ["\n| pattern | what it is | made of | parts of its own | quality | source |", "|---|---|---|---|---|---|"]
    common = {name for name, *_ in COMMON}
    for entry in CATALOGUE.entries.values():
        if entry.kind == "pattern" and "." not in entry.name:
            whole = [e for n, e in CATALOGUE.entries.items() if n.startswith(entry.name + ".")]
            own = [e for e in whole if e.name.partition(".")[2] not in common]
            said = "; ".join(f"`.{e.name.partition('.')[2]}` {e.help[0].lower()}{e.help[1:].rstrip('.')}" for e in own)
            quality = CATALOGUE[f"{entry.name}.quality"].help.removeprefix("0 to 100: ")
            found.append(f"| `{entry.signature}` | {entry.help} | {entry.formula} | {said} | {quality} | {entry.source} |")
    return found


def tables() -> str:
    """The open tables that a market comes and leaves as."""
    from upperwick.data.reading.tables import TABLES

    parts = [
        "# The open tables\n",
        "Made from `upperwick/data/reading/tables.py`; do not edit. Columns in bold have to be there.\n",
    ]
    for table in TABLES.values():
        parts += [f"## {table.title}\n", f"`{table.name}`. {table.about} A row is the same row by {', '.join(table.key)}.\n"]
        parts += ["| column | what it is | also called |", "|---|---|---|"]
        for column in table.columns:
            name = f"**{column.name}**" if column.needed else column.name
            parts.append(f"| {name} | {column.about} | {', '.join(column.also)} |")
        parts.append("")
    return "\n".join(parts)


def schema() -> str:
    """The API's OpenAPI schema."""
    import django

    django.setup()
    from upperwick.urls import api

    return json.dumps(api.get_openapi_schema(path_prefix="/api/"), indent=1, default=str) + "\n"


def constants() -> str:
    """What the interface has in common with the code: defaults, limits, frames, words."""
    import django

    django.setup()
    from typing import get_args

    from upperwick.accounts.preferences import PreferencesDoc
    from upperwick.books.words import OUTCOMES, REASONS
    from upperwick.charts.series import CHART_BARS
    from upperwick.events.kinds import stale_after
    from upperwick.rules.scan import MOST_COLUMNS
    from wickcore.bars.frame_names import MINUTES, ChartFrame
    from wickcore.trade.defaults import COST, INDEX_COST

    values = {
        "CHART_BARS": ("Bars a chart holds at most.", CHART_BARS),
        "MOST_COLUMNS": ("Columns a table has at most.", MOST_COLUMNS),
        "COST": ("The usual cost of an order, a fraction a side.", COST),
        "INDEX_COST": ("The same, of an index.", INDEX_COST),
        "CHART_FRAMES": ("Whose bars a chart can draw, the shortest first.", get_args(ChartFrame)),
        "WITHIN_DAY": ("Those of which several make a day.", tuple(MINUTES)),
        "USUAL_PREFERENCES": ("What an account has chosen until it chooses.", PreferencesDoc().model_dump()),
        "STALE_AFTER": ("The queries whose answers each kind of event makes stale.", stale_after()),
        "OUTCOMES": ("What came of a signal, in words.", OUTCOMES),
        "REASONS": ("Why a trade ended, in words.", REASONS),
    }
    parts = ["/* Made by `make docs` from the code; do not edit. */"]
    for name, (about, value) in values.items():
        as_const = "" if isinstance(value, int | float) or name == "USUAL_PREFERENCES" else " as const"
        parts.append(f"/** {about} */\nexport const {name} = {json.dumps(value, ensure_ascii=False, indent=2)}{as_const}")
    return "\n\n".join(parts) + "\n"


def main() -> int:
    from upperwick.reports.palette import style_sheet

    stale = []
    made = (
        (ROOT / "docs" / "language.md", language()),
        (ROOT / "docs" / "tables.md", tables()),
        (ROOT / "web" / "src" / "lib" / "openapi.json", schema()),
        (ROOT / "web" / "src" / "lib" / "constants.ts", constants()),
        (ROOT / "web" / "src" / "palette.css", style_sheet()),
    )
    for path, text in made:
        if path.exists() and path.read_text() == text:
            continue
        if "--check" in sys.argv:
            stale.append(str(path.relative_to(ROOT)))
        else:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)
    if stale:
        print(f"Stale: {', '.join(stale)}; run `make docs`.", file=sys.stderr)
    return 1 if stale else 0


if __name__ == "__main__":
    sys.exit(main())
