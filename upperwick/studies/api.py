"""Routes of follow-through studies."""

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import Router

from upperwick.jobs import services as jobs
from upperwick.jobs.answers import with_answer
from upperwick.jobs.models import Job
from upperwick.rules import services as rules
from upperwick.studies import multiple_testing, runs, services
from upperwick.studies.schemas import (
    AnyRunOut,
    CompareIn,
    CompareRunOut,
    PartsRunOut,
    RunOut,
    SealOut,
    StudyIn,
    SweepIn,
    SweepRunOut,
    TradeOut,
    TriesOut,
)

router = Router(tags=["studies"])


def _run(run: Job) -> HttpResponse:
    return with_answer(run, runs.told(run))


@router.post("", response=RunOut, operation_id="start_study")
def start(request: HttpRequest, body: StudyIn, again: bool = False):
    """Measures a rule's follow-through over the history up to the as-of day or the seal. again: even where the answer is kept."""
    return _run(services.measure(request.user, body.model_dump(mode="json"), again))


@router.get("", response=list[AnyRunOut], operation_id="studies")
def kept(request: HttpRequest, rule_id: int | None = None):
    """The latest runs, those of one rule where it is named."""
    return [runs.told(run) for run in runs.kept(request.user, rule_id)]


@router.post("/compare", response=CompareRunOut, operation_id="start_comparison")
def compare(request: HttpRequest, body: CompareIn):
    """Two studies side by side."""
    return _run(
        services.compare(request.user, body.first.model_dump(mode="json"), body.second.model_dump(mode="json"), body.horizon)
    )


@router.get("/compare/{run_id}", response=CompareRunOut, operation_id="comparison")
def one_comparison(request: HttpRequest, run_id: int):
    return _run(jobs.find(request.user, run_id, "compare"))


@router.post("/sweep", response=SweepRunOut, operation_id="start_sweep")
def sweep(request: HttpRequest, body: SweepIn):
    """One dial or two over their ranges."""
    return _run(services.sweep(request.user, body.study.model_dump(mode="json"), [d.dict() for d in body.dials], body.horizon))


@router.get("/sweep/{run_id}", response=SweepRunOut, operation_id="sweep")
def one_sweep(request: HttpRequest, run_id: int):
    return _run(jobs.find(request.user, run_id, "sweep"))


@router.get("/tries", response=TriesOut, operation_id="tries")
def tries_of(request: HttpRequest, rule_id: int, horizon: int):
    """What a rule has tried, and how good the best of so many would look by luck."""
    return multiple_testing.judged(rules.find(request.user, rule_id).id, horizon)


@router.get("/seal/{rule_id}", response=SealOut, operation_id="seal")
def seal(request: HttpRequest, rule_id: int):
    return services.seal_of(request.user, rule_id)


@router.post("/seal/{rule_id}", response=SealOut, operation_id="break_seal")
def break_seal(request: HttpRequest, rule_id: int):
    """Opens a rule's sealed days, once and for good."""
    return services.break_seal(request.user, rule_id)


@router.get("/parts/{run_id}", response=PartsRunOut, operation_id="parts")
def parts_of_study(request: HttpRequest, run_id: int):
    """How far the taking apart is, and what it found once it is done."""
    return _run(jobs.find(request.user, run_id, "parts"))


@router.get("/{run_id}", response=RunOut, operation_id="study")
def one(request: HttpRequest, run_id: int):
    """How far the study is, and its figures once it is done."""
    return _run(jobs.find(request.user, run_id, "study"))


@router.delete("/{run_id}", response=AnyRunOut, operation_id="stop_study")
def stop(request: HttpRequest, run_id: int):
    """Stops a run of any kind."""
    return runs.told(jobs.stop(request.user, run_id))


@router.post("/{run_id}/again", response=AnyRunOut, operation_id="study_again")
def again(request: HttpRequest, run_id: int):
    """The same question once more: after an interruption, or over data that has changed."""
    return runs.told(runs.again(request.user, run_id))


@router.post("/{run_id}/parts", response=PartsRunOut, operation_id="start_parts")
def start_parts(request: HttpRequest, run_id: int, horizon: int):
    """Takes a finished study apart at one of its horizons."""
    return _run(services.take_apart(request.user, run_id, horizon))


@router.get("/{run_id}/report", operation_id="study_report")
def report_of(request: HttpRequest, run_id: int, horizon: int):
    """The study as one HTML page that needs nothing else."""
    name, page = services.page_of(request.user, run_id, horizon)
    answer = HttpResponse(page, content_type="text/html; charset=utf-8")
    answer["Content-Disposition"] = content_disposition_header(True, f"{name} follow-through.html")
    return answer


@router.get("/{run_id}/trade", response=TradeOut, operation_id="trade")
def one_trade(request: HttpRequest, run_id: int, symbol: str, day: str, horizon: int):
    """One hit of a study as it was traded."""
    return services.one_trade(request.user, run_id, symbol, day, horizon)
