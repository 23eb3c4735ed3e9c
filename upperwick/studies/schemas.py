"""What the API takes and gives of studies."""

from datetime import datetime
from typing import Any, Literal

from ninja import Schema
from pydantic import Field

from upperwick.base.schemas import fields_of
from wickcore.language.parser import MAX_CHARACTERS, MAX_UNIVERSE
from wickcore.study.breakdowns import InstrumentRow
from wickcore.study.path import PathPoint
from wickcore.study.sample import HorizonFigures, Spread
from wickcore.study.settings import MAX_HORIZON, StudyChoice
from wickcore.study.stops import StopFigures
from wickcore.study.sweep import Cell, Sweep


class StudyIn(StudyChoice):
    """What is measured, and by which settings."""

    text: str = Field(max_length=MAX_CHARACTERS + 1)
    universe: str | None = Field(None, max_length=MAX_UNIVERSE)
    dials: dict[str, float] = {}
    rule_id: int | None = None


class Histogram(Schema):
    edges: list[float]
    counts: list[float]


@fields_of(Spread)
class SpreadOut(Schema):
    pass


@fields_of(HorizonFigures)
class HorizonOut(Schema):
    bars: int = Field(ge=1, le=MAX_HORIZON)
    spread: SpreadOut
    favourable: SpreadOut
    adverse: SpreadOut
    histogram: Histogram


class EventOut(Schema):
    symbol: str
    day: str
    entry_day: str | None
    entry: float | None
    returns: dict[str, float | None]


class StudyOut(Schema):
    """findings: open findings about the data of its universe. lists: the account's lists in the universe, chosen with hindsight.
    sealed_from: the day from which on nothing is measured while the seal holds; before, after: once it is broken, the days up to it and
    those since, each alone."""

    hits: int
    no_entry: int
    entry: str
    repeats: str
    cost: float
    horizons: list[HorizonOut]
    verdicts: dict[str, str]
    events: list[EventOut]
    findings: int = 0
    lists: list[str]
    sealed_from: str | None
    before: list[HorizonOut] | None
    after: list[HorizonOut] | None


class AnyRunOut(Schema):
    """A run without its answer. state: `interrupted` where the worker was ended in the middle. version: the saved version that reads as
    what was measured. seconds: how long the answer took. beside: what a comparison's rule was set beside, words: what it was measured by."""

    id: int
    kind: Literal["study", "parts", "compare", "sweep"]
    state: Literal["waiting", "running", "done", "stopped", "failed", "interrupted"]
    stage: str
    share: float
    detail: str
    rule_id: int | None
    name: str
    version: int | None
    data_version: str
    seed: int
    asked: datetime
    seconds: float | None
    headline: str
    settings: dict[str, Any]
    beside: str
    words: str


class RunOut(AnyRunOut):
    result: StudyOut | None


class PartFigures(Schema):
    count: int
    days: int
    win_rate: float | None
    win_rate_low: float | None
    win_rate_high: float | None
    mean: float | None
    median: float | None
    excess: float | None
    excess_low: float | None
    excess_high: float | None


class GroupOut(PartFigures):
    """small: fewer than twenty hits, too few to be ranked."""

    label: str
    small: bool


@fields_of(PathPoint)
class PathPointOut(Schema):
    pass


@fields_of(InstrumentRow)
class NameOut(Schema):
    """won, lost: average win and loss at the horizon."""


class DayOut(Schema):
    day: str
    count: int


class WorthOut(Schema):
    """without: the rule without the line. more: hits that adds. gain: excess the line brings. clutter: it removes hits and brings none."""

    number: int
    text: str
    more: int
    gain: float | None
    gain_low: float | None
    gain_high: float | None
    clutter: bool
    without: PartFigures | None


class DotOut(Schema):
    adverse: float
    end: float


@fields_of(StopFigures)
class StopOut(Schema):
    """As every position would have done, closed once it stood `stop` below its entry, filled at the stop itself."""


class PartsOut(Schema):
    """name_horizons: those of the rates and means of each name."""

    horizon: int
    breakdowns: dict[str, list[GroupOut]]
    path: list[PathPointOut]
    name_horizons: list[int]
    names: list[NameOut]
    days: list[DayOut]
    scatter: list[DotOut]
    stops: list[StopOut]
    worth: list[WorthOut]


class PartsRunOut(AnyRunOut):
    result: PartsOut | None


class DifferenceOut(Schema):
    """excess: the second less the first."""

    bars: int
    excess: float | None
    low: float | None
    high: float | None
    verdict: str


class SideOut(Schema):
    hits: int
    horizons: list[HorizonOut]
    verdicts: dict[str, str]


class ComparisonOut(Schema):
    """lost: figures of the hits only the first has, gained: of those only the second has, at the horizon."""

    horizon: int
    first: SideOut
    second: SideOut
    differences: list[DifferenceOut]
    both: int
    only_first: int
    only_second: int
    shared: PartFigures
    lost: PartFigures
    gained: PartFigures
    events_first: list[EventOut]
    events_second: list[EventOut]


class CompareIn(Schema):
    first: StudyIn
    second: StudyIn
    horizon: int = Field(ge=1, le=MAX_HORIZON)


class CompareRunOut(AnyRunOut):
    result: ComparisonOut | None


class TurnIn(Schema):
    name: str
    low: float
    high: float
    step: float


class SweepIn(Schema):
    study: StudyIn
    dials: list[TurnIn] = Field(min_length=1, max_length=2)
    horizon: int = Field(ge=1, le=MAX_HORIZON)


@fields_of(Cell)
class CellOut(Schema):
    """floor: the lowest excess among it and its neighbours. holds: it beats the baseline, and each neighbour keeps at least half of that."""


@fields_of(Sweep)
class SweepOut(Schema):
    """peak, plateau: places among the cells, which go along the first dial, then the second."""

    cells: list[CellOut]
    verdict: str


class SweepRunOut(AnyRunOut):
    result: SweepOut | None


class TryOut(Schema):
    label: str
    made: str
    days: int
    daily: float


class TriesOut(Schema):
    """tried: settings measured. p: chance that the best of them would look as good without any edge. daily: mean excess a session."""

    tried: int
    judged: int
    horizon: int
    p: float | None
    best: TryOut | None
    rows: list[TryOut]


class SealOut(Schema):
    sealed_from: str | None
    broken: str | None
    version: int | None


class TradeOut(Schema):
    symbol: str
    side: str
    bars: int
    day: str
    entry_day: str | None
    entry: float | None
    exit_day: str | None
    exit: float | None
    value: float | None
    baseline: float | None
    favourable: float | None
    adverse: float | None
    state: str
