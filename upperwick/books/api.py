"""Routes of books and of their runs."""

from dataclasses import asdict
from typing import Annotated, Literal

from django.http import HttpRequest, HttpResponse
from django.utils.http import content_disposition_header
from ninja import Router
from pydantic import Field

from upperwick.base.errors import Refused
from upperwick.books import multiple_testing, runs, services
from upperwick.books.cache_key import checked
from upperwick.books.run_schemas import (
    BookComparison,
    BookLuckRun,
    BookRunWhole,
    BookSweepRun,
    BookWalkRun,
    BookWhatIfRun,
    SignalsOut,
    SizesOut,
    TodayIn,
    TodayOut,
    TradePath,
)
from upperwick.books.schemas import (
    BookAsked,
    BookChecked,
    BookDetail,
    BookName,
    BookRunIn,
    BookRunOut,
    BookSealOut,
    BookSummary,
    BookTriesOut,
    LuckAsked,
    PositionNameOut,
    SweepAsked,
    WalkAsked,
)
from upperwick.jobs import services as jobs
from upperwick.jobs.answers import with_answer
from upperwick.jobs.models import Job
from upperwick.rules.language import MirrorOut, NoteOut, TextIn, TextOut
from upperwick.rules.text_api import add_text_routes
from wickcore.book.loss_sizes import SLOTS, STOPS, sizes
from wickcore.language.book_layout import format_book, mirror_book, read_book_aloud
from wickcore.language.positions import POSITION_NAMES
from wickcore.language.problems import RuleError

router = Router(tags=["books"])
Offset = Annotated[int, Field(ge=0, le=5_000_000)]
Limit = Annotated[int, Field(ge=1, le=500)]


@router.get("", response=list[BookSummary], operation_id="books")
def books(request: HttpRequest):
    """The account's books by name."""
    return services.listed(request.user)


@router.post("/from-rule/{rule_id}", response=BookDetail, operation_id="book_from_rule")
def from_rule(request: HttpRequest, rule_id: int):
    """A new book that trades a rule, with defaults that make sense."""
    return services.detail(services.create(request.user, services.text_from_rule(request.user, rule_id)))


@router.get("/names", response=list[PositionNameOut], operation_id="position_names")
def names(request: HttpRequest):
    """What a book knows of a position: names that stand in its exits, stops and targets only."""
    return [{"name": n.name, "help": n.help, "example": n.example, "where": list(n.where)} for n in POSITION_NAMES.values()]


@router.get("/sizes", response=SizesOut, operation_id="sizes")
def size_table(request: HttpRequest):
    """What a stop means for the account, by slots."""
    return {"slots": list(SLOTS), "rows": [asdict(row) for row in sizes(STOPS)], "own": []}


@router.post("/check", response=BookChecked, operation_id="check_book")
def check(request: HttpRequest, body: BookAsked):
    """What a text says; 422 with every place that is wrong."""
    found = checked(request.user, body.text, services.rules_for(request.user, body.text), body.dials, body.universe)
    return {
        "advice": found.advice, "dials": found.dials, "frame": found.frame, "universe": found.universe, "only": found.only, "slots": found.slots,
        "start": found.start, "sizing": found.sizing, "ranked": found.rank is not None, "optimistic": found.optimistic,
        "enters": [{"name": e.name, "side": e.rule.side, "kind": e.kind, "line": e.line} for e in found.enters],
    }  # fmt: skip


@router.post("/format", response=TextOut, operation_id="format_book")
def lay_out(request: HttpRequest, body: TextIn):
    """The book in its canonical layout."""
    return {"text": format_book(body.text)}


@router.post("/mirror", response=MirrorOut, operation_id="mirror_book")
def other_side(request: HttpRequest, body: TextIn):
    """The book for the other side, with notes on what stayed as it was."""
    found = mirror_book(body.text)
    return {"text": found.text, "notes": [{"line": line, "text": text} for line, text in found.notes]}


@router.post("/aloud", response=list[NoteOut], operation_id="book_aloud")
def aloud(request: HttpRequest, body: TextIn):
    """The book in plain sentences, one a line."""
    return [{"line": line, "text": text} for line, text in read_book_aloud(body.text)]


def _run(run: Job) -> HttpResponse:
    return with_answer(run, runs.told(run))


@router.post("/runs", response=BookRunWhole, operation_id="start_book")
def start(request: HttpRequest, body: BookRunIn, again: bool = False):
    """Runs a book over the history up to the as-of day or the seal. again: even where the answer is kept."""
    return _run(runs.start(request.user, body.model_dump(mode="json"), again))


@router.post("/today", response=TodayOut, operation_id="book_today")
def today(request: HttpRequest, body: TodayIn):
    """What a book holds on the as-of day, and its orders for the next session."""
    try:
        return runs.today(request.user, body.model_dump(mode="json"))
    except RuleError:
        raise
    except ValueError as error:
        raise Refused(str(error), 422) from None


@router.get("/runs", response=list[BookRunOut], operation_id="book_runs")
def kept(request: HttpRequest, book_id: int | None = None):
    """The latest runs, those of one book where it is named."""
    return [runs.told(run) for run in runs.kept(request.user, book_id)]


@router.get("/compare", response=BookComparison, operation_id="compare_books")
def compare(request: HttpRequest, first: int, second: int):
    """Two finished runs side by side."""
    return runs.compared(request.user, first, second)


