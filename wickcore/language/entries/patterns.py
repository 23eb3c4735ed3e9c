"""Chart patterns: each name is a condition, one is forming now; its parts are numbers."""

from wickcore.language.entries.pattern_parts import PAPER, PatternWords, pattern
from wickcore.language.entry import Entry, Parameter, bars

_EVEN = "how level the two lie (the tolerance is nothing, no difference all)"
_TOUCHED = "how near the lines their touches lie (the touch distance is nothing, on them all), how many there are (four nothing, eight all), and how evenly the lines share them"
_STAND = "since its first point no close is beyond either line by more than the touch distance, no three in a row are beyond by a tenth of it, and no bar reaches two of them beyond; two touches on each at least, by turns (of wedges, channels and bases five in all); at most half of its length without one (of a base two fifths), seven tenths without one of the same line (three fifths), a third before the second line begins, two fifths after the last touch of either; of the ways from line to line the shortest takes a fifth of the bars of the longest or more; price comes into the first touch from the other side, over two fifths of the width, and never leaps by half the width from close to close"
_WEDGE = ("0.5", "10%", "15", "120", "75%", "1.5")


def _led(move: str, lower: str) -> str:
    return f"a {move} as high as the pattern leads to the first: in twice as many bars before as the pattern takes nothing is {lower}, and the last four fifths of it take a fifth of the pattern's bars or more"


_EVENLY = "legs from point to point of leg or more, none much shorter in time than another"
_SHALLOW = ("0.5", "10%", "15", "120", "25%", "1.5")
_BASE = ("0.5", "10%", "25", "250", "25%", "1.5")
_FLAG = ("3", "10", "50%", "4", "20", "60%")
_CUP = ("4%", "30", "200", "10%", "0.7", "45%")
_POLE = "a pole of at least strength × average true range × root of its bars in at most climb bars; then least to most bars that give back at most back of it, on less volume a bar"
_STEEP = "how steep the pole (what is asked is half, twice that all), how little is given back, and how much less is traded than on the way up"
_ROUND = "how round it is (R² from `fit` to 1), how level the rims lie, and how near the middle its lowest low stands"
_PRESET = "how evenly the five points are spaced in time (the shortest stretch against the mean)"


def _shoulders(side: str, other: str, after: str, beyond: str) -> PatternWords:
    lower = "lower" if side == "low" else "higher"
    return PatternWords(
        f"After a {after}, three {side}s: the middle one {beyond} the two others, which lie at one level.",
        f"shoulders within tolerance, the head further {beyond} than that, no {lower} turning point between a shoulder and the head, the {other}s between within twice it and a quarter of the height; a shoulder lies a fifth of the height or more from the neckline and from the head, whose shorter side takes two fifths of the bars of the longer; {_led(after, lower)}; {_EVENLY}; trigger: the line through these {other}s; invalid: the further shoulder",
        "how level the shoulders lie, how flat the neckline, and how near the middle the head stands",
        ("4%", "6", "10%", "120", "1.5", "25%"), 60,
        {"left": f"The {side} of the left shoulder.", "head": f"The {side} of the head.", "right": f"The {side} of the right shoulder.",
         "neckline": f"The line through the {other}s between, on this bar."},
    )  # fmt: skip


def _double(side: str, other: str, after: str, move: str, further: str) -> PatternWords:
    nearer, lower = ("higher", "lower") if side == "low" else ("lower", "higher")
    return PatternWords(
        f"After a {after}, two {side}s at one level with a {move} between them.",
        f"{side}s within tolerance and a quarter of the height, apart bars or more between them, a {move} of depth from the {nearer} one, no {lower} {side} between; {_led(after, lower)}; {_EVENLY}; trigger: the {further} {other} between; invalid: the {lower} {side}",
        f"{_EVEN}, the {move} between against twice the depth asked for, and how near the middle its {'top' if side == 'low' else 'low'} stands",
        ("3%", "10", "8%", "120", "3", "25%"), 60,
        {f"{side}1": f"The first {side}.", f"{side}2": f"The second {side}.", "neckline": f"The {further} {other} between the {side}s."},
    )  # fmt: skip


def _lines(help: str, shape: str, trigger: str, invalid: str, defaults: tuple[str, ...]) -> PatternWords:
    return PatternWords(help, f"{shape}; {_STAND}; trigger: the {trigger} line; invalid: the {invalid}", _TOUCHED, defaults, 60, {})


def _flag(help: str, shape: str, bull: bool) -> PatternWords:
    return PatternWords(
        help, f"{_POLE}; {shape}; trigger: the {'upper' if bull else 'lower'} line; invalid: back of the pole", _STEEP, _FLAG, 20,
        {"pole": f"How far the pole went {'up' if bull else 'down'}, as a share of the price it began at."},
    )  # fmt: skip


