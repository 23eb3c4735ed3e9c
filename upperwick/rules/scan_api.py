"""Routes of scans, charts and explanations: everything a rule is looked at through."""

from typing import Annotated, Literal

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router, Schema
from pydantic import Field

from upperwick.base.errors import Refused
from upperwick.base.problem_documents import rule_problem
from upperwick.base.schemas import fields_of
from upperwick.charts.series import CHART_BARS, MOST_CHARTS, ChartAsked, chart
from upperwick.market.services import as_of_moment, open_market
from upperwick.rules import scan as service
from upperwick.rules.checking import prepared, with_universes
from upperwick.rules.services import parts_for
from wickcore.bars.frame_names import ChartFrame
from wickcore.language.parser import MAX_CHARACTERS, MAX_UNIVERSE
from wickcore.language.problems import Problem, RuleError
from wickcore.language.rule import CheckedRule, DialState

router = Router(tags=["scan"])
TEXT = Field(max_length=MAX_CHARACTERS + 1)
Expression = Annotated[str, Field(max_length=200)]
Shown = Literal["percent", "price", "amount", "number", "truth", "text"]


class RuleIn(Schema):
    text: str = TEXT
    as_of: str | None = None
    universe: str | None = Field(None, max_length=MAX_UNIVERSE)
    dials: dict[str, float] = {}


class ScanIn(RuleIn):
    columns: list[Expression] = Field(list(service.COLUMNS), max_length=service.MOST_COLUMNS)


class ColumnOut(Schema):
    """shown: how its values are read. error: why it has none."""

    text: str
    shown: Shown
    error: str | None


@fields_of(Problem)
class ProblemOut(Schema):
    pass


class LineOut(Schema):
    number: int
    text: str
    depth: int
    skip: bool
    part: str | None
    true: int
    false: int
    unknown: int
    left: int
    alone: int


class HitOut(Schema):
    """days: on how many bars in a row it has been a hit. longer: on more than those, which the history knows."""

    symbol: str
    name: str
    sector: str
    days: int
    longer: bool
    values: dict[str, float | bool | str | None]


class NearOut(Schema):
    symbol: str
    line: int


@fields_of(DialState)
class DialOut(Schema):
    pass


class ScanOut(Schema):
    """as_of: the moment stood on. partial: the bar of the rule's frame is the one so far: its week, month or day goes on."""

    as_of: str
    partial: bool
    universe: str | None
    lists: list[str]
    side: str
    bars: str
    decide: str
    scanned: int
    no_bar: int
    lines: list[LineOut]
    columns: list[ColumnOut]
    hits: list[HitOut]
    hits_total: int
    near_misses: list[NearOut]
    advice: list[ProblemOut]
    dials: list[DialOut]


@router.post("/scan", response=ScanOut, operation_id="scan")
def scan(request: HttpRequest, body: ScanIn):
    """Counts down the lines and lists the hits. A rule with errors answers 422 with their places, and with `others`: the text without the
    lines that are to mend and its counts, where that leaves a rule."""

    def counted(text: str) -> bytes:
        return service.counted(request.user, text, body.as_of, body.universe, body.dials, body.columns)

    try:
        # JSON as it was made: holding each cell of a long list against the schema once more would double the wait for a key.
        return HttpResponse(counted(body.text), content_type="application/json")
    except RuleError as error:
        return rule_problem(error, others=service.others(body.text, error, counted))


class HistoryOut(Schema):
    """as_of: the moment stood on. ever: of each line of the scan, in its order, on what share of all bars it is true. runs: on how many bars in
    a row each hit has been one. advice: all that is to be said of the rule."""

    as_of: str
    ever: list[float]
    runs: dict[str, int]
    advice: list[ProblemOut]


@router.post("/history", response=HistoryOut, operation_id="history")
def history(request: HttpRequest, body: RuleIn):
    """What the whole history says of a rule's lines. A scan does not wait for it, and it waits behind all scans: where the same account asks for
    another meanwhile, it answers 409."""
    return service.history(request.user, body.text, body.as_of, body.universe, body.dials)


class GoneOut(Schema):
    symbol: str
    name: str


class SinceOut(Schema):
    before: str
    new: list[str]
    stayed: list[str]
    gone: list[GoneOut]


@router.post("/since", response=SinceOut, operation_id="since")
def since(request: HttpRequest, body: RuleIn):
    """The hits against those of the session before."""
    return service.since(request.user, body.text, body.as_of, body.universe, body.dials)


class ParquetIn(Schema):
    text: str = TEXT
    as_of: str | None = None
    columns: list[Expression] = Field(list(service.COLUMNS), max_length=service.MOST_COLUMNS)
    symbols: list[str] = Field([], max_length=service.MOST_HITS)


@router.post("/hits.parquet", operation_id="hits_as_parquet", response={200: None})
def hits_as_parquet(request: HttpRequest, body: ParquetIn):
    """The table of hits as Parquet, the given symbols in the given order."""
    content = service.as_parquet(request.user, body.text, body.as_of, body.columns, body.symbols)
    return HttpResponse(content, content_type="application/vnd.apache.parquet")


class ValueIn(Schema):
    text: str = TEXT
    expression: str = Field(max_length=2_000)
    symbol: str
    as_of: str | None = None


