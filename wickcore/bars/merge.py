"""Bars put together: what a file brings is merged into what is there, by moment, and nothing else is touched."""

from dataclasses import dataclass, field
from typing import Any

import numpy as np

from wickcore.bars.moment import CLOSE, keys

Table = dict[str, Any]
PRICES = ("open", "high", "low", "close", "volume")
CHANGES_KEPT = 5  # of one merge, to be shown
JUMP = 0.05  # by which an adjusted close moves more than the printed one where two files meet, before it is worth saying


@dataclass(frozen=True, slots=True)
class Change:
    """A stored bar that a file changed. key: its moment's. old, new: the prices and the volume."""

    key: int
    old: tuple[float, ...]
    new: tuple[float, ...]


@dataclass(slots=True)
class Merged:
    """table: everything, ascending. added, replaced, same: bars of the file that are new, that changed a stored one, and that said what
    was stored already. left: stored bars that the file does not hold. rescaled: whether adjustment ratios of stored bars that the file does
    not hold were brought on its scale. moved: whether its adjusted closes say so at the first or the last bar that both know, so that
    bars further off would move too. seam: how far the adjusted close jumps where the file meets stored bars of another
    adjustment, 0 where it does not."""

    table: Table
    added: int = 0
    replaced: int = 0
    same: int = 0
    left: int = 0
    changes: list[Change] = field(default_factory=list)
    rescaled: bool = False
    moved: bool = False
    seam: float = 0.0


def table_keys(table: Table) -> Any:
    """The moment of each bar: by its beginning where the bars have minutes."""
    return keys(table["days"], table.get("minute", CLOSE))


def merge(stored: Table | None, given: Table) -> Merged:
    """Both tables as one, `given` winning where they hold the same moment.

    Tables: columns `days` (and `minute`), prices, volume, and perhaps `ratio` (adjusted close over close), which may be unknown (NaN).
    Where the two share bars, the stored ratios outside the file are brought on the file's scale; prices without adjusted closes leave
    the stored ratios as they are.
    """
    if stored is None or not len(stored["days"]):
        return Merged(given, added=len(given["days"]))
    old, new = table_keys(stored), table_keys(given)
    if old[-1] < new[0] and "ratio" not in stored and stored.keys() == given.keys():  # as most come: what follows
        return Merged({n: np.concatenate([stored[n], given[n]]) for n in stored}, added=len(new), left=len(old))
    place = np.searchsorted(old, new)
    shared = (place < len(old)) & (old[np.minimum(place, len(old) - 1)] == new)
    at = place[shared]
    kept = np.ones(len(old), np.bool_)
    kept[at] = False
    changed = np.zeros(len(at), np.bool_)
    for name in PRICES:
        was, now = stored[name][at], given[name][shared]
        changed |= (was != now) & ~(np.isnan(was) & np.isnan(now))  # an unknown volume is the same unknown volume
    columns = [n for n in ("days", "minute", *PRICES, "ratio") if n in stored or n in given]
    rescaled, moved, seam = False, False, 0.0
    if "ratio" in columns:
        before, own = _ratios(stored), _ratios(given)
        if "ratio" in given:
            scale = _scales(old, at, before[at], own[shared])
            rescaled = bool((scale[kept] != 1.0).any())
            moved = bool(scale[0] != 1.0 or scale[-1] != 1.0)
            changed |= (before[at] != own[shared]) & ~np.isnan(own[shared])
            before = before * scale
            own[shared] = np.where(np.isnan(own[shared]), before[at], own[shared])
            seam = 0.0 if len(at) else _seam({**stored, "ratio": before}, old, given, new)
        else:
            own[shared] = before[at]
        stored, given = {**stored, "ratio": before}, {**given, "ratio": own}
    order = np.argsort(np.concatenate([old[kept], new]), kind="stable")
    table = {n: np.concatenate([stored[n][kept], given[n]])[order] for n in columns}
    source = np.flatnonzero(shared)
    changes = [Change(int(old[at[i]]), _bar(stored, at[i]), _bar(given, source[i])) for i in np.flatnonzero(changed)[:CHANGES_KEPT]]
    replaced = int(changed.sum())
    return Merged(table, len(new) - len(at), replaced, len(at) - replaced, int(kept.sum()), changes, rescaled, moved, seam)


