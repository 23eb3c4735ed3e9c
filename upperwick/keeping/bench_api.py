"""Routes of the bench."""

from django.http import HttpRequest
from ninja import Router, Status

from upperwick.bench import items
from upperwick.keeping import bench
from upperwick.keeping import plan as plans
from upperwick.keeping.schemas import (
    BenchEventOut,
    BenchIn,
    BenchItemOut,
    BenchMove,
    BenchNote,
    BenchPut,
    PlanKept,
    PlanOut,
    PlanTried,
    StateOut,
)

router = Router(tags=["bench"])


@router.get("", response=list[BenchItemOut], operation_id="bench")
def all_items(request: HttpRequest, as_of: str | None = None):
    """Everything on the bench, the latest first."""
    return bench.listed(request.user, as_of)


@router.post("", response=BenchPut, operation_id="put_on_bench")
def put(request: HttpRequest, body: BenchIn):
    """Puts an instrument on the bench, shortlisted; one that is there already stays where it is."""
    rule = body.rule.dict() if body.rule else None
    item, new = items.put(request.user, body.symbol, body.as_of, rule)
    return {"id": item.id, "symbol": item.symbol, "stage": item.stage, "new": new}


@router.get("/state/{symbol}", response=StateOut, operation_id="technical_state")
def state(request: HttpRequest, symbol: str, as_of: str | None = None):
    """An instrument's technical state, and what the watched rules say of it."""
    return bench.state(request.user, symbol, as_of)


@router.get("/{item_id}/history", response=list[BenchEventOut], operation_id="bench_history")
def history(request: HttpRequest, item_id: int):
    """What happened to an item, and notes on it."""
    return bench.history(items.find(request.user, item_id))


@router.patch("/{item_id}", response={204: None}, operation_id="move_on_bench")
def move(request: HttpRequest, item_id: int, body: BenchMove):
    """To another stage."""
    items.move(items.find(request.user, item_id), body.stage, body.as_of)
    return Status(204, None)


@router.post("/{item_id}/notes", response={204: None}, operation_id="note_on_bench")
def note(request: HttpRequest, item_id: int, body: BenchNote):
    items.note(items.find(request.user, item_id), body.text, body.as_of)
    return Status(204, None)


@router.delete("/{item_id}", response={204: None}, operation_id="drop_from_bench")
def drop(request: HttpRequest, item_id: int):
    items.drop(items.find(request.user, item_id))
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
    item = items.find(request.user, item_id)
    if body.plan is None:
        plans.forget(item, body.as_of)
    else:
        plans.keep(item, body.plan.dict(), body.as_of)
    return Status(204, None)
