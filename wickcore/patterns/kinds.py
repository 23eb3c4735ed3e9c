"""Every pattern by its name: its finder, where its parts are kept, and how a chart draws it."""

from dataclasses import dataclass

from wickcore.language.shapes import SHAPES, turned
from wickcore.patterns import lines, published
from wickcore.patterns.finders import (
    CUP_HANDLE,
    DOUBLE,
    FLAG,
    LEVEL,
    PENNANT,
    PUBLISHED,
    SAUCER,
    SHOULDERS,
    TREND_LINE,
    TWO_LINES,
)  # fmt: skip
from wickcore.patterns.machine import PARTS, POINT_PRICE

LOGARITHMS = {"tolerance", "depth", "rise"}  # arguments that are shares of a price
START = -1


@dataclass(frozen=True, slots=True)
class Kind:
    """finder: its number. parts: the codes of its own parts, in their order, of the pattern upwards. joined: whether a chart joins its
    points. strokes: the lines a chart draws, each with the number of the point it begins at, or START. bowl: whether its first three points
    are drawn as a rounded line."""

    finder: int
    parts: tuple[int, ...]
    joined: bool = True
    strokes: tuple[tuple[str, int], ...] = ()
    bowl: bool = False

    def own(self, name: str, side: int) -> dict[str, int]:
        """Its own parts by name. Downwards the upper line is the lower one of the negated prices; the names of the patterns that go
        downwards are turned already."""
        names = SHAPES[name].own
        return dict(zip(turned(names) if side < 0 and SHAPES[name].side == 0 else names, self.parts, strict=True))


def _points(*numbers: int) -> tuple[int, ...]:
    return tuple(POINT_PRICE + n for n in numbers)


_LINE = tuple(PARTS[f"upper.{part}"] for part in ("now", "slope", "touches"))
_LINES = _LINE + tuple(PARTS[f"lower.{part}"] for part in ("now", "slope", "touches"))
_REST = (PARTS["pole"], *_LINES)
_RIM = _points(2, 1)
_FIVE = _points(0, 1, 2, 3, 4)
_SIDES = (("upper", 0), ("lower", 2))
_POLE = (("upper", 1), ("lower", 1))
_KINDS = (
    (Kind(DOUBLE, _points(0, 2, 1)), "double_bottom", "double_top"),
    (Kind(SHOULDERS, (*_points(0, 2, 4), PARTS["trigger"])), "inverse_head_shoulders", "head_shoulders"),
    (Kind(TWO_LINES + lines.TRIANGLE_UP, _LINES, False, _SIDES), "triangle_up", "triangle_down"),
    (Kind(TWO_LINES + lines.TRIANGLE, _LINES, False, _SIDES), "triangle"),
    (Kind(TWO_LINES + lines.WEDGE, _LINES, False, _SIDES), "wedge_falling", "wedge_rising"),
    (Kind(TWO_LINES + lines.CHANNEL, _LINES, False, _SIDES), "channel_up", "channel_down"),
    (Kind(TWO_LINES + lines.BASE, _LINES, False, _SIDES), "base"),
    (Kind(FLAG, _REST, True, _POLE), "flag_bull", "flag_bear"),
    (Kind(PENNANT, _REST, True, _POLE), "pennant_bull", "pennant_bear"),
    (Kind(SAUCER, _RIM, False, bowl=True), "saucer", "rounding_top", "cup", "inverse_cup"),
    (Kind(CUP_HANDLE, (*_RIM, *_points(3)), False, bowl=True), "cup_handle", "inverse_cup_handle"),
    (Kind(TREND_LINE, _LINE, False, (("upper", START),)), "trend_line_up", "trend_line_down"),
    (Kind(LEVEL, (_LINE[0], _LINE[2]), False, (("upper", START),)), "level"),
    (Kind(PUBLISHED + published.HEAD, _FIVE), "lmw_inverse_head_shoulders", "lmw_head_shoulders"),
    (Kind(PUBLISHED + published.BROADENING, _FIVE), "lmw_broadening_bottom", "lmw_broadening_top"),
    (Kind(PUBLISHED + published.TRIANGLE, _FIVE), "lmw_triangle_bottom", "lmw_triangle_top"),
    (Kind(PUBLISHED + published.RECTANGLE, _FIVE), "lmw_rectangle_bottom", "lmw_rectangle_top"),
    (Kind(PUBLISHED + published.DOUBLE, _points(0, 1, 2)), "lmw_double_bottom", "lmw_double_top"),
)
_BY_NAME: dict[str, Kind] = {name: kind for kind, *names in _KINDS for name in names}
KINDS = {name: _BY_NAME[name] for name in SHAPES}