def touched(stored: Table | None, given: Table, merged: Table) -> Table:
    """What stood at the bars that a file speaks of, and at those that its merge changed besides: `days` (and `minute`), `had` (whether there was
    a bar), `same` (whether it is as it was), and the columns as they were, NaN where there was none or nothing changed. merged: as `merge` made
    it of both."""
    new = table_keys(merged)
    had = np.zeros(len(new), np.bool_)
    names = [n for n in (*PRICES, "ratio") if n in merged]
    was = {n: np.full(len(new), np.nan) for n in names}
    same = np.zeros(len(new), np.bool_)
    if stored is not None and len(stored["days"]):
        at = np.searchsorted(new, table_keys(stored))
        had[at] = True
        for n in names:
            if n in stored:
                was[n][at] = stored[n]
        same = had.copy()
        for n in names:
            same &= (was[n] == merged[n]) | (np.isnan(was[n]) & np.isnan(merged[n]))
    rows = ~same
    rows[np.searchsorted(new, table_keys(given))] = True
    for column in was.values():
        column[same] = np.nan
    marks = [n for n in ("days", "minute") if n in merged]
    return {**{n: merged[n][rows] for n in marks}, "had": had[rows], "same": same[rows], **{n: was[n][rows] for n in names}}


def untouched(given: Table) -> Table:
    """As `touched`, of bars that all are new."""
    rows = len(given["days"])
    names = [n for n in (*PRICES, "ratio") if n in given]
    no, nothing = np.zeros(rows, np.bool_), np.full(rows, np.nan)
    return {**{n: given[n] for n in ("days", "minute") if n in given}, "had": no, "same": no, **dict.fromkeys(names, nothing)}


def without(stored: Table | None, before: Table) -> Table | None:
    """The stored bars as they were before those of `before` (see `touched`) were added, changed or taken away. None where there were none."""
    changed = ~np.asarray(before["same"], np.bool_)
    if stored is None:
        stored = {n: before[n][:0] for n in ("days", "minute", *PRICES, "ratio") if n in before}
    old, key = table_keys(stored), table_keys(before)
    kept = ~np.isin(old, key[changed])
    back = np.asarray(before["had"], np.bool_) & changed
    names = [n for n in ("days", "minute", *PRICES, "ratio") if n in stored or n in before]

    def column(table: Table, name: str, rows: Any) -> Any:
        return table[name][rows] if name in table else np.full(int(rows.sum()), np.nan)

    order = np.argsort(np.concatenate([old[kept], key[back]]), kind="stable")
    return {n: np.concatenate([column(stored, n, kept), column(before, n, back)])[order] for n in names} if len(order) else None


def _bar(table: Table, at: int) -> tuple[float, ...]:
    return tuple(float(table[name][at]) for name in PRICES)


def _ratios(table: Table) -> Any:
    """The table's ratios, unknown where it has none; a copy."""
    return np.array(table["ratio"], np.float64) if "ratio" in table else np.full(len(table["days"]), np.nan)


def _scales(old: Any, at: Any, stored: Any, given: Any) -> Any:
    """What the ratio of each stored bar is to be multiplied with to stand on the file's scale: as at the latest bar before it that both know,
    or at the first: a source's adjusted closes all move when a later split or dividend comes.

    at: the stored bars that the file holds too; stored, given: their ratios.
    """
    known = np.flatnonzero(~np.isnan(stored) & ~np.isnan(given))
    if not len(known):
        return np.ones(len(old))
    place = np.searchsorted(at[known], np.arange(len(old)), "right") - 1
    return (given[known] / stored[known])[np.maximum(place, 0)]


def _seam(stored: Table, old: Any, given: Table, new: Any) -> float:
    """How far the adjusted close jumps beyond the printed one where a file meets the stored bars beside it: then the two were adjusted on
    different days."""
    worst = 0.0
    before, after = int(np.searchsorted(old, new[0])) - 1, int(np.searchsorted(old, new[-1]))
    meetings = [(stored, before, given, 0)] if before >= 0 else []
    meetings += [(given, len(new) - 1, stored, after)] if after < len(old) else []
    for left, i, right, j in meetings:
        step = right["ratio"][j] / left["ratio"][i]
        printed = right["close"][j] / left["close"][i] - 1.0
        adjusted = (printed + 1.0) * step - 1.0
        if abs(adjusted) > abs(printed) + JUMP and abs(adjusted) > abs(worst):
            worst = float(adjusted)
    return worst
