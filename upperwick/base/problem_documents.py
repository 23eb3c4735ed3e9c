"""Problem documents (RFC 9457): what a request that could not be answered leaves as."""

from typing import Any

from django.http import HttpResponse, JsonResponse

from wickcore.language.problems import RuleError


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