def _cup(help: str, up: bool, more: str = "", extra: tuple[str, ...] = (), handle: bool = False) -> PatternWords:
    side, far = ("high", "low") if up else ("low", "high")
    ends = f"the {far} of the handle" if handle else "half its height given back"
    return PatternWords(
        help,
        f"rims (turning points) within tolerance, depth between, nothing beyond them between; a parabola fits the closes with R² of at least fit and turns in the middle half, and broad or more of them lie in its {'lower' if up else 'upper'} third; no close is a quarter of its height from the one before, and none half of it from the one a tenth of its bars before{more}; trigger: the further rim; invalid: {ends}",
        _ROUND + (", and how little the handle gives back (half the height is nothing)" if handle else ""),
        (*_CUP, *extra), 40,
        {"rim": f"The {side} of the right rim.", "bottom": f"The {'lowest low' if up else 'highest high'} between the rims.",
         **({"handle": f"The {far} of the handle."} if handle else {})},
    )  # fmt: skip


def _five(help: str, inequalities: str, up: bool) -> PatternWords:
    first = "low" if up else "high"
    return PatternWords(
        help,
        f"five extremes E1 to E5 that take turns, E1 a {first}, from first to last in less than within bars: {inequalities}; ours: {_EVENLY}; trigger the {'higher' if up else 'lower'} of E2 and E4, invalid the {'lowest' if up else 'highest'} of the others",
        _PRESET, ("35", "1.5", "25%"), 35, {f"e{i}": f"E{i}, a {first if i % 2 else ('high' if up else 'low')}." for i in range(1, 6)}, PAPER,
    )  # fmt: skip


def _two(help: str, up: bool) -> PatternWords:
    first, between = ("low", "high") if up else ("high", "low")
    return PatternWords(
        help,
        f"E1 a {first}, Ea the {'lowest' if up else 'highest'} of those after it, more than 22 bars later, both within 1.5% of their average; ours: {_EVENLY}; trigger the {'highest' if up else 'lowest'} turning point between, invalid the further of the two",
        "how near the two lie (1.5% of their average is nothing, no difference all)",
        ("35", "1.5", "25%"), 35, {"e1": f"E1, a {first}.", "between": f"The {between} between.", "ea": f"Ea, a {first}."}, PAPER,
    )  # fmt: skip


