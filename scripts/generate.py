"""Writes what is made from the code: docs/language.md from the catalogue, docs/tables.md from the tables, web/src/lib/openapi.json from the API.

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


def main() -> int:
    stale = []
    made = (
        (ROOT / "docs" / "language.md", language()),
        (ROOT / "docs" / "tables.md", tables()),
        (ROOT / "web" / "src" / "lib" / "openapi.json", schema()),
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
