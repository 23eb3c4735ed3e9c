"""The names of chart patterns: which way each goes, the arguments its finder takes, and the parts of its own."""

from dataclasses import dataclass

LATER = ("leg", "even")  # came after the others: last, so that arguments given by their place mean what they did


@dataclass(frozen=True, slots=True)
class Shape:
    """side: 1 upwards, -1 downwards, 0 where the argument `breaks` says it. given: the finder's own arguments. own: its parts."""

    side: int
    given: tuple[str, ...]
    own: tuple[str, ...]

    @property
    def parameters(self) -> tuple[str, ...]:
        """All its arguments, in their order."""
        first = (p for p in self.given if p not in LATER)
        last = (p for p in self.given if p in LATER)
        return ("k", *first, "lasts", "nth", *(("breaks",) if self.side == 0 else ()), *last)


LINE = ("now", "slope", "touches")
_UPPER, _LOWER = tuple(f"upper.{part}" for part in LINE), tuple(f"lower.{part}" for part in LINE)
_OTHER = {"upper": "lower", "lower": "upper"}
_REVERSAL = ("tolerance", "apart", "depth", "within", "leg", "even")
_LINES = ("touch", "flat", "length", "within")
_PAPER = ("within", "leg", "even")
_FLAG = ("strength", "climb", "back", "least", "most", "narrows")
_CUP = ("tolerance", "length", "within", "depth", "fit", "broad")


def turned(own: tuple[str, ...]) -> tuple[str, ...]:
    """The parts of a pattern the other way up: its upper line is the lower one."""
    return tuple(".".join((_OTHER.get(line, line), *rest)) for line, *rest in (name.split(".") for name in own))


def _pair(up: str, down: str, given: tuple[str, ...], own: tuple[str, ...]) -> dict[str, Shape]:
    return {up: Shape(1, given, own), down: Shape(-1, given, turned(own))}


SHAPES: dict[str, Shape] = {
    "double_bottom": Shape(1, _REVERSAL, ("low1", "low2", "neckline")),
    "double_top": Shape(-1, _REVERSAL, ("high1", "high2", "neckline")),
    **_pair("inverse_head_shoulders", "head_shoulders", _REVERSAL, ("left", "head", "right", "neckline")),
    **_pair("triangle_up", "triangle_down", (*_LINES, "narrows", "leg"), _UPPER + _LOWER),
    "triangle": Shape(0, (*_LINES, "narrows", "leg"), _UPPER + _LOWER),
    **_pair("wedge_falling", "wedge_rising", (*_LINES, "narrows", "leg"), _UPPER + _LOWER),
    **_pair("channel_up", "channel_down", (*_LINES, "parallel", "leg"), _UPPER + _LOWER),
    "base": Shape(0, (*_LINES, "depth", "leg"), _UPPER + _LOWER),
    **_pair("flag_bull", "flag_bear", _FLAG, ("pole", *_UPPER, *_LOWER)),
    **_pair("pennant_bull", "pennant_bear", _FLAG, ("pole", *_UPPER, *_LOWER)),
    **_pair("saucer", "rounding_top", _CUP, ("rim", "bottom")),
    **_pair("cup", "inverse_cup", (*_CUP, "rise"), ("rim", "bottom")),
    **_pair("cup_handle", "inverse_cup_handle", (*_CUP, "rise", "most"), ("rim", "bottom", "handle")),
    **_pair("trend_line_up", "trend_line_down", ("touch", "touches", "length", "within", "leg"), LINE),
    "level": Shape(0, ("tolerance", "touches", "apart", "within"), ("price", "touches")),
    **_pair("published_inverse_head_shoulders", "published_head_shoulders", _PAPER, ("e1", "e2", "e3", "e4", "e5")),
    **_pair("published_broadening_bottom", "published_broadening_top", _PAPER, ("e1", "e2", "e3", "e4", "e5")),
    **_pair("published_triangle_bottom", "published_triangle_top", _PAPER, ("e1", "e2", "e3", "e4", "e5")),
    **_pair("published_rectangle_bottom", "published_rectangle_top", _PAPER, ("e1", "e2", "e3", "e4", "e5")),
    **_pair("published_double_bottom", "published_double_top", _PAPER, ("e1", "between", "ea")),
}
# Parts that are points, each with an age. A neckline is one where it is the single high (or low) between two others.
POINTS = frozenset(
    (
        "low1",
        "low2",
        "high1",
        "high2",
        "left",
        "head",
        "right",
        "rim",
        "bottom",
        "handle",
        "e1",
        "e2",
        "e3",
        "e4",
        "e5",
        "between",
        "ea",
    )
)
# What the published ones were called at first: rules that say so go on working.
OLD_NAMES = {name.replace("published_", "lmw_"): name for name in SHAPES if name.startswith("published_")}
_UP = [name for name, shape in SHAPES.items() if shape.side > 0]
_DOWN = [name for name, shape in SHAPES.items() if shape.side < 0]
OPPOSITE = tuple(zip(_UP, _DOWN, strict=True))
_WORDS = {
    "triangle_up": "ascending triangle", "triangle_down": "descending triangle", "wedge_falling": "falling wedge",
    "wedge_rising": "rising wedge", "channel_up": "rising channel", "channel_down": "falling channel", "flag_bull": "bull flag",
    "flag_bear": "bear flag", "pennant_bull": "bull pennant", "pennant_bear": "bear pennant", "cup_handle": "cup and handle",
    "inverse_cup_handle": "inverse cup and handle", "trend_line_up": "rising trend line", "trend_line_down": "falling trend line",
}  # fmt: skip


def in_words(name: str, down: bool = False) -> str:
    """What a person calls the pattern. down: whether one that goes either way is meant to break downwards."""
    words = _WORDS.get(name) or name.replace("head_shoulders", "head_and_shoulders").replace("_", " ")
    if not down or SHAPES[name].side:
        return words
    return f"{words} below" if name == "level" else f"{words} that breaks down"
