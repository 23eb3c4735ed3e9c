"""Whatever is sent, in the form of the schema or not, is answered without an error of the server's own (schemathesis over the API's schema)."""

import json
from pathlib import Path
from typing import Any
from urllib.parse import urlencode

import pytest
import schemathesis
from django.test import Client
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis.errors import Unsatisfiable
from schemathesis import GenerationMode
from schemathesis.core import NOT_SET

from tests.server.conftest import account

pytestmark = pytest.mark.django_db
SCHEMA = schemathesis.openapi.from_dict(json.loads(Path("web/src/lib/openapi.json").read_text()))
OPERATIONS = {found.ok().label: found.ok() for found in SCHEMA.get_all_operations()}


def send(client: Client, case: Any) -> Any:
    """The case as a request of Django's own client, which is much quicker than a server between."""
    query = case.query if isinstance(case.query, dict) else {}
    body, kind = b"", "application/json"
    if case.body is not NOT_SET:
        if case.media_type == "multipart/form-data":
            return client.generic(
                case.method, case.formatted_path, json.dumps(str(case.body)).encode(), "multipart/form-data; boundary=x"
            )
        body = json.dumps(case.body, default=repr).encode()
    return client.generic(case.method, case.formatted_path, body, kind, QUERY_STRING=urlencode(query, doseq=True))


@pytest.mark.parametrize("label", sorted(OPERATIONS))
def test_nothing_fails_whatever_is_asked(label: str) -> None:
    client = account("fuzz").client
    client.raise_request_exception = False
    operation = OPERATIONS[label]
    rule = client.post("/api/rules", json.dumps({"text": "close > 1"}), content_type="application/json").json()["id"]

    def check(case: Any) -> None:
        if case.path_parameters and "rule_id" in case.path_parameters:
            case.path_parameters["rule_id"] = rule
        try:
            answer = send(client, case)
        except UnicodeError:
            return  # no address that a server could be sent
        said = answer.content[:400] if not answer.streaming else b""
        assert answer.status_code < 500 or answer.status_code == 503, (case.method, case.formatted_path, case.body, said)

    for mode in (GenerationMode.POSITIVE, GenerationMode.NEGATIVE):
        strategy = operation.as_strategy(generation_mode=mode)
        run = settings(
            max_examples=3,
            deadline=None,
            database=None,
            suppress_health_check=list(HealthCheck),
            phases=[Phase.generate],
            derandomize=True,
        )(given(case=strategy)(check))
        try:
            run()
        except (schemathesis.errors.SchemathesisError, Unsatisfiable):
            assert mode is GenerationMode.NEGATIVE  # an operation without anything to send has no wrong form of it