_HEAD = "E3 beyond E1 and E5; E1 and E5 within 1.5% of their average, E2 and E4 too"
_BOX = "the three on one side within 0.75% of their average, the two on the other too, all tops above all bottoms"
_RISE = " after a rise of at least rise, and as high as the cup is deep, from the lowest low of 60 bars or as many as the cup takes, which lies a fifth of its bars back or more"
_TOLD = {
    "double_bottom": _double("low", "high", "fall", "rise", "highest"),
    "double_top": _double("high", "low", "rise", "fall", "lowest"),
    "inverse_head_shoulders": _shoulders("low", "high", "fall", "below"),
    "head_shoulders": _shoulders("high", "low", "rise", "above"),
    "triangle_up": _lines("A flat top over rising lows.", "the upper line flat, the lower rising, narrowing", "upper", "lower", _WEDGE),
    "triangle_down": _lines("A flat bottom under falling highs.", "the lower line flat, the upper falling, narrowing", "lower", "upper", _WEDGE),
    "triangle": _lines("Falling highs and rising lows.", "the upper line falling, the lower rising, narrowing",
                       "upper (with breaks=down the lower)", "other", _WEDGE),
    "wedge_falling": _lines("Two falling lines that come together.", "both lines falling, narrowing", "upper", "lower", _WEDGE),
    "wedge_rising": _lines("Two rising lines that come together.", "both lines rising, narrowing", "lower", "upper", _WEDGE),
    "channel_up": _lines("Two rising lines side by side.", "both lines rising, the width changes by parallel at most", "upper", "lower", _SHALLOW),
    "channel_down": _lines("Two falling lines side by side.", "both lines falling, the width changes by parallel at most", "lower", "upper", _SHALLOW),
    "base": _lines("A long, shallow rest between two flat lines (a rectangle).", "both lines flat, and no further from parallel than that: a base of at least length bars, depth at most",
                   "upper (with breaks=down the lower)", "other", _BASE),
    "flag_bull": _flag("After a steep rise, a short rest that drifts down between two lines side by side.",
                       "the lines through its highs and lows fall or lie flat and keep their distance", True),
    "flag_bear": _flag("After a steep fall, a short rest that drifts up between two lines side by side.",
                       "the lines through its highs and lows rise or lie flat and keep their distance", False),
    "pennant_bull": _flag("After a steep rise, a short rest between two lines that come together.",
                          "the line through its highs falls, that through its lows rises, the width ends at most at narrows of what it was", True),
    "pennant_bear": _flag("After a steep fall, a short rest between two lines that come together.",
                          "the line through its highs falls, that through its lows rises, the width ends at most at narrows of what it was", False),
    "saucer": _cup("A rounded low between two rims at one level.", True),
    "rounding_top": _cup("A rounded high between two rims at one level.", False),
    "cup": _cup("A rounded low between two rims at one level, after a rise.", True, f";{_RISE}", ("20%",)),
    "inverse_cup": _cup("A rounded high between two rims at one level, after a fall.", False, "; after a fall of rise, and as deep as the cup is high, from the highest high of 60 bars or as many as the cup takes, which lies a fifth of its bars back or more", ("20%",)),
    "cup_handle": _cup("A cup, and after its right rim a small dip in the upper half of it: the handle.", True,
                       "; after a rise of at least rise, and as high as the cup is deep; a low in the upper half at most most bars after the right rim", ("20%", "25"), True),
    "inverse_cup_handle": _cup("A cup upside down, and after its right rim a small rise in the lower half of it: the handle.", False,
                               "; after a fall of rise, and as deep as the cup is high; a high in the lower half at most most bars after the right rim", ("20%", "25"), True),
    "trend_line_up": PatternWords("A rising line under the lows that no close has broken.",
                          "the line through the newest low and an earlier one that most lows touch, five bars from one to the next at least, no half of its length without one; no close beyond it by more than the touch distance, no three in a row beyond by a tenth of it, no bar two of it beyond; from its first touch to its last it rises by leg; trigger: the highest high since the touch before the last; invalid: the line",
                          "how near the line the touches lie (the touch distance is nothing), and how many there are (two nothing, six all)",
                          ("0.5", "3", "20", "200", "2"), 60, {}),
    "trend_line_down": PatternWords("A falling line over the highs that no close has broken.",
                            "the line through the newest high and an earlier one that most highs touch, five bars from one to the next at least, no half of its length without one; no close beyond it by more than the touch distance, no three in a row beyond by a tenth of it, no bar two of it beyond; from its first touch to its last it falls by leg; trigger: the lowest low since the touch before the last; invalid: the line",
                            "how near the line the touches lie (the touch distance is nothing), and how many there are (two nothing, six all)",
                            ("0.5", "3", "20", "200", "2"), 60, {}),
    "level": PatternWords("The nearest price above the close before (with breaks=down: below it) that several turning points share.",
                  "the mean of the turning points of either kind, touches or more and apart bars from one to the next, within tolerance of the newest of them, twice as many as how often closes went through it; trigger: that price; invalid, once it broke: tolerance back; height: from the lowest low (highest high) since its first; nth counts by nearness; triggered and failed speak of the one broken last",
                  "how near the newest the others lie (the tolerance is nothing), and how many there are (two nothing, six all)",
                  ("1%", "3", "10", "250"), 120, {"price": "The price that is shared.", "touches": "How many turning points share it."}),
    "published_inverse_head_shoulders": _five("The paper's inverse head and shoulders.", _HEAD, True),
    "published_head_shoulders": _five("The paper's head and shoulders.", _HEAD, False),
    "published_broadening_bottom": _five("The paper's broadening bottom.", "E1 > E3 > E5 and E2 < E4", True),
    "published_broadening_top": _five("The paper's broadening top.", "E1 < E3 < E5 and E2 > E4", False),
    "published_triangle_bottom": _five("The paper's triangle bottom.", "E1 < E3 < E5 and E2 > E4", True),
    "published_triangle_top": _five("The paper's triangle top.", "E1 > E3 > E5 and E2 < E4", False),
    "published_rectangle_bottom": _five("The paper's rectangle bottom.", _BOX, True),
    "published_rectangle_top": _five("The paper's rectangle top.", _BOX, False),
    "published_double_bottom": _two("The paper's double bottom.", True),
    "published_double_top": _two("The paper's double top.", False),
}  # fmt: skip

ENTRIES = (
    *(entry for name, told in _TOLD.items() for entry in pattern(name, told)),
    Entry("triggered", "patterns", "form", "condition", "A close confirmed the pattern on this bar or one of the n - 1 before it.",
          "pattern.since_trigger < n", "0", example="triggered(double_bottom, 3)",
          parameters=(Parameter("pattern", "word", None, "a pattern, with its own arguments where it has any"), bars(1))),
    Entry("failed", "patterns", "form", "condition", "A close ended the pattern on this bar or one of the n - 1 before it.",
          "pattern.since_failed < n", "0", example="failed(double_top, 3)",
          parameters=(Parameter("pattern", "word", None, "a pattern, with its own arguments where it has any"), bars(1))),
)  # fmt: skip
