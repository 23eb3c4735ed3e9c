"""Routes of follow-through studies."""

from typing import Literal

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import Router, Schema
from pydantic import Field

from upperwick.studies import services
from wickcore.language.parser import MAX_CHARACTERS
from wickcore.study.follow import HORIZONS, MAX_HORIZON

router = Router(tags=["studies"])


class StudyIn(Schema):
    """survivors: measured over those who belong on the as-of day only, as if nobody else had ever been there: to see the bias."""

    text: str = Field(max_length=MAX_CHARACTERS + 1)
    as_of: str | None = None
    universe: str | None = None
    dials: dict[str, float] = {}
    horizons: list[int] = Field(list(HORIZONS), min_length=1, max_length=12)
    entry: Literal["next-open", "signal-close"] = "next-open"
    repeats: Literal["fresh", "every", "apart"] = "fresh"
    cost: float = Field(0.001, ge=0, le=0.1)
    survivors: bool = False


class Histogram(Schema):
    edges: list[float]
    counts: list[float]


class SpreadOut(Schema):
    mean: float | None
    p5: float | None
    p25: float | None
    p50: float | None
    p75: float | None
    p95: float | None


class HorizonOut(Schema):
    bars: int = Field(ge=1, le=MAX_HORIZON)
    count: int
    pending: int
    delisted: int
    instruments: int
    days: int
    small_sample: bool
    win_rate: float | None
    win_rate_low: float | None
    win_rate_high: float | None
    mean: float | None
    median: float | None
    stdev: float | None
    average_win: float | None
    average_loss: float | None
    payoff: float | None
    profit_factor: float | None
    expectancy: float | None
    spread: SpreadOut
    best: float | None
    best_symbol: str | None
    worst: float | None
    worst_symbol: str | None
    favourable: SpreadOut
    adverse: SpreadOut
    baseline: float | None
    excess: float | None
    excess_low: float | None
    excess_high: float | None
    histogram: Histogram


class EventOut(Schema):
    symbol: str
    day: str
    entry_day: str | None
    entry: float | None
    returns: dict[str, float | None]


class StudyOut(Schema):
    """lists: the account's lists in the universe, chosen with hindsight."""

    hits: int
    no_entry: int
    entry: str
    repeats: str
    cost: float
    horizons: list[HorizonOut]
    verdicts: dict[str, str]
    events: list[EventOut]
    lists: list[str]


class RunOut(Schema):
    id: int
    state: Literal["running", "done", "stopped", "failed"]
    stage: str
    share: float
    detail: str
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


class PathPointOut(Schema):
    offset: int
    count: int
    mean: float | None
    median: float | None
    low: float | None
    high: float | None
    baseline: float | None


class NameOut(Schema):
    symbol: str
    times: int
    small: bool
    rates: list[float | None]
    means: list[float | None]


class DayOut(Schema):
    day: str
    count: int


class WorthOut(Schema):
    """without: the rule without the line. more: hits that adds. gain: excess the line brings. clutter: it removes hits and brings none."""

    number: int
    text: str
    more: int
    gain: float | None
    clutter: bool
    without: PartFigures | None


class DotOut(Schema):
    adverse: float
    end: float


class StopOut(Schema):
    """As every position would have done, closed once it stood `stop` below its entry, filled at the stop itself."""

    stop: float
    count: int
    stopped: float | None
    win_rate: float | None
    mean: float | None
    median: float | None
    excess: float | None
    saved: int
    lost: int


class PartsOut(Schema):
    """name_horizons: those of the rates and means of each name."""

    horizon: int
    breakdowns: dict[str, list[GroupOut]]
    path: list[PathPointOut]
    name_horizons: list[int]
    names: list[NameOut]
    days: list[DayOut]
    scatter: list[DotOut]
    worth: list[WorthOut]


class PartsRunOut(Schema):
    id: int
    state: Literal["running", "done", "stopped", "failed"]
    stage: str
    share: float
    detail: str
    result: PartsOut | None


def _run(run: services.Run) -> HttpResponse:
    """The run as its schema says. Written as JSON straight away: checking each of twenty thousand events again would take longer than
    the study."""
    names = ("id", "state", "stage", "share", "detail", "result")
    return JsonResponse({name: getattr(run, name) for name in names})


@router.post("", response=RunOut, operation_id="start_study")
def start(request: HttpRequest, body: StudyIn):
    """Measures a rule's follow-through over the history up to the as-of day."""
    return _run(services.start(request.user, body.text, body.dict()))


@router.get("/{run_id}", response=RunOut, operation_id="study")
def one(request: HttpRequest, run_id: int):
    """How far the study is, and its figures once it is done."""
    return _run(services.find(request.user.id, run_id))


@router.delete("/{run_id}", response=RunOut, operation_id="stop_study")
def stop(request: HttpRequest, run_id: int):
    return _run(services.stop(request.user.id, run_id))


@router.post("/{run_id}/parts", response=PartsRunOut, operation_id="start_parts")
def start_parts(request: HttpRequest, run_id: int, horizon: int):
    """Takes a finished study apart at one of its horizons."""
    return _run(services.start_parts(request.user.id, run_id, horizon))


@router.get("/parts/{run_id}", response=PartsRunOut, operation_id="parts")
def parts_of_study(request: HttpRequest, run_id: int):
    """How far the taking apart is, and what it found once it is done."""
    return _run(services.find(request.user.id, run_id))


@router.get("/{run_id}/stop", response=StopOut, operation_id="study_with_stop")
def with_a_stop(request: HttpRequest, run_id: int, horizon: int, stop: float):
    """What a stop would have made of the study at one horizon."""
    return services.stopped_at(request.user.id, run_id, horizon, stop)
