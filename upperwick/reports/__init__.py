"""The frame of the pages that leave the application: one HTML file each that needs nothing else."""

from pathlib import Path
from typing import Any

from django.template import Context, Engine

from upperwick.reports.palette import LIGHT

FRAME = Path(__file__).parent / "templates"


def render(template: Path, context: dict[str, Any]) -> str:
    """A page from a template that extends `page.html`, in the application's colours."""
    engine = Engine(dirs=[FRAME], builtins=["upperwick.reports.figures"])
    return engine.from_string(template.read_text(encoding="utf-8")).render(Context({**context, "colours": LIGHT}))
