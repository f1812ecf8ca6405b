"""Errors as problem details (RFC 9457)."""

from __future__ import annotations

from typing import Any

from fastapi import FastAPI, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse
from pydantic import BaseModel, ValidationError

from datorum.core.errors import DatorumError, fault_of

_STATUS = {
    "unreadable-file": 422,
    "invalid-mapping": 422,
    "invalid-formula": 422,
    "invalid-correction": 422,
    "not-found": 404,
    "conflict": 409,
    "not-ready": 409,
    "stopped": 409,
    "site-unavailable": 502,
    "site-refused": 502,
    "not-signed-in": 401,
    "not-allowed": 403,
    "too-many-tries": 429,
    "database-unavailable": 503,
    "busy": 503,
}


class Problem(BaseModel):
    """What every error answer looks like. ``current``: of a conflict, what stands there now, for choosing."""

    type: str
    title: str
    status: int
    detail: str
    place: dict[str, Any] = {}
    current: dict[str, Any] | None = None


def add_problem_details(app: FastAPI) -> None:
    """Answer domain errors and invalid requests as problem details."""
    app.add_exception_handler(DatorumError, _domain)
    app.add_exception_handler(RequestValidationError, _invalid)
    app.add_exception_handler(ValidationError, _invalid)


def problem(
    code: str,
    title: str,
    status: int,
    detail: str = "",
    place: dict[str, Any] | None = None,
    current: dict[str, Any] | None = None,
    headers: dict[str, str] | None = None,
) -> JSONResponse:
    """One problem as an answer."""
    body = Problem(
        type=f"urn:datorum:{code}", title=title, status=status, detail=detail, place=place or {}, current=current
    )
    return JSONResponse(
        body.model_dump(exclude_none=True), status, media_type="application/problem+json", headers=headers
    )


async def _domain(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, DatorumError)
    status = _STATUS.get(error.code, 400)
    place = error.place.model_dump(exclude_none=True)
    return problem(error.code, error.message, status, error.remedy, place, error.current)


async def _invalid(_request: Request, error: Exception) -> JSONResponse:
    assert isinstance(error, (RequestValidationError, ValidationError))
    first = error.errors()[0]
    where, said = fault_of(first)
    # What a person wrote, such as a formula, is told by its own sentence; where in the request it stood, by the place.
    own = first["type"] == "value_error" and len(first["loc"]) > 3
    return problem("invalid-request", f"{where}: {said}" if where and not own else said, 422, place={"field": where})
