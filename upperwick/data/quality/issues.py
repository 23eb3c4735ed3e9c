"""What about the data a person has to know: files that were refused or wait for an answer, sessions without bars, instruments that fell silent.

An issue is told once by its key. It stands first on the desk until somebody puts it away or it is mended.
"""

from typing import Any

from django.db.models import QuerySet
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.data.models import DataIssue

MAX_SHOWN = 20


def raise_issue(kind: str, key: str, text: str, about: str = "", moment: str = "", reopen: bool = False) -> bool:
    """Writes an issue down. Returns whether it is new. One that was put away is not raised again, unless it is to be reopened:
    shown again, and not told again."""
    defaults = {"kind": kind, "text": text[:600], "about": about[:300], "moment": moment}
    issue, new = DataIssue.objects.get_or_create(key=key[:200], defaults=defaults)
    if reopen and not new:
        DataIssue.objects.filter(id=issue.id).update(settled=None)
    return new


def settle(key: str) -> None:
    """An issue was mended."""
    DataIssue.objects.filter(key=key[:200], settled__isnull=True).update(settled=timezone.now())


def settle_gone(kind: str, there: list[str]) -> None:
    """Issues of a kind about files that somebody took away are no more. `there`: the names of those that still lie there."""
    open_issues().filter(kind=kind).exclude(about__in=there).update(settled=timezone.now())


def open_issues() -> QuerySet[DataIssue]:
    return DataIssue.objects.filter(settled__isnull=True)


def dismiss(issue_id: int, back: bool = False) -> None:
    """Puts an issue away, or brings it back. Raises Refused."""
    changed = DataIssue.objects.filter(id=issue_id, settled__isnull=not back).update(settled=None if back else timezone.now())
    if not changed:
        raise Refused("There is no such issue; it may have been put away in another window.", 404)


def shown() -> list[dict[str, Any]]:
    """The open issues, the latest first."""
    return [{"id": i.id, "kind": i.kind, "text": i.text, "at": i.at} for i in open_issues()[:MAX_SHOWN]]
