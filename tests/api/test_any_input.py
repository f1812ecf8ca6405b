"""No input whatever answers 5xx, and every answer is as our own OpenAPI document says.

``DATORUM_EXAMPLES`` sets how many requests each operation is sent of each kind; ``make bench`` sends many.
"""

from __future__ import annotations

import contextlib
import json
import os
from collections.abc import Iterator
from typing import Any

import httpx
import pytest
import requests
import schemathesis
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st
from hypothesis.errors import Unsatisfiable
from schemathesis import Case, GenerationMode
from schemathesis.checks import not_a_server_error
from schemathesis.core.result import Ok
from schemathesis.specs.openapi.checks import (
    content_type_conformance,
    response_schema_conformance,
    status_code_conformance,
)

from datorum.api import create_app
from tests.api.test_bad_input import upload
from tests.processes import Served

EXAMPLES = int(os.environ.get("DATORUM_EXAMPLES", "5"))
SCHEMA = schemathesis.openapi.from_dict(create_app().openapi())
# It would have Datorum dial whatever address comes up; bad addresses have tests of their own.
NEVER = {("POST", "/api/sites"), ("PUT", "/api/sites/{site_id}"), ("DELETE", "/api/session"), ("POST", "/api/session")}
# What is told goes on for as long as somebody listens; it has tests of its own.
ENDLESS = "/events"
OPERATIONS = {
    f"{one.method.upper()} {one.path}": one
    for one in (found.ok() for found in SCHEMA.get_all_operations() if isinstance(found, Ok))
    if (one.method.upper(), one.path) not in NEVER and not one.path.endswith(ENDLESS)
}
CHECKS = [not_a_server_error, status_code_conformance, content_type_conformance, response_schema_conformance]
SHEET = "E-mail Address;First Name;Surname\nada@quillmoss.example;Ada;Corfield\nbo@quillmoss.example;Bo;\n"
ODD = [
    "08:00Z",
    "2026-01-01T00:00:00+25:00",
    "1e400",
    "http://[",
    "//x",
    "\x00",
    "a\x00b",
    "\ufffe",
    "''",
    "%00",
    "../../x",
    "=1+1",
    "9" * 40,
    "\u202e",
    "a" * 5_000,
]


@pytest.fixture(scope="module")
def signed(served: Served) -> Iterator[requests.Session]:
    """An administrator's session as the generator's own client."""
    served.forget()
    with served.signed_in("ada") as client, requests.Session() as found:
        found.headers["X-CSRF-Token"] = client.headers["X-CSRF-Token"]
        found.cookies.set("datorum", client.cookies["datorum"])
        yield found


@pytest.fixture(scope="module")
def an_import(served: Served, signed: requests.Session) -> int:
    with served.signed_in("ada") as client:
        return int(upload(client, SHEET.encode()).json()["id"])


def try_all(operation: Any, mode: GenerationMode, served: Served, signed: requests.Session, an_import: int) -> None:
    @settings(
        max_examples=EXAMPLES, database=None, derandomize=True, phases=[Phase.generate],
        suppress_health_check=list(HealthCheck),
    )  # fmt: skip
    @given(case=operation.as_strategy(generation_mode=mode), real=st.booleans(), odd=st.sampled_from(ODD))
    def one(case: Case[Any], real: bool, odd: str) -> None:
        if real and "import_id" in (case.path_parameters or {}) and case.method != "DELETE":
            case.path_parameters["import_id"] = an_import
        if case.operation.label == "DELETE /api/sites/{site_id}" and case.path_parameters["site_id"] == 1:
            # Every test goes to this site.
            case.path_parameters["site_id"] = 2
        if real and mode is GenerationMode.NEGATIVE:
            case.body = _with(case.body, odd)
        response = case.call(base_url=served.url, session=signed, timeout=60)
        case.validate_response(response, checks=CHECKS)

    # An operation that takes nothing can be given nothing invalid.
    with contextlib.suppress(Unsatisfiable):
        one()


def _with(body: Any, odd: str) -> Any:
    """A body with an odd text in the place of every text."""
    match body:
        case dict():
            return {key: _with(value, odd) for key, value in body.items()}
        case list():
            return [_with(value, odd) for value in body]
        case str():
            return odd
    return body


@pytest.mark.parametrize("name", OPERATIONS)
@pytest.mark.parametrize("mode", [GenerationMode.POSITIVE, GenerationMode.NEGATIVE], ids=["valid", "invalid"])
def test_no_request_answers_5xx_or_otherwise_than_documented(
    name: str, mode: GenerationMode, served: Served, signed: requests.Session, an_import: int
) -> None:
    try_all(OPERATIONS[name], mode, served, signed, an_import)


@pytest.mark.parametrize("number", ["0", "-1", "2147483648", "9" * 20, "1e3", "١", "%00", "a" * 9000])
@pytest.mark.parametrize("path", ["/api/imports/{}", "/api/imports/{}/mapping", "/api/sites/{}/rules?record_type=x"])
def test_a_number_that_names_nothing_is_refused(client: httpx.Client, path: str, number: str) -> None:
    assert client.get(path.format(number)).status_code in (404, 422)


@pytest.mark.parametrize("odd", ["\x00", "\ud800", "a\x00"])
def test_text_that_cannot_be_kept_is_refused_with_a_sentence(client: httpx.Client, odd: str) -> None:
    made = upload(client, SHEET.encode()).json()["id"]
    body = json.dumps({"cells": [{"row": 2, "column": "Surname", "value": odd}]}).encode()
    refused = client.put(f"/api/imports/{made}/cells", content=body, headers={"Content-Type": "application/json"})
    assert refused.status_code == 422
    assert "cannot be kept" in refused.json()["title"] or "no text" in refused.json()["title"]


@pytest.mark.parametrize(
    "headers",
    [
        {"Content-Type": "application/json; charset=klingon"},
        {"Content-Type": "multipart/form-data"},
        {"Content-Type": "multipart/form-data; boundary="},
        {"Content-Type": "\x7f"},
        {"Cookie": 'datorum="\\'},
        {"X-Reading": "\xff\xfe"},
        {"Accept-Language": "x" * 9_000},
    ],
)
def test_odd_headers_are_no_fault(client: httpx.Client, headers: dict[str, str]) -> None:
    answer = client.post(
        "/api/imports", content=b"{}", headers=[(k.encode(), v.encode("latin-1")) for k, v in headers.items()]
    )
    assert 400 <= answer.status_code < 500
