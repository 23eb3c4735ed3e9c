"""Routes of breadths."""

import csv
import io
from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from django.utils.http import content_disposition_header
from ninja import Router, Status

from upperwick.base.named import mark_of
from upperwick.base.outgoing import in_csv
from upperwick.breadth import breadth as service
from upperwick.breadth.schemas import (
    BreadthIn,
    BreadthOut,
    ChangeBreadth,
    KeepBreadth,
    KeptBreadth,
    PassingsOut,
)
from upperwick.rules import breadths
from upperwick.rules.models import Breadth
from wickcore.language.ready_breadths import READY

router = Router(tags=["breadth"])


@router.post("/look", response=BreadthOut, operation_id="breadth")
def look(request: HttpRequest, body: BreadthIn):
    """A breadth through all of history, the index beside it, and what came after its passings of a level."""
    return JsonResponse(service.whole(request.user, body.dict()))


@router.post("/passings", response=PassingsOut | None, operation_id="passings")
def passings(request: HttpRequest, body: BreadthIn):
    """The passings alone: while a level is dragged nothing else of the answer moves."""
    asked = body.dict()
    return service.followed(service.looked(request.user, asked), asked)


@router.post("/csv", operation_id="breadth_csv")
def as_csv(request: HttpRequest, body: BreadthIn):
    """The series as CSV: one row a session or week, the index beside it."""
    found = service.whole(request.user, body.dict())
    sink = io.StringIO()
    write = csv.writer(sink, lineterminator="\n")
    beside = [in_csv(found["beside"])] if found["beside"] else []
    write.writerow(["day", "pass", "fail", "unknown", "value", *(["smoothed"] if body.smooth > 1 else []), *beside])
    for i, day in enumerate(found["days"]):
        row: list[Any] = [day, found["passed"][i], found["failed"][i], found["unknown"][i], found["value"][i]]
        write.writerow([*row, *([found["smoothed"][i]] if body.smooth > 1 else []), *([found["index"][i]] if beside else [])])
    headers = {"Content-Disposition": content_disposition_header(True, "breadth.csv")}
    return HttpResponse(sink.getvalue(), content_type="text/csv; charset=utf-8", headers=headers)


def _kept(found: Breadth) -> dict[str, Any]:
    return {
        "id": found.id, "name": found.name, "text": found.text, "look": found.look, "mark": found.mark, "saved": found.saved,
        "named_by": breadths.named_by(found),
    }  # fmt: skip


@router.get("", response=list[KeptBreadth], operation_id="breadths")
def kept(request: HttpRequest):
    """The account's breadths by name, and those that are always there."""
    ready: list[dict[str, Any]] = [
        {"id": None, "name": name, "text": text, "look": {}, "mark": mark_of(text), "saved": None, "named_by": []}
        for name, text in READY.items()
    ]
    return [*map(_kept, breadths.breadths_of(request.user)), *ready]


@router.post("", response=KeptBreadth, operation_id="keep_breadth")
def keep(request: HttpRequest, body: KeepBreadth):
    """Keeps a breadth under a free name."""
    return _kept(breadths.create(request.user, body.name, body.text, body.look.dict()))


@router.patch("/{breadth_id}", response=KeptBreadth, operation_id="change_breadth")
def change(request: HttpRequest, breadth_id: int, body: ChangeBreadth):
    """Another text, look or name. A new name is that of the rules that name it too."""
    found = breadths.find(request.user, breadth_id)
    if body.name is not None and body.name != found.name:
        found = breadths.rename(found, body.name)
    if body.text is not None or body.look is not None:
        text = found.text if body.text is None else body.text
        found = breadths.change(found, text, found.look if body.look is None else body.look.dict(), body.seen)
    return _kept(found)


@router.delete("/{breadth_id}", response={204: None}, operation_id="delete_breadth")
def delete(request: HttpRequest, breadth_id: int):
    breadths.delete(breadths.find(request.user, breadth_id))
    return Status(204, None)


@router.post("/{breadth_id}/restore", response=KeptBreadth, operation_id="restore_breadth")
def restore(request: HttpRequest, breadth_id: int):
    """Undoes a deletion."""
    return _kept(breadths.restore(breadths.find(request.user, breadth_id, deleted=True)))