class ValueOut(Schema):
    value: float | bool | str | None
    shown: Shown


@router.post("/value", response=ValueOut, operation_id="value")
def value(request: HttpRequest, body: ValueIn):
    """What an expression of the rule is for one instrument on the as-of day."""
    return service.value_of(request.user, body.text, body.expression, body.symbol, body.as_of)


class ChartIn(Schema):
    symbol: str
    text: str | None = Field(None, max_length=MAX_CHARACTERS + 1)
    as_of: str | None = None
    universe: str | None = Field(None, max_length=MAX_UNIVERSE)
    dials: dict[str, float] = {}
    frame: ChartFrame = "day"
    bars: int = Field(260, ge=1, le=CHART_BARS)
    panes: list[Annotated[list[Expression], Field(max_length=4)]] = Field([], max_length=6)
    all_patterns: bool = False


class OverlayOut(Schema):
    label: str
    values: list[float | None]


class PaneLineOut(Schema):
    text: str
    shown: Shown
    error: str | None
    values: list[float | None]


class PointOut(Schema):
    day: str
    price: float


class StrokeOut(Schema):
    """A line of a pattern, up to the bar that broke it."""

    name: str
    points: list[PointOut]


class PatternPartOut(Schema):
    """price: whether the value is a price; else a share or a number of touches."""

    name: str
    value: float
    price: bool


class PatternOut(Schema):
    """A chart pattern as of the chart's day; points from its first to its last, joined by a line or not."""

    name: str
    state: Literal["forming", "triggered", "failed", "expired"]
    age: int
    quality: int
    trigger: float
    invalid: float
    target: float
    points: list[PointOut]
    joined: bool
    strokes: list[StrokeOut]
    parts: list[PatternPartOut]


class ChartOut(Schema):
    """hits: positions among the bars drawn. past: days of every hit of the instrument's history; fresh: those whose bar before was none. so_far:
    whether the last bar goes on at the moment stood on."""

    symbol: str
    name: str
    frame: ChartFrame
    days: list[str]
    open: list[float | None]
    high: list[float | None]
    low: list[float | None]
    close: list[float | None]
    volume: list[float]
    change: list[float | None]
    overlays: list[OverlayOut]
    hits: list[int]
    panes: list[list[PaneLineOut]]
    past: list[str]
    fresh: list[str]
    patterns: list[PatternOut]
    first_day: str | None
    so_far: bool
    facts: dict[str, float | None]


@router.post("/chart", response=ChartOut, operation_id="chart")
def chart_route(request: HttpRequest, body: ChartIn):
    """One instrument's bars with what the rule talks about; a rule with errors draws nothing of its own."""
    rule, universe = _drawn(request, body.text, body.universe, body.dials)
    return JsonResponse(
        chart(
            ChartAsked(body.symbol, body.as_of, body.frame, body.bars, body.panes, all_patterns=body.all_patterns), rule, universe,
            _named(request, "\n".join(line for lines in body.panes for line in lines)),
        )
    )  # fmt: skip


def _named(request: HttpRequest, text: str) -> dict[str, str]:
    """The breadths that a text of lines can name; those of a universe that is no more are left out."""
    parts = parts_for(request.user, text)
    try:
        return with_universes(request.user, open_market().market, text, parts)
    except Refused:
        return parts


class ChartsIn(Schema):
    symbols: list[str] = Field(max_length=MOST_CHARTS)
    text: str | None = Field(None, max_length=MAX_CHARACTERS + 1)
    as_of: str | None = None
    frame: ChartFrame = "day"
    bars: int = Field(130, ge=1, le=520)


@router.post("/charts", response=list[ChartOut], operation_id="charts")
def charts_route(request: HttpRequest, body: ChartsIn):
    """A page of small charts, each as `chart` gives it but without the figures of its latest bar."""
    rule, universe = _drawn(request, body.text, None, {})
    asked = [ChartAsked(s, body.as_of, body.frame, body.bars, facts=False, past=False) for s in body.symbols]
    return JsonResponse([chart(one, rule, universe) for one in asked], safe=False)


def _drawn(request: HttpRequest, text: str | None, universe: str | None, dials: dict[str, float]) -> tuple[CheckedRule | None, str]:
    """The rule whose levels and hits a chart draws; a rule with errors draws nothing of its own."""
    if not text:
        return None, ""
    try:
        found = prepared(request.user, text, dials, universe)
    except (RuleError, Refused):
        return None, ""
    return found.rule, found.key


class ExplainIn(Schema):
    text: str = TEXT
    symbol: str
    day: str
    dials: dict[str, float] = {}


class TruthOut(Schema):
    number: int
    text: str
    truth: bool | None
    left_value: float | None
    operator: str | None
    right_value: float | None
    margin: float | None
    percent: bool


@router.post("/explain", response=list[TruthOut], operation_id="explain")
def explain(request: HttpRequest, body: ExplainIn):
    """Why an instrument is a hit on a day, or is not."""
    found = prepared(request.user, body.text, body.dials)
    return service.explain_rows(found.engine, found.rule, body.symbol, as_of_moment(found.engine.market, body.day))
