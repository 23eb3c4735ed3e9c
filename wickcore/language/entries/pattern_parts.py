"""How a chart pattern becomes entries of the catalogue: its bare name a condition, and each of its parts a number."""

from dataclasses import dataclass

from wickcore.language.entry import Entry, Parameter, bars
from wickcore.language.shapes import OLD_NAMES, POINTS, SHAPES

PRACTICE = "common practice; points confirmed as in A. W. Lo, H. Mamaysky and J. Wang, Journal of Finance 55(4), 2000"
PAPER = "A. W. Lo, H. Mamaysky and J. Wang, “Foundations of Technical Analysis”, Journal of Finance 55(4), 2000, from memory"
# Name, degree, whether it is a price level, what it is.
COMMON = (
    ("state", 0, False, "1 forming, 2 triggered, 3 failed, 4 expired: neither within `lasts` bars."),
    ("start", 0, False, "Bars since its first point."),
    ("age", 0, False, "Bars since it became visible, on the bar that confirmed its last point."),
    ("trigger", 1, True, "The price beyond which a close confirms it."),
    ("invalid", 1, True, "The price beyond which a close ends it."),
    ("height", 1, False, "What the target lies beyond the trigger, in money."),
    ("target", 1, True, "The trigger and once its height beyond it."),
    ("quality", 0, False, "0 to 100."),
    ("since_trigger", 0, False, "Bars since a close confirmed it; unknown while none has."),
    ("since_failed", 0, False, "Bars since a close ended it; unknown while none has."),
)
_PLAIN = {"state", "start", "age", "quality", "since_trigger", "since_failed", "touches", "slope", "pole"}
_BARS = {
    "apart": "bars between two points of it, at least",
    "within": "bars from its first point to its last, at most",
    "lasts": "bars it stays visible without being confirmed",
    "length": "bars it has taken to form, at least",
    "climb": "bars of the pole, at most",
    "least": "bars since the pole's end, at least",
    "most": "bars of the rest, at most",
    "touches": "turning points on it, at least",
}
_PLAIN_NUMBERS = {
    "tolerance": "how far apart what should be level may lie",
    "depth": "how far the move between must go",
    "touch": "how near a line a turning point touches it, in average true ranges (14)",
    "flat": "a line is flat when over the pattern it moves less than this share of the width at its beginning",
    "narrows": "the width at the last point against that at the first, at most",
    "parallel": "how much the width may change, as a share of that at the beginning",
    "strength": "size of the pole in average true ranges (14) times the root of its bars, at least",
    "back": "how much of the pole may be given back",
    "fit": "R² of the parabola through the closes, at least",
    "broad": "share of the closes that lie in its third furthest from the rims, at least: a point has 33%, a parabola 58%",
    "leg": "how far the legs from point to point go, in average true ranges (14), at least",
    "even": "bars of the shortest leg from point to point against those of the longest, at least",
    "rise": "the rise before it, at least",
}


@dataclass(frozen=True, slots=True)
class PatternWords:
    """What the catalogue says of a pattern. defaults: of its own arguments, in their order, then `lasts`. own: what each part of its own is;
    the parts of lines are told by themselves."""

    help: str
    formula: str
    quality: str
    defaults: tuple[str, ...]
    lasts: int
    own: dict[str, str]
    source: str = PRACTICE
    k: int = 3


def _parameter(name: str, default: str, told: PatternWords) -> Parameter:
    if name in _BARS:
        return bars(default, name=name, help=_BARS[name])
    help = _PLAIN_NUMBERS[name]
    if name == "leg" and "by leg" in told.formula:
        help = "how far it goes from its first touch to its last, in average true ranges (14), at least"
    if name == "leg" and "two touches" in told.formula:
        help = "from its lower line to its upper, where they are nearest, in average true ranges (14), at least"
    if name == "depth" and "base" in told.formula:
        help = "from its lower line to its upper, at most"
    return Parameter(name, "constant", default, help)


def _parameters(name: str, told: PatternWords) -> tuple[Parameter, ...]:
    kind = SHAPES[name]
    defaults = dict(zip(kind.given, told.defaults, strict=True))
    known = {
        "k": bars(told.k, name="k", help="lower highs (higher lows) on both sides of a turning point"),
        "lasts": bars(told.lasts, name="lasts", help=_BARS["lasts"]),
        "nth": bars(1, name="nth", help="1 the latest to appear, 2 the one before it, up to 4"),
        "breaks": Parameter("breaks", "word", "up", "up: confirmed by a close above it; down: by one below"),
    }
    return tuple(known.get(p) or _parameter(p, defaults[p], told) for p in kind.parameters)


def _own(name: str, told: PatternWords) -> list[tuple[str, str, int, bool]]:
    found = []
    for part in SHAPES[name].own:
        line, _, what = part.rpartition(".")
        which = f"The {line} line" if line else "The line"
        if what == "now":
            found.append((part, f"{which} on this bar.", 1, True))
        elif what == "slope":
            found.append((part, f"{which}'s gain a bar, as a share of the price.", 0, False))
        elif what == "touches":
            found.append(
                (
                    part,
                    f"How many turning points touch {which[0].lower()}{which[1:]}." if name != "level" else told.own[part],
                    0,
                    False,
                )
            )
        else:
            degree = 0 if what in _PLAIN else 1
            found.append((part, told.own[part], degree, degree == 1))
            if part in POINTS:
                found.append((f"{part}.age", f"Bars since that point, its `{part}`.", 0, False))
    return found


def _example(name: str, part: str) -> str:
    if part == "state":
        return f"{name}.state == 2"
    if part == "quality":
        return f"{name}.quality > 60"
    what = part.rpartition(".")[2]
    if what in _PLAIN:
        return f"{name}.{part} " + {"slope": "> 0", "touches": ">= 3", "pole": "> 15%"}.get(what, "< 10")
    return f"{name}.height > 1" if part == "height" else f"close > {name}.{part}"


def pattern(name: str, told: PatternWords) -> tuple[Entry, ...]:
    """The entries of one pattern: itself, the parts of its own, those all have."""
    parameters = _parameters(name, told)

    def entry(part: str, said: str, degree: int, level: bool) -> Entry:
        whole = f"{name}.{part}" if part else name
        return Entry(
            whole, "patterns", "pattern", "number" if part else "condition", said, f"of the {name}" if part else told.formula,
            "until one is visible" if part else "0", "common practice" if part else told.source, _example(name, part) if part else whole, parameters, None, degree,
            level, fraction=part.endswith(("slope", "pole")), side="level" if level else "move" if part.endswith("slope") else "plain",
            later=not part and name in OLD_NAMES.values(),
        )  # fmt: skip

    help = f"{told.help} True while the latest is forming: visible, and neither confirmed nor ended."
    if name == "level":
        help = f"{told.help} True while there is one."
    quality = f"0 to 100: {'the mean of ' if ', and ' in told.quality else ''}{told.quality}."
    common = [(part, quality if part == "quality" else said, degree, level) for part, degree, level, said in COMMON]
    return (
        entry("", help, 0, False),
        *(entry(part, said, degree, level) for part, said, degree, level in _own(name, told)),
        *(entry(part, said, degree, level) for part, said, degree, level in common),
    )