@router.get("/runs/{run_id}", response=BookRunWhole, operation_id="book_run")
def one_run(request: HttpRequest, run_id: int):
    """How far the run is, and what it came to once it is done."""
    return _run(jobs.find(request.user, run_id, "book"))


@router.delete("/runs/{run_id}", response=BookRunOut, operation_id="stop_book")
def stop(request: HttpRequest, run_id: int):
    """Stops a run, or what was asked of one."""
    return runs.told(jobs.stop(request.user, run_id))


@router.post("/runs/{run_id}/again", response=BookRunOut, operation_id="book_again")
def again(request: HttpRequest, run_id: int):
    """The same question once more: after an interruption, or over data that has changed."""
    return runs.told(runs.again(request.user, run_id))


@router.post("/runs/{run_id}/luck", response=BookLuckRun, operation_id="start_book_luck")
def start_luck(request: HttpRequest, run_id: int, body: LuckAsked):
    """The same book with random picks among its signals."""
    return _run(runs.further(request.user, run_id, "book-luck", picks=body.picks))


@router.post("/runs/{run_id}/what-if", response=BookWhatIfRun, operation_id="start_book_what_if")
def start_what_if(request: HttpRequest, run_id: int):
    """The same book with one thing otherwise."""
    return _run(runs.further(request.user, run_id, "book-what-if"))


@router.post("/runs/{run_id}/sweep", response=BookSweepRun, operation_id="start_book_sweep")
def start_sweep(request: HttpRequest, run_id: int, body: SweepAsked):
    """One dial or two over their ranges; `slots` is a dial of every book."""
    return _run(runs.further(request.user, run_id, "book-sweep", dials=[d.dict() for d in body.dials]))


@router.post("/runs/{run_id}/walk", response=BookWalkRun, operation_id="start_book_walk")
def start_walk(request: HttpRequest, run_id: int, body: WalkAsked):
    """Dials chosen on a rolling stretch, traded on the next."""
    return _run(
        runs.further(request.user, run_id, "book-walk", dials=[d.dict() for d in body.dials], train=body.train, traded=body.traded)
    )


@router.get("/asked/luck/{run_id}", response=BookLuckRun, operation_id="book_luck")
def one_luck(request: HttpRequest, run_id: int):
    return _run(jobs.find(request.user, run_id, "book-luck"))


@router.get("/asked/what-if/{run_id}", response=BookWhatIfRun, operation_id="book_what_if")
def one_what_if(request: HttpRequest, run_id: int):
    return _run(jobs.find(request.user, run_id, "book-what-if"))


@router.get("/asked/sweep/{run_id}", response=BookSweepRun, operation_id="book_sweep")
def one_sweep(request: HttpRequest, run_id: int):
    return _run(jobs.find(request.user, run_id, "book-sweep"))


@router.get("/asked/walk/{run_id}", response=BookWalkRun, operation_id="book_walk")
def one_walk(request: HttpRequest, run_id: int):
    return _run(jobs.find(request.user, run_id, "book-walk"))


@router.get("/runs/{run_id}/trade", response=TradePath, operation_id="book_trade")
def one_trade(request: HttpRequest, run_id: int, number: int, part: int = 0):
    """A trade with every level as it stood on each of its bars, and why it ended."""
    return runs.trade_of(request.user, run_id, number, part)


@router.get("/runs/{run_id}/signals", response=SignalsOut, operation_id="book_signals")
def signals(request: HttpRequest, run_id: int, outcome: str, offset: Offset = 0, limit: Limit = 200):
    """Signals of a run that came to the same, the latest first."""
    return runs.signals_of(request.user, run_id, outcome, offset, limit)


@router.get("/runs/{run_id}/file", operation_id="book_file")
def as_file(request: HttpRequest, run_id: int, what: Literal["trades", "equity"], kind: Literal["csv", "json", "parquet"] = "csv"):
    """The trades or the equity as a file."""
    content, type_ = runs.file_of(request.user, run_id, what, kind)
    name = f"{jobs.find(request.user, run_id).name} {what}.{kind}"
    return HttpResponse(content, content_type=type_, headers={"Content-Disposition": content_disposition_header(True, name)})


@router.get("/runs/{run_id}/report", operation_id="book_report")
def report(request: HttpRequest, run_id: int):
    """The run as one HTML page that needs nothing else."""
    name, page = runs.report_of(request.user, run_id)
    answer = HttpResponse(page, content_type="text/html; charset=utf-8")
    answer["Content-Disposition"] = content_disposition_header(True, f"{name} as a book.html")
    return answer


@router.patch("/{number}", response=BookDetail, operation_id="rename_book")
def rename(request: HttpRequest, number: int, body: BookName):
    return services.detail(services.rename(services.find(request.user, number), body.name))


@router.get("/{number}/seal", response=BookSealOut, operation_id="book_seal")
def seal(request: HttpRequest, number: int):
    return runs.seal_of(request.user, number)


@router.post("/{number}/seal", response=BookSealOut, operation_id="break_book_seal")
def break_seal(request: HttpRequest, number: int):
    """Opens a book's sealed days, once and for good."""
    return runs.break_seal(request.user, number)


@router.get("/{number}/tries", response=BookTriesOut, operation_id="book_tries")
def tries_of(request: HttpRequest, number: int):
    """What a book has tried, and how good the best of so many would look by luck."""
    return multiple_testing.judged(services.find(request.user, number))


add_text_routes(router, services, BookDetail, "book")
