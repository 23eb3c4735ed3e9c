"""Which block a bar lies in: daily bars by their year, five-minute bars by their month, so that a step of a session rewrites little."""

from typing import Any

from wickcore.bars.frame_names import within_day
from wickcore.bars.merge import Table


def spans(table: Table) -> Any:
    """The span of each bar of a table: its year or, where the bars have minutes, its month counted from that of year 0."""
    months = table["days"].astype("datetime64[D]").astype("datetime64[M]").astype(int) + 1970 * 12
    return months if "minute" in table else months // 12


def year_of(frame: str, span: int) -> int:
    """The year that a span lies in."""
    return span // 12 if within_day(frame) else span
