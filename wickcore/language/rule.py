"""The checked rule: what scans, studies and charts are computed from.

Like the nodes of the tree, what there are thousands of in one rule is not frozen, and not changed either.
"""

from dataclasses import dataclass, field

from wickcore.language.foreign_scale import Scale
from wickcore.language.operations import Op
from wickcore.language.problems import Problem


@dataclass(slots=True, unsafe_hash=True)
class Value:
    """A checked expression.

    degree: how it scales with the split factor (1 prices, -1 volumes, 0 ratios, a half for roots of prices); None for a plain number, which
    takes the scale of what it meets. shift: how often the logarithm of that factor is in it as a summand (1 for logarithms of prices).
    constant: its value when it is a plain number. weight: how much of a price level is in it (1 for prices and averages of prices, 0 for
    ranges), None where that has no meaning; a chart draws what is near 1. bounds: values it cannot leave. fraction: whether people say it in
    percent. lent: the scale it has of other instruments.
    """

    op: Op
    type: str
    degree: float | None = 0
    constant: float | None = None
    weight: float | None = None
    percent: bool = False
    bounds: tuple[float, float] | None = None
    fraction: bool = False
    shift: float = 0.0
    lent: Scale = ()


@dataclass(slots=True, unsafe_hash=True)
class Pair:
    """The two sides of one comparison, kept so that an explanation can show both and the margin. percent: whether people say them so."""

    left: Op
    operator: str
    right: Op
    degree: float
    percent: bool = False


@dataclass(frozen=True, slots=True)
class Overlay:
    """A line that the rule talks about and a chart draws by itself: a price level."""

    label: str
    op: Op


@dataclass(frozen=True, slots=True)
class Line:
    """One line of a rule. `op` yields its truth; `depth` counts groups above it; `part` names the used rule it came from.

    `decides` is true for the lines that every hit must satisfy: outermost and not skipped.
    """

    number: int
    text: str
    op: Op
    depth: int = 0
    skip: bool = False
    part: str | None = None
    pairs: tuple[Pair, ...] = ()
    overlays: tuple[Overlay, ...] = ()

    @property
    def decides(self) -> bool:
        return self.depth == 0 and not self.skip


@dataclass(frozen=True, slots=True)
class DialState:
    name: str
    value: float
    low: float | None
    high: float | None
    step: float | None
    percent: bool
    line: int


@dataclass(frozen=True, slots=True)
class CheckedRule:
    """A rule that can be evaluated. `frame` is the frame it steps on."""

    text: str
    name: str
    about: str
    side: str
    frame: str
    decide: str
    universe: str | None
    lines: tuple[Line, ...]
    dials: tuple[DialState, ...] = ()
    lets: dict[str, Value] = field(default_factory=dict)
    advice: tuple[Problem, ...] = ()

    @property
    def deciding(self) -> tuple[Line, ...]:
        return tuple(line for line in self.lines if line.decides)

    @property
    def overlays(self) -> tuple[Overlay, ...]:
        """Each distinct price level of the lines, in the order of the text."""
        found: dict[str, Overlay] = {}
        for line in self.lines:
            for overlay in line.overlays:
                found.setdefault(overlay.op.key, overlay)
        return tuple(found.values())
