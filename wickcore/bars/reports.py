"""Quarterly reports as facts that stand from the day they are published on."""

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from wickcore.bars.market import FACT_COLUMNS, Facts


class Published(NamedTuple):
    """A quarterly report: the day it became known (days since 1970), shares outstanding, and money of that day. expected: what was earned as
    it had been expected, None where nobody said."""

    day: int
    shares: float
    revenue: float
    earnings: float
    expected: float | None = None


def facts_of(instruments: Sequence[tuple[Sequence[Published], Sequence[tuple[int, float]]]]) -> Facts:
    """Rows of facts, and a further row at each split that restates shares and earnings a share.

    instruments: of each, in their order, its reports and its splits (day, ratio), both ascending by day.
    """
    lengths, days, kinds = [], [], []
    columns: dict[str, list[float]] = {name: [] for name in FACT_COLUMNS}
    for reports, splits in instruments:
        made = _fact_rows(reports, splits)
        lengths.append(len(made))
        for day, is_report, values in made:
            days.append(day)
            kinds.append(is_report)
            for name, value in zip(FACT_COLUMNS, values, strict=True):
                columns[name].append(value)
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    return Facts(
        offsets, np.array(days, np.int32), np.array(kinds, np.bool_), {name: np.array(c, np.float64) for name, c in columns.items()}
    )


def _fact_rows(reports: Sequence[Published], splits: Sequence[tuple[int, float]]) -> list[tuple[int, bool, tuple[float, ...]]]:
    made: list[tuple[int, bool, tuple[float, ...]]] = []
    nan = float("nan")
    for i, (day, shares, revenue, earnings, expected) in enumerate(reports):
        year = reports[i - 4] if i >= 4 else None
        four = sum(r[3] for r in reports[i - 3 : i + 1]) if i >= 3 else nan
        growth = revenue / year[2] - 1 if year and year[2] else nan
        # Earnings a share of both quarters on today's count of shares, so that a split between them does not look like a loss.
        earned = earnings / year[3] - 1 if year and year[3] > 0 else nan
        surprise = (earnings - expected) / abs(expected) if expected else nan
        made.append((day, True, (shares, four / shares if shares else nan, growth, earned, surprise)))
    for day, ratio in splits:
        before = [row for row in made if row[0] < day and row[1]]
        if before and not any(row[0] == day for row in made):
            shares, eps, *rest = next(v for d, _, v in reversed(sorted(made, key=lambda r: r[0])) if d < day)
            made.append((day, False, (shares * ratio, eps / ratio, *rest)))
    return sorted(made, key=lambda row: row[0])
