"""Names with a meaning of their own to the checker."""

from wickcore.language.catalogue import Entry, Parameter

ENTRIES = (
    Entry(
        "on", "frames", "form", "number",
        "Evaluates an expression on another frame; a coarser bar is always the one so far.",
        "on(week, x): x on weekly bars", "as x needs, in bars of that frame",
        example="on(week, close > sma(40))",
        parameters=(Parameter("frame", "frame", None, "day, week or month"), Parameter("x", "number", None, "any expression")),
    ),
)  # fmt: skip
