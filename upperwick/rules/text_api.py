"""The routes that rules and books share: a text that is opened, saved as a version, deleted and brought back."""

from datetime import datetime
from typing import Any

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from wickcore.language.parser import MAX_CHARACTERS

TEXT = Field(max_length=MAX_CHARACTERS + 1)
MOST_VERSIONS = 500


class NewText(Schema):
    text: str = TEXT
    name: str = Field("", max_length=120)


class TextSave(Schema):
    """seen: the mark of the text that this one was written over; without it nothing is compared."""

    text: str = TEXT
    seen: str | None = Field(None, max_length=32)


class VersionOut(Schema):
    number: int
    name: str
    text: str
    saved: datetime


def add_text_routes(router: Router, services: Any, detail: type[Schema], word: str) -> None:
    """Adds them to a router, behind its own routes: an address of these takes whatever no other takes.

    services: the module with `create`, `find`, `save`, `delete`, `restore`, `duplicate` and `detail`. word: what operations are named after.
    """

    @router.post("", response=detail, operation_id=f"create_{word}")
    def create(request: HttpRequest, body: NewText):
        return services.detail(services.create(request.user, body.text, body.name))

    @router.get("/{number}", response=detail, operation_id=word)
    def one(request: HttpRequest, number: int):
        return services.detail(services.find(request.user, number))

    @router.put("/{number}", response=detail, operation_id=f"save_{word}")
    def save(request: HttpRequest, number: int, body: TextSave):
        """Saves the text as the next version. Where another was saved since the one in `seen`, nothing is: 409, with that text as `theirs`."""
        return services.detail(services.save(services.find(request.user, number), body.text, body.seen))

    @router.delete("/{number}", response={204: None}, operation_id=f"delete_{word}")
    def delete(request: HttpRequest, number: int):
        services.delete(services.find(request.user, number))
        return Status(204, None)

    @router.post("/{number}/restore", response=detail, operation_id=f"restore_{word}")
    def restore(request: HttpRequest, number: int):
        """Undoes a deletion."""
        return services.detail(services.restore(services.find(request.user, number, deleted=True)))

    @router.post("/{number}/duplicate", response=detail, operation_id=f"duplicate_{word}")
    def duplicate(request: HttpRequest, number: int):
        return services.detail(services.duplicate(services.find(request.user, number)))

    @router.get("/{number}/versions", response=list[VersionOut], operation_id=f"{word}_versions")
    def versions(request: HttpRequest, number: int):
        return list(services.find(request.user, number).versions.order_by("-number")[:MOST_VERSIONS])
