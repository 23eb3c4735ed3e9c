"""Routes of the place Data."""

import json
from typing import Any

from django.http import FileResponse, HttpRequest, HttpResponse
from ninja import File, Router, Status
from ninja.files import UploadedFile

from upperwick.base.errors import Refused
from upperwick.data import drop_folder, feed, services, vendors
from upperwick.data.contents import contents, imports
from upperwick.data.importing import uploads
from upperwick.data.importing.jobs import exports
from upperwick.data.models import Import, Vendor
from upperwick.data.quality import findings, issues
from upperwick.data.reading.tables import TABLES
from upperwick.data.schemas import (
    ContentsOut,
    DataJobOut,
    ExportIn,
    FeedOut,
    FilesIn,
    FindingIn,
    GoIn,
    ImportOut,
    MarketChoice,
    SettleIn,
    UploadOut,
    VendorIn,
    VendorOut,
)
from upperwick.jobs import services as jobs
from upperwick.jobs.models import Job
from upperwick.market.staging import AnotherImport

router = Router(tags=["data"])


@router.get("", response=ContentsOut, operation_id="data")
def data(request: HttpRequest):
    """What is there, what was imported, and what can be."""
    return {
        **contents(),
        "may": services.may(request.user),
        "everybody": services.everybody_may(),
        "imports": imports(),
        "folder": drop_folder.shown(),
        "issues": issues.shown(),
        "vendors": [_vendor(v) for v in Vendor.objects.all()],
        "findings": findings.shown(),
        "tables": [
            {
                "name": t.name,
                "title": t.title,
                "about": t.about,
                "columns": [{"name": c.name, "about": c.about, "needed": c.needed} for c in t.columns],
            }
            for t in TABLES.values()
        ],
    }


@router.get("/feed", response=FeedOut | None, operation_id="feed")
def feed_route(request: HttpRequest):
    """What the simulated feed does; nothing where the market is one's own."""
    found = feed.state()
    return None if found is None else {**found, "may": services.may(request.user)}


@router.post("/feed", response=FeedOut | None, operation_id="go")
def go(request: HttpRequest, body: GoIn):
    """Tells the simulated feed what to do: to the next close, through a session, or pause."""
    services.allowed(request.user)
    feed.go(body.way)
    return {**(feed.state() or {}), "may": True}


@router.post("/findings", response={204: None}, operation_id="settle")
def settle(request: HttpRequest, body: SettleIn):
    """Settles a finding: takes it as a split or as true, leaves that bar out, or asks never again."""
    services.allowed(request.user)
    try:
        findings.settle(request.user, body.kind, body.symbol, body.day, body.how)
    except AnotherImport as error:
        raise Refused(str(error), 409) from None
    return Status(204, None)


@router.post("/findings/again", response={204: None}, operation_id="openAgain")
def open_again(request: HttpRequest, body: FindingIn):
    """Asks about a finding again that was settled."""
    services.allowed(request.user)
    findings.open_again(body.kind, body.symbol, body.day)
    return Status(204, None)


@router.put("/choices", response={204: None}, operation_id="chooseMarket")
def choose(request: HttpRequest, body: MarketChoice):
    """Chooses the benchmark, and the exchange's time zone."""
    services.settle(request.user, body.benchmark, body.zone)
    return Status(204, None)


@router.post("/uploads", response=UploadOut, operation_id="upload")
def upload(request: HttpRequest, files: File[list[UploadedFile]]):
    """Keeps files for a day, to be looked at and taken."""
    services.allowed(request.user)
    token = uploads.receive(request.user, files)
    return {"upload": token, "files": [p.name for p in uploads.files_of(request.user, token)]}


@router.delete("/uploads/{upload}", response={204: None}, operation_id="forgetUpload")
def forget(request: HttpRequest, upload: str):
    """Removes an upload that is not to be taken."""
    uploads.forget(request.user, upload)
    return Status(204, None)


@router.post("/asked", response=UploadOut, operation_id="openAsked")
def open_asked(request: HttpRequest):
    """The drop folder's files that wait for an answer, as an upload of this account: once imported they are done."""
    services.allowed(request.user)
    token = uploads.from_asked(request.user, drop_folder.asked_files())
    return {"upload": token, "files": [p.name for p in uploads.files_of(request.user, token)]}


@router.delete("/asked", response={204: None}, operation_id="discardAsked")
def discard_asked(request: HttpRequest):
    """Moves the files that wait for an answer to those that were refused."""
    services.allowed(request.user)
    drop_folder.discard_asked()
    return Status(204, None)


@router.delete("/issues/{issue_id}", response={204: None}, operation_id="dismissIssue")
def dismiss_issue(request: HttpRequest, issue_id: int):
    """Puts an issue away; it is not told again."""
    services.allowed(request.user)
    issues.dismiss(issue_id)
    return Status(204, None)


@router.post("/issues/{issue_id}/restore", response={204: None}, operation_id="restoreIssue")
def restore_issue(request: HttpRequest, issue_id: int):
    """Undoes that."""
    services.allowed(request.user)
    issues.dismiss(issue_id, back=True)
    return Status(204, None)


