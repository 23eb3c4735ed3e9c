"""Errors as RFC 9457 problem documents: a title, a plain sentence, and what the interface needs to show the place."""

import errno
import logging

from django.core.exceptions import SuspiciousOperation
from django.db import DatabaseError
from django.http import HttpRequest, HttpResponse
from django.http.multipartparser import MultiPartParserError
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from upperwick.base.errors import Refused
from upperwick.base.kernels import missing
from upperwick.base.problem_documents import problem, rule_problem
from upperwick.market.columns.cache import ColumnsReplaced
from upperwick.market.packing import DamagedBlock
from wickcore.language.problems import RuleError
from wickcore.scan.limits import Stopped, TooHeavy

# What SQLite says (sqlite.org/rescode.html), and what a person can do.
_DATABASE = {
    "locked": "The data is being written to by somebody else; nothing is lost. Try again in a moment.",
    "busy": "The data is being written to by somebody else; nothing is lost. Try again in a moment.",
    "full": "The disk is full: nothing more can be kept until some room is made. What you see and write here is still yours.",
    "readonly": "The data folder cannot be written to; nothing can be kept until that is mended.",
    "disk i/o": "The disk that holds the data cannot be read or written; nothing can be kept until that is mended.",
    "unable to open": "The data folder cannot be reached; nothing can be kept until that is mended.",
    "malformed": "A page of the database is damaged. Export what can be read, and restore the data folder from a copy.",
    "not a database": "The database is damaged. Restore the data folder from a copy.",
}
# What the system says of a disk (errno.h).
_DISK = {
    errno.ENOSPC: _DATABASE["full"], errno.EDQUOT: _DATABASE["full"], errno.EROFS: _DATABASE["readonly"],
    errno.EACCES: _DATABASE["readonly"], errno.EIO: _DATABASE["disk i/o"],
}  # fmt: skip


def sentence_of(error: DatabaseError) -> str | None:
    """What a person is told of a database that cannot be used just now; None for an error of the program's own."""
    said = str(error).lower()
    return next((sentence for word, sentence in _DATABASE.items() if word in said), None)


def disk_problem(error: OSError) -> HttpResponse | None:
    """What a person is told of a disk that cannot be used just now; None for an error of the program's own."""
    said = _DISK.get(error.errno or 0)
    if said is None:
        return None
    logging.getLogger("upperwick").warning("The disk could not be used: %s", error)
    return problem(503, "The data cannot be used just now", said)


def install(api: NinjaAPI) -> None:
    """Every error the API can meet leaves as a problem document."""

    @api.exception_handler(Refused)
    def refused(request: HttpRequest, error: Refused) -> HttpResponse:
        return problem(error.status, "This cannot be done", error.detail, **error.extra)

    @api.exception_handler(RuleError)
    def rule(request: HttpRequest, error: RuleError) -> HttpResponse:
        return rule_problem(error)

    @api.exception_handler(Stopped)
    def stopped(request: HttpRequest, error: Stopped) -> HttpResponse:
        heavy = error if isinstance(error, TooHeavy) else None
        if missing() and not (heavy and heavy.expected):
            said = "The measures are still being compiled, which takes about a minute, once; ask again in a moment."
            return problem(503, "Not ready yet", said)
        if heavy:
            return problem(422, "The rule is too heavy", str(error))
        return problem(503, "Stopped", str(error))

    @api.exception_handler(DamagedBlock)
    def damaged(request: HttpRequest, error: DamagedBlock) -> HttpResponse:
        return problem(500, "The stored data is damaged", str(error))

    @api.exception_handler(ValidationError)
    def invalid(request: HttpRequest, error: ValidationError) -> HttpResponse:
        first = error.errors[0]
        where = ".".join(str(part) for part in first["loc"][2:]) or "the request"
        return problem(422, "The request is not understood", f"{where}: {first['msg']}")

    @api.exception_handler(AuthenticationError)
    def unknown(request: HttpRequest, error: AuthenticationError) -> HttpResponse:
        return problem(401, "Not signed in", "Sign in first.")

    @api.exception_handler(HttpError)
    def http(request: HttpRequest, error: HttpError) -> HttpResponse:
        return problem(error.status_code, "This cannot be done", str(error))

    @api.exception_handler(OverflowError)
    def too_large(request: HttpRequest, error: OverflowError) -> HttpResponse:
        return problem(422, "The request is not understood", "A number in the request is larger than any that could be meant.")

    @api.exception_handler(UnicodeEncodeError)
    def half(request: HttpRequest, error: UnicodeEncodeError) -> HttpResponse:
        said = f"The text holds half a character (at position {error.start + 1}) that cannot be kept; take it out."
        return problem(422, "The request is not understood", said)

    @api.exception_handler(MultiPartParserError)
    @api.exception_handler(SuspiciousOperation)
    def malformed(request: HttpRequest, error: Exception) -> HttpResponse:
        return problem(400, "The request is not understood", f"What was sent cannot be read: {str(error) or 'it is too large'}.")

    @api.exception_handler(DatabaseError)
    def database(request: HttpRequest, error: DatabaseError) -> HttpResponse:
        said = sentence_of(error)
        if said is None:
            return anything(request, error)
        logging.getLogger("upperwick").warning("The database could not be used: %s", error)
        return problem(503, "The data cannot be used just now", said)

    @api.exception_handler(ColumnsReplaced)
    def replaced(request: HttpRequest, error: ColumnsReplaced) -> HttpResponse:
        return problem(503, "The data cannot be used just now", str(error))

    @api.exception_handler(OSError)
    def disk(request: HttpRequest, error: OSError) -> HttpResponse:
        return disk_problem(error) or anything(request, error)

    @api.exception_handler(Exception)
    def anything(request: HttpRequest, error: Exception) -> HttpResponse:
        logging.getLogger("upperwick").exception("A request failed: %s", request.path)
        return problem(500, "Something went wrong here", "The server met an error of its own; it is written in its log.")
