"""Routes of lists."""

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from upperwick.bench import lists
from upperwick.bench.models import BenchList
from upperwick.market.services import open_market

router = Router(tags=["lists"])


class ListOut(Schema):
    id: int
    name: str
    symbols: list[str]
    saved: datetime


class KeptListOut(ListOut):
    replaced: list[str] | None  # what the list of that name held before


class ListIn(Schema):
    name: str = Field(max_length=80)
    symbols: list[str] = Field(max_length=lists.MOST_SYMBOLS)


@router.get("", response=list[ListOut], operation_id="lists")
def all_lists(request: HttpRequest):
    """The account's lists by name."""
    return list(lists.lists_of(request.user)[: BenchList.most])


@router.post("", response=KeptListOut, operation_id="keep_list")
def keep(request: HttpRequest, body: ListIn):
    """Keeps a list under its name; one of the same name is replaced, and the answer says what that held."""
    return lists.keep(request.user, open_market().market, body.name, body.symbols)


@router.delete("/{list_id}", response={204: None}, operation_id="delete_list")
def delete(request: HttpRequest, list_id: int):
    lists.delete(lists.find(request.user, list_id))
    return Status(204, None)


@router.post("/{list_id}/restore", response=ListOut, operation_id="restore_list")
def restore(request: HttpRequest, list_id: int):
    """Undoes a deletion."""
    return lists.restore(lists.find(request.user, list_id, deleted=True))
