"""The interface says what a trader would search for: phrases that were replaced do not come back."""

import re
from pathlib import Path

import pytest

ROOT = Path(__file__).resolve().parents[2]
REPLACED = {
    "narrow it": "basic filters",
    "to mend": "errors",
    "Lay it out": "Format",
    "Run it by itself": "Schedule",
    "Tell me": "Alert",
    "Told today": "Alerts today",
    "Count it as a breadth": "Use as a breadth line",
    "What it leaves": "Results",
    "The way there": "Average path",
    "worst fall": "max drawdown",
    "under the highest so far": "drawdown",
    "stop that followed": "trailing stop",
    "Leave it to the clock": "Trade on paper",
    "Take it from the clock": "Stop trading on paper",
    "left to the clock": "traded on paper",
    "Keep the plan": "Save plan",
    "Take the plan away": "Delete plan",
    "Leave it as it was": "Discard",
    "Put away": "Cancel import",
    "Take it out": "Remove",
    "Write it": "Export",
    "it came to": "Results",
    "passings": "crossings",
    "what it speaks of": "chart",
    "figures are of before": "Figures not updated",
    "Looking at the evening": "Loading",
    "run of hits before": "previous hits",
    "let go of what is drawn": "deselect drawing",
    "Begin one from the rule": "New book from rule",
    "Bring in": "Import",
    "Bring data in": "Import data",
    "Take everything out": "Export everything",
    "Return / fall": "Return / drawdown",
}
SHOWN = re.compile(r">([^<>{}]+)[<{]|'((?:[^'\\\n]|\\.)*)'|`([^`\n]*)`|(?:title|label|aria-label|name|placeholder)=\"([^\"]*)\"")
FILES = sorted(
    path
    for path in (
        *(ROOT / "web" / "src").rglob("*.svelte"),
        *(ROOT / "web" / "src").rglob("*.ts"),
        *(ROOT / "upperwick").rglob("*.html"),
    )
    if not path.name.endswith((".test.ts", ".d.ts"))
)


def shown(text: str) -> list[str]:
    """What a file may show: text between tags, strings, labels; no comments, no names of routes or fields."""
    text = re.sub(r"/\*.*?\*/|<!--.*?-->|^\s*//.*?$", "", text, flags=re.DOTALL | re.MULTILINE)
    found = (next(part for part in match if part is not None) for match in (m.groups() for m in SHOWN.finditer(text)))
    return [said for said in found if " " in said.strip() or said[:1].isupper()]


@pytest.mark.parametrize("phrase", REPLACED)
def test_a_replaced_phrase_is_shown_nowhere(phrase: str) -> None:
    again = re.compile(rf"\b{re.escape(phrase)}\b", re.IGNORECASE if phrase.islower() else 0)
    places = [
        f"{path.relative_to(ROOT)}: {said.strip()[:80]}" for path in FILES for said in shown(path.read_text()) if again.search(said)
    ]
    assert places == [], f"say `{REPLACED[phrase]}`"


def test_what_is_shown_is_read_out_of_files() -> None:
    page = """<!-- Bring in --><b title="Bring in">Lay it out</b> {open ? 'Take it out' : `Write it`} // Tell me
    /* Put away */"""
    assert shown(page) == ["Bring in", "Lay it out", "Take it out", "Write it"]
