"""Routes of the library of rules."""

from datetime import datetime
from typing import Annotated

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema, UploadedFile
from pydantic import Field

from upperwick.accounts.preferences import TableChoice
from upperwick.rules import library, services
from upperwick.rules.text_api import add_text_routes
from wickcore.language.parser import MAX_CHARACTERS

router = Router(tags=["rules"])
TEXT = Field(max_length=MAX_CHARACTERS + 1)
Offset = Annotated[int, Field(ge=0, le=1_000_000)]
Limit = Annotated[int, Field(ge=1, le=500)]


class RuleSummary(Schema):
    id: int
    name: str
    about: str
    side: str
    bars: str
    folder: str
    tags: list[str]
    shared: bool
    valid: bool
    version: int
    saved: datetime


class RuleDetail(RuleSummary):
    """mark: of the text, to be given back as `seen` when another is saved over it. table: the rule's own columns and order; None where it
    has the account's."""

    text: str
    share: str | None
    mark: str
    table: TableChoice | None


class RuleChange(Schema):
    """What is given changes; what is not stays."""

    name: str | None = Field(None, max_length=120)
    folder: str | None = Field(None, max_length=60)
    tags: list[Annotated[str, Field(max_length=30)]] | None = Field(None, max_length=12)


class RuleTable(Schema):
    """The rule's own columns and order; None for the account's."""

    table: TableChoice | None


class SharedOut(Schema):
    """A rule of another account, to read and copy. parts: the rules it uses, by name."""

    name: str
    about: str
    owner: str
    text: str
    parts: dict[str, str]


class CopiedOut(RuleDetail):
    """kept: used rules of the same name that the account has already, with another text; the copy uses those."""

    kept: list[str]


class BroughtOut(Schema):
    """added: names of the rules kept. problems: files that were not, and why."""

    added: list[str]
    problems: list[str]


@router.get("", response=list[RuleSummary], operation_id="rules")
def rules(request: HttpRequest, offset: Offset = 0, limit: Limit = 500):
    """The account's rules by name."""
    return services.listed(request.user, offset, limit)


@router.get("/zip", operation_id="rules_as_zip", response={200: None})
def as_zip(request: HttpRequest):
    """All rules as `.rule` files in their folders, in one zip."""
    return _file(library.as_zip(request.user), "rules.zip", "application/zip")


@router.post("/files", response=BroughtOut, operation_id="bring_rules")
def bring(request: HttpRequest, files: File[list[UploadedFile]]):
    """Keeps the rules of `.rule` files, or of zips of them. A file that cannot be read is named; the others are kept."""
    return library.bring(request.user, [(f.name or "", f.read(library.MOST_BYTES + 1)) for f in files[: library.MOST_FILES]])


@router.get("/shared/{token}", response=SharedOut, operation_id="shared_rule")
def shared(request: HttpRequest, token: str):
    """A rule that another account of this server has given away by its link."""
    return library.shared(token)


@router.post("/shared/{token}/copy", response=CopiedOut, operation_id="copy_shared_rule")
def copy_shared(request: HttpRequest, token: str):
    """Copies a shared rule, and the rules it uses, into the account's own."""
    rule, kept = library.copy_shared(request.user, token)
    return {**services.detail(rule), "kept": kept}


@router.patch("/{number}", response=RuleDetail, operation_id="change_rule")
def change(request: HttpRequest, number: int, body: RuleChange):
    """Renames a rule, or puts it into a folder or under tags."""
    rule = services.find(request.user, number)
    if body.name is not None:
        rule = services.rename(rule, body.name)
    if body.folder is not None or body.tags is not None:
        rule = library.file(rule, body.folder, body.tags)
    return services.detail(rule)


@router.put("/{number}/table", response=RuleDetail, operation_id="keep_rule_table")
def keep_table(request: HttpRequest, number: int, body: RuleTable):
    """Keeps columns and order of the rule's own."""
    rule = services.find(request.user, number)
    rule.table = body.table.model_dump() if body.table else None
    rule.save(update_fields=["table"])
    return services.detail(rule)


@router.post("/{number}/share", response=RuleDetail, operation_id="share_rule")
def share(request: HttpRequest, number: int):
    """Makes the link under which any account of this server can read and copy the rule."""
    return services.detail(library.share(services.find(request.user, number)))


@router.delete("/{number}/share", response=RuleDetail, operation_id="unshare_rule")
def unshare(request: HttpRequest, number: int):
    """Makes the link void."""
    return services.detail(library.unshare(services.find(request.user, number)))


def _file(content: bytes, name: str, kind: str) -> HttpResponse:
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})


add_text_routes(router, services, RuleDetail, "rule")
