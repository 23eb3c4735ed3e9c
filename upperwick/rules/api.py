"""Routes of the library of rules."""

from datetime import datetime
from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import File, Router, Schema, Status, UploadedFile
from pydantic import Field

from upperwick.rules import library, services
from upperwick.rules.models import Rule
from wickcore.language.parser import MAX_CHARACTERS

router = Router(tags=["rules"])
TEXT = Field(max_length=MAX_CHARACTERS + 1)


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
    text: str
    share: str | None


class NewRule(Schema):
    text: str = TEXT
    name: str = Field("", max_length=120)


class RuleText(Schema):
    text: str = TEXT


class RuleChange(Schema):
    """What is given changes; what is not stays."""

    name: str | None = Field(None, max_length=120)
    folder: str | None = Field(None, max_length=60)
    tags: list[Annotated[str, Field(max_length=30)]] | None = Field(None, max_length=12)


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


class VersionOut(Schema):
    number: int
    name: str
    text: str
    saved: datetime


def _detail(rule: Rule) -> dict[str, Any]:
    return {**services.summary(rule), "text": rule.text, "share": rule.share}


@router.get("", response=list[RuleSummary], operation_id="rules")
def rules(request: HttpRequest, offset: int = 0, limit: int = 500):
    """The account's rules by name."""
    page = services.rules_of(request.user)[max(0, offset) : max(0, offset) + min(max(limit, 1), 500)]
    return [services.summary(rule) for rule in page]


@router.post("", response=RuleDetail, operation_id="create_rule")
def create(request: HttpRequest, body: NewRule):
    return _detail(services.create(request.user, body.text, body.name))


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
    return {**_detail(rule), "kept": kept}


@router.get("/{rule_id}", response=RuleDetail, operation_id="rule")
def one(request: HttpRequest, rule_id: int):
    return _detail(services.find(request.user, rule_id))


@router.put("/{rule_id}", response=RuleDetail, operation_id="save_rule")
def save(request: HttpRequest, rule_id: int, body: RuleText):
    """Saves the text as the next version."""
    return _detail(services.save(services.find(request.user, rule_id), body.text))


@router.patch("/{rule_id}", response=RuleDetail, operation_id="change_rule")
def change(request: HttpRequest, rule_id: int, body: RuleChange):
    """Renames a rule, or puts it into a folder or under tags."""
    rule = services.find(request.user, rule_id)
    if body.name is not None:
        rule = services.rename(rule, body.name)
    if body.folder is not None or body.tags is not None:
        rule = library.file(rule, body.folder, body.tags)
    return _detail(rule)


@router.delete("/{rule_id}", response={204: None}, operation_id="delete_rule")
def delete(request: HttpRequest, rule_id: int):
    services.delete(services.find(request.user, rule_id))
    return Status(204, None)


@router.post("/{rule_id}/restore", response=RuleDetail, operation_id="restore_rule")
def restore(request: HttpRequest, rule_id: int):
    """Undoes a deletion."""
    return _detail(services.restore(services.find(request.user, rule_id, deleted=True)))


@router.post("/{rule_id}/duplicate", response=RuleDetail, operation_id="duplicate_rule")
def duplicate(request: HttpRequest, rule_id: int):
    return _detail(services.duplicate(services.find(request.user, rule_id)))


@router.post("/{rule_id}/share", response=RuleDetail, operation_id="share_rule")
def share(request: HttpRequest, rule_id: int):
    """Makes the link under which any account of this server can read and copy the rule."""
    return _detail(library.share(services.find(request.user, rule_id)))


@router.delete("/{rule_id}/share", response=RuleDetail, operation_id="unshare_rule")
def unshare(request: HttpRequest, rule_id: int):
    """Makes the link void."""
    return _detail(library.unshare(services.find(request.user, rule_id)))


@router.get("/{rule_id}/versions", response=list[VersionOut], operation_id="rule_versions")
def versions(request: HttpRequest, rule_id: int):
    return list(services.find(request.user, rule_id).versions.order_by("-number")[:500])


def _file(content: bytes, name: str, kind: str) -> HttpResponse:
    return HttpResponse(content, content_type=kind, headers={"Content-Disposition": f'attachment; filename="{name}"'})
