"""Errors as RFC 9457 problem documents: a title, a plain sentence, and what the interface needs to show the place."""

from typing import Any

from django.http import HttpRequest, HttpResponse, JsonResponse
from ninja import NinjaAPI
from ninja.errors import AuthenticationError, HttpError, ValidationError

from upperwick.accounts.tries import TOO_MANY
from upperwick.kernels import missing
from upperwick.market.load import DamagedBlock
from upperwick.refused import Refused
from wickcore.language.problems import RuleError
from wickcore.scan.limits import Stopped


def problem(status: int, title: str, detail: str, **extra: Any) -> HttpResponse:
    """One problem document."""
    body = {"type": "about:blank", "title": title, "status": status, "detail": detail, **extra}
    return JsonResponse(body, status=status, content_type="application/problem+json")


def rule_problem(error: RuleError, **extra: Any) -> HttpResponse:
    """What is wrong with a rule, each place with its sentence and its mend."""
    errors = [
        {"line": p.line, "column": p.column, "length": p.length, "message": p.message, "mend": p.mend} for p in error.problems
    ]
    return problem(422, "The rule has errors", str(error), errors=errors, **extra)


def locked_out(request: HttpRequest, response: Any = None, credentials: Any = None) -> HttpResponse:
    """The answer to whoever has tried too many passwords (see AXES_LOCKOUT_CALLABLE)."""
    return problem(429, "Too many tries", TOO_MANY)


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
        if missing():
            said = "The measures are still being compiled, which takes about a minute, once; ask again in a moment."
            return problem(503, "Not ready yet", said)
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

    @api.exception_handler(Exception)
    def anything(request: HttpRequest, error: Exception) -> HttpResponse:
        import logging

        logging.getLogger("upperwick").exception("A request failed: %s", request.path)
        return problem(500, "Something went wrong here", "The server met an error of its own; it is written in its log.")