@router.get("/vendors", operation_id="exportVendors", response=list[dict[str, Any]])
def export_vendors(request: HttpRequest):
    """What is remembered of vendors, as it can be brought in again."""
    return [vendors.as_record(v) for v in Vendor.objects.all()]


@router.post("/vendors", operation_id="importVendors", response=list[VendorOut])
def import_vendors(request: HttpRequest, body: list[dict[str, Any]]):
    """Brings vendors in that were exported, in place of those of the same layout."""
    services.allowed(request.user)
    return [_vendor(v) for v in vendors.bring_in_records(body)]


@router.patch("/vendors/{vendor_id}", operation_id="changeVendor", response=VendorOut)
def change_vendor(request: HttpRequest, vendor_id: int, body: VendorIn):
    """Changes what is remembered of a vendor."""
    services.allowed(request.user)
    return _vendor(vendors.change(vendors.find(vendor_id), **body.dict()))


@router.delete("/vendors/{vendor_id}", response={204: None}, operation_id="deleteVendor")
def delete_vendor(request: HttpRequest, vendor_id: int):
    """Forgets a vendor: its next files are asked about anew."""
    services.allowed(request.user)
    vendors.find(vendor_id).delete()
    return Status(204, None)


def _vendor(vendor: Vendor) -> dict[str, Any]:
    headings = [h for h in vendor.heading.split("|") if h]
    return {
        "id": vendor.id, "name": vendor.name, "pattern": vendor.pattern, "headings": headings, "answers": vendor.answers, "used": vendor.used,
    }  # fmt: skip


@router.post("/look", response=DataJobOut, operation_id="lookAtFiles")
def look(request: HttpRequest, body: FilesIn):
    """What the files are, and what taking them would do."""
    return _files(request.user, "data-look", body)


@router.post("/import", response=DataJobOut, operation_id="importFiles")
def take(request: HttpRequest, body: FilesIn):
    """Takes the files: all that is good in them, or nothing."""
    return _files(request.user, "data-import", body)


def _files(user: Any, kind: str, body: FilesIn) -> dict[str, Any]:
    files = uploads.files_of(user, body.upload)
    names = ", ".join(p.name for p in files[:3]) + (f" and {len(files) - 3} more" if len(files) > 3 else "")
    return as_out(services.ask(user, kind, body.dict(), names[:120], int(body.upload[:12], 16)))


@router.get("/imports", response=list[ImportOut], operation_id="imports")
def all_imports(request: HttpRequest):
    """The latest imports."""
    return imports()


@router.post("/imports/{import_id}/undo", response=DataJobOut, operation_id="undoImport")
def undo(request: HttpRequest, import_id: int):
    """Undoes an import; what later ones said stays."""
    one = Import.objects.filter(id=import_id).first()
    if one is None:
        raise Refused("There is no such import.", 404)
    return as_out(services.ask(request.user, "data-undo", {"import": one.id}, f"undo: {one.what}"[:120], one.id))


@router.post("/export", response=DataJobOut, operation_id="exportMarket")
def export(request: HttpRequest, body: ExportIn):
    """Writes everything that is known of the market as one zip."""
    return as_out(services.ask(request.user, "data-export", body.dict(), "everything"))


@router.get("/jobs/{job_id}", response=DataJobOut, operation_id="dataJob")
def job(request: HttpRequest, job_id: int):
    """How far one is, and what came of it."""
    return as_out(_job(request.user, job_id))


@router.post("/jobs/{job_id}/stop", response=DataJobOut, operation_id="stopDataJob")
def stop(request: HttpRequest, job_id: int):
    """Stops one; nothing of it is kept."""
    _job(request.user, job_id)
    return as_out(jobs.stop(request.user, job_id))


@router.get("/exports/{job_id}", operation_id="exportedMarket")
def exported(request: HttpRequest, job_id: int) -> HttpResponse:
    """The zip that was written."""
    answer = jobs.answer_of(_job(request.user, job_id))
    name = (json.loads(answer).get("file") if answer else None) or ""
    path = exports() / name
    if not name or not path.is_file():
        raise Refused("This export is no longer kept; write it anew.", 404)
    return FileResponse(path.open("rb"), as_attachment=True, filename=name)


def _job(user: Any, job_id: int) -> Job:
    found = jobs.find(user, job_id)
    if not found.kind.startswith("data-"):
        raise Refused("This is no longer kept; ask for it again.", 404)
    return found


def as_out(found: Job) -> dict[str, Any]:
    """A job as the API says it."""
    answer = jobs.answer_of(found)
    said = json.loads(answer) if answer else {}
    result = {
        "look": said if found.kind == "data-look" else None, "made": said.get("import"), "file": said.get("file"), "bytes": said.get("bytes"),
    }  # fmt: skip
    return {
        "id": found.id, "kind": found.kind, "state": found.state_now, "stage": found.stage, "share": found.share,
        "detail": found.detail_now, "headline": found.headline, "result": result if said else None,
    }  # fmt: skip
