"""Errors as problem details (RFC 9457). No input has any other answer."""

from __future__ import annotations

import json
import logging
from http import HTTPStatus
from typing import Any

import psycopg
from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ValidationError
from sqlalchemy.exc import SQLAlchemyError
from starlette.exceptions import HTTPException

from datorum.core.errors import DatorumError, fault_of, step_at
from datorum.store.database import as_ours

log = logging.getLogger(__name__)

_STATUS = {
    "unreadable-file": 422,
    "invalid-mapping": 422,
    "invalid-overlay": 422,
    "invalid-formula": 422,
    "invalid-correction": 422,
    "invalid-value": 422,
    "weak-password": 422,
    "not-found": 404,
    "conflict": 409,
    "not-ready": 409,
    "stopped": 409,
    "site-unavailable": 502,
    "site-refused": 502,
    "another-server": 409,
    "not-signed-in": 401,
    "not-allowed": 403,
    "too-many-tries": 429,
    "database-unavailable": 503,
    "busy": 503,
    "disk-full": 507,
}
_EXPECTED = (
    DatorumError, SQLAlchemyError, psycopg.Error, RequestValidationError, ValidationError, HTTPException, UnicodeError,
)  # fmt: skip
_RETRY_AFTER = {503: "2", 429: "60"}
"""Seconds after which it is worth asking again (RFC 9110, 10.2.3)."""


class Problem(BaseModel):
    """What every error answer looks like. ``current``: of a conflict, what stands there now, for choosing."""

    type: str
    title: str
    status: int
    detail: str
    place: dict[str, Any] = {}
    current: dict[str, Any] | None = None


def add_problem_details(app: FastAPI) -> None:
    """Answer every error as problem details."""
    for kind in _EXPECTED:
        app.add_exception_handler(kind, _answer)
    app.add_exception_handler(Exception, _unexpected)


def problem(
    code: str,
    title: str,
    status: int,
    detail: str = "",
    place: dict[str, Any] | None = None,
    current: dict[str, Any] | None = None,
) -> JSONResponse:
    """One problem as an answer."""
    body = Problem(
        type=f"urn:datorum:{code}", title=title, status=status, detail=detail, place=place or {}, current=current
    )
    headers = {"Retry-After": _RETRY_AFTER[status]} if status in _RETRY_AFTER else None
    return _Told(body.model_dump(exclude_none=True), status, headers, media_type="application/problem+json")


class _Told(JSONResponse):
    """JSON that quotes whatever came: for what is no text a question mark stands."""

    def render(self, content: Any) -> bytes:
        return json.dumps(content, ensure_ascii=False, default=str).encode("utf-8", "replace")


def answer_of(error: Exception) -> JSONResponse:
    """The answer to an error; one that nobody expected is raised."""
    match error:
        case DatorumError():
            place = error.place.model_dump(exclude_none=True)
            status = _STATUS.get(error.code, 400)
            return problem(error.code, error.message, status, error.remedy, place, error.current)
        case RequestValidationError() | ValidationError():
            return _invalid(error)
        case HTTPException():
            title = error.detail if error.detail != HTTPStatus(error.status_code).phrase else ""
            return problem("http", title or f"{HTTPStatus(error.status_code).phrase}.", error.status_code)
        case UnicodeError():
            return problem("invalid-value", "The request has characters that are no text.", 422)
        case SQLAlchemyError() | psycopg.Error():
            return answer_of(as_ours(error))
    raise error


async def _answer(_request: Request, error: Exception) -> JSONResponse:
    return answer_of(error)


async def _unexpected(_request: Request, error: Exception) -> JSONResponse:
    log.error("an error that nobody expected: %s", type(error).__name__)
    return problem("error", "Something went wrong in Datorum.", 500, "Try again; if it stays so, look at its log.")


def _invalid(error: RequestValidationError | ValidationError) -> JSONResponse:
    first = error.errors()[0]
    where, said = fault_of(first)
    # What a person wrote, such as a formula, is told by its own sentence; where in the request it stood, by the place.
    own = first["type"] == "value_error" and len(first["loc"]) > 3
    place = step_at(first["loc"]) or {"field": where}
    return problem("invalid-request", f"{where}: {said}" if where and not own else said, 422, place=place)
