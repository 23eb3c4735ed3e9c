"""Every pattern by its name: its finder, where its parts are kept, and how a chart draws it."""

from dataclasses import dataclass

from wickcore.language.shapes import SHAPES, turned
from wickcore.patterns import lines, published
from wickcore.patterns.finders import (
    CUP_HANDLE,
    DOUBLE,
    EITHER,
    EVERY_BAR,
    HIGHS,
    LEVEL,
    PUBLISHED,
    REST_AFTER_POLE,
    SAME_PRICE,
    SAUCER,
    SEPARATE,
    SHOULDERS,
    TREND_LINE,
    TWO_LINES,
    Way,
)  # fmt: skip
from wickcore.patterns.machine import PARTS, POINT_PRICE, SCALES

LOGARITHMS = {"tolerance", "depth", "rise"}  # arguments that are shares of a price
START = -1


@dataclass(frozen=True, slots=True)
class Kind:
    """way: how it is found and lives. parts: the codes of its own parts, in their order, of the pattern upwards. joined: whether a chart
    joins its points. strokes: the lines a chart draws, each with the number of the point it begins at, or START. bowl: whether its first three
    points are drawn as a rounded line."""

    way: Way
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


def _between(shape: int) -> Kind:
    return Kind(Way(TWO_LINES, shape, EITHER, scales=SCALES), _LINES, False, _SIDES)


def _of_extremes(shape: int, parts: tuple[int, ...]) -> Kind:
    return Kind(Way(PUBLISHED, shape, scales=1 if shape == published.DOUBLE else SCALES), parts)


_KINDS = (
    (Kind(Way(DOUBLE, later=SEPARATE), _points(0, 2, 1)), "double_bottom", "double_top"),
    (
        Kind(Way(SHOULDERS, later=SEPARATE, scales=SCALES), (*_points(0, 2, 4), PARTS["trigger"])),
        "inverse_head_shoulders",
        "head_shoulders",
    ),
    (_between(lines.TRIANGLE_UP), "triangle_up", "triangle_down"),
    (_between(lines.TRIANGLE), "triangle"),
    (_between(lines.WEDGE), "wedge_falling", "wedge_rising"),
    (_between(lines.CHANNEL), "channel_up", "channel_down"),
    (_between(lines.BASE), "base"),
    (Kind(Way(REST_AFTER_POLE, on=EVERY_BAR), _REST, True, _POLE), "flag_bull", "flag_bear"),
    (Kind(Way(REST_AFTER_POLE, on=EVERY_BAR, own_lines=True), _REST, True, _POLE), "pennant_bull", "pennant_bear"),
    (Kind(Way(SAUCER, on=HIGHS), _RIM, False, bowl=True), "saucer", "rounding_top", "cup", "inverse_cup"),
    (Kind(Way(CUP_HANDLE), (*_RIM, *_points(3)), False, bowl=True), "cup_handle", "inverse_cup_handle"),
    (Kind(Way(TREND_LINE), _LINE, False, (("upper", START),)), "trend_line_up", "trend_line_down"),
    (
        Kind(Way(LEVEL, on=EITHER, later=SAME_PRICE, kept=8, by_price=True), (_LINE[0], _LINE[2]), False, (("upper", START),)),
        "level",
    ),
    (_of_extremes(published.HEAD, _FIVE), "published_inverse_head_shoulders", "published_head_shoulders"),
    (_of_extremes(published.BROADENING, _FIVE), "published_broadening_bottom", "published_broadening_top"),
    (_of_extremes(published.TRIANGLE, _FIVE), "published_triangle_bottom", "published_triangle_top"),
    (_of_extremes(published.RECTANGLE, _FIVE), "published_rectangle_bottom", "published_rectangle_top"),
    (_of_extremes(published.DOUBLE, _points(0, 1, 2)), "published_double_bottom", "published_double_top"),
)
_BY_NAME: dict[str, Kind] = {name: kind for kind, *names in _KINDS for name in names}
KINDS = {name: _BY_NAME[name] for name in SHAPES}
