"""Routes of the bench."""

from django.http import HttpRequest
from ninja import File, Form, Router, Status
from ninja.files import UploadedFile

from upperwick.base.errors import Refused
from upperwick.bench import items
from upperwick.data.reading.answers import Answers
from upperwick.data.schemas import AnswersIn
from upperwick.positions import fill_import, fills, notices, overview, paper_clock
from upperwick.positions import plans as plans
from upperwick.positions.schemas import (
    BenchEventOut,
    BenchIn,
    BenchItemOut,
    BenchMove,
    BenchNote,
    BenchPut,
    ClockIn,
    FilledOut,
    FillImportOut,
    FillIn,
    FillsReadOut,
    PlanKept,
    PlanOut,
    PlanTried,
    PositionOut,
)

router = Router(tags=["bench"])


@router.get("", response=list[BenchItemOut], operation_id="bench")
def all_items(request: HttpRequest, as_of: str | None = None):
    """Everything on the bench, the latest first."""
    return overview.listed(request.user, as_of)


@router.post("", response=BenchPut, operation_id="put_on_bench")
def put(request: HttpRequest, body: BenchIn):
    """Puts an instrument on the bench, shortlisted; one that is there already stays where it is."""
    rule = body.rule.dict() if body.rule else None
    item, new = items.put(request.user, body.symbol, body.as_of, rule)
    return {"id": item.id, "symbol": item.symbol, "stage": item.stage, "new": new}


@router.post("/imports", response=FillsReadOut, operation_id="import_fills")
def import_fills(
    request: HttpRequest, file: File[UploadedFile], answers: Form[str] = "{}", take: Form[bool] = False, shorts: Form[bool] = False,
    skip_bad: Form[bool] = False,
):  # fmt: skip
    """What a broker's file of fills holds; with take, takes it. answers: as of files of prices, JSON."""
    try:
        given = AnswersIn.model_validate_json(answers)
    except ValueError:
        raise Refused("These answers cannot be read.", 422) from None
    name = (file.name or "fills.csv").encode("utf-8", "replace").decode()
    content = file.read(fill_import.MAX_BYTES + 1)
    return fill_import.read_fills(request.user, name, content, Answers(**given.dict()), take, shorts, skip_bad)


@router.get("/imports", response=list[FillImportOut], operation_id="fill_imports")
def fill_imports(request: HttpRequest):
    """The latest imports of fills."""
    return fill_import.imports_of(request.user)


@router.delete("/imports/{import_id}", response={204: None}, operation_id="undo_fills")
def undo_fills(request: HttpRequest, import_id: int):
    """Takes the fills of one file back."""
    fill_import.undo_import(request.user, import_id)
    return Status(204, None)


@router.get("/{item_id}/history", response=list[BenchEventOut], operation_id="bench_history")
def history(request: HttpRequest, item_id: int):
    """What happened to an item, and notes on it."""
    return overview.history(items.find(request.user, item_id))


@router.patch("/{item_id}", response={204: None}, operation_id="move_on_bench")
def move(request: HttpRequest, item_id: int, body: BenchMove):
    """To another stage. What the clock has is closed by it, or taken back first."""
    item = items.find(request.user, item_id)
    if body.stage == "closed" and item.paper is not None:
        raise Refused("It is traded on paper; stop that, or have it closed at the next open.", 409)
    if body.stage == "closed" and fills.still_held(item):
        raise Refused(f"{fills.still_held(item)} of it are held; enter what was sold, and it is closed by that.", 409)
    items.move(item, body.stage, body.as_of)
    return Status(204, None)


@router.post("/{item_id}/notes", response={204: None}, operation_id="note_on_bench")
def note(request: HttpRequest, item_id: int, body: BenchNote):
    items.note(items.find(request.user, item_id), body.text, body.as_of)
    return Status(204, None)


@router.delete("/{item_id}", response={204: None}, operation_id="drop_from_bench")
def drop(request: HttpRequest, item_id: int):
    item = items.find(request.user, item_id)
    if item.paper is not None:
        raise Refused("It is traded on paper; stop that first.", 409)
    items.drop(item)
    return Status(204, None)


@router.post("/{item_id}/restore", response={204: None}, operation_id="restore_to_bench")
def restore(request: HttpRequest, item_id: int):
    """Undoes a drop."""
    items.bring_back(items.find(request.user, item_id, deleted=True))
    return Status(204, None)


@router.post("/{item_id}/plan", response=PlanOut, operation_id="plan")
def plan(request: HttpRequest, item_id: int, body: PlanTried):
    """An item's plan: the one kept, or proposed, or the levels that are tried; with its size, what speaks against it, and all plans together."""
    tried = body.plan.dict() if body.plan else None
    return plans.plan_of(request.user, items.find(request.user, item_id), body.as_of, body.side, tried)


@router.put("/{item_id}/plan", response={204: None}, operation_id="keep_plan")
def keep_plan(request: HttpRequest, item_id: int, body: PlanKept):
    """Keeps a plan, or takes it away."""
    paper_clock.change_plan(items.find(request.user, item_id), body.plan.dict() if body.plan else None, body.as_of)
    return Status(204, None)


@router.get("/{item_id}/position", response=PositionOut, operation_id="position")
def position(request: HttpRequest, item_id: int, as_of: str | None = None):
    """What waits, what is held, where its stop rests and might go, and its fills."""
    return fills.position(request.user, items.find(request.user, item_id), as_of)


@router.put("/{item_id}/clock", response={204: None}, operation_id="leave_to_clock")
def leave_to_clock(request: HttpRequest, item_id: int, body: ClockIn):
    """Leaves the kept plan to the clock, takes it back, or has what is held closed at the next open."""
    item = items.find(request.user, item_id)
    if not body.on:
        paper_clock.take_back(item, body.as_of)
    elif item.paper is not None:
        paper_clock.leave_at_open(item, body.leaves, body.as_of)
    else:
        paper_clock.leave(item, body.as_of)
    return Status(204, None)


@router.post("/{item_id}/fills", response=FilledOut, operation_id="enter_fill")
def enter_fill(request: HttpRequest, item_id: int, body: FillIn):
    """Writes down what was really bought or sold."""
    fill, warning = fills.enter(items.find(request.user, item_id), body.dict())
    return {"id": fill.id, "warning": warning}


@router.delete("/{item_id}/fills/{fill_id}", response={204: None}, operation_id="strike_fill")
def strike_fill(request: HttpRequest, item_id: int, fill_id: int):
    """Takes a fill by hand away."""
    item = items.find(request.user, item_id)
    fills.strike(item, fills.fill_of(item, fill_id))
    return Status(204, None)


@router.post("/{item_id}/fills/{fill_id}/restore", response={204: None}, operation_id="restore_fill")
def restore_fill(request: HttpRequest, item_id: int, fill_id: int):
    """Undoes that."""
    item = items.find(request.user, item_id)
    fills.strike(item, fills.fill_of(item, fill_id, deleted=True), back=True)
    return Status(204, None)


@router.delete("/notices/{notice_id}", response={204: None}, operation_id="dismiss_notice")
def dismiss_notice(request: HttpRequest, notice_id: int):
    """Puts away what is said of a position."""
    notices.dismiss(request.user, notice_id)
    return Status(204, None)


@router.post("/notices/{notice_id}/restore", response={204: None}, operation_id="restore_notice")
def restore_notice(request: HttpRequest, notice_id: int):
    """Undoes that."""
    notices.dismiss(request.user, notice_id, back=True)
    return Status(204, None)
