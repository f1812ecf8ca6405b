"""Who may use the API, and how it refuses."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import Depends, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer

from demo.site.records.parts import Problem

_bearer = HTTPBearer(auto_error=False)
_PROBLEMS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "content": {"application/problem+json": {}}, "description": text}
    for status, text in {
        401: "No token, or a wrong one.",
        404: "There is no such record.",
        409: "Another record has what only one may have.",
        413: "The file is too large.",
        412: "The record has changed since the entity tag in If-Match.",
        422: "The body breaks a constraint, or points at nothing; `errors` says which.",
        429: "Too many requests; wait as Retry-After says.",
    }.items()
}


def problems(*statuses: int) -> dict[int | str, dict[str, Any]]:
    """The refusals of an operation, for its description."""
    return {status: _PROBLEMS[status] for status in statuses}


class Refusal(Exception):
    """An answer that says no."""

    def __init__(self, status: int, title: str, detail: str = "", errors: list[dict[str, Any]] | None = None) -> None:
        self.problem = Problem(title=title, status=status, detail=detail, errors=errors or [])


async def authorised(request: Request, given: Annotated[HTTPAuthorizationCredentials | None, Depends(_bearer)]) -> None:
    """Raises Refusal where the token is not the site's."""
    if given is None or given.credentials != request.app.state.settings.token:
        raise Refusal(401, "Unauthorized", "A bearer token that this site knows is needed.")


async def refused(_request: Request, refusal: Exception) -> Response:
    """A Refusal as problem details."""
    assert isinstance(refusal, Refusal)
    return _problem(refusal.problem)


async def invalid(_request: Request, error: Exception) -> Response:
    """A body that breaks constraints, as problem details."""
    assert isinstance(error, RequestValidationError)
    errors = [
        {"pointer": "#/" + "/".join(str(part) for part in one["loc"][1:]), "detail": one["msg"]}
        for one in error.errors()
    ]
    return _problem(Problem(title="Unprocessable content", status=422, detail=errors[0]["detail"], errors=errors))


def _problem(problem: Problem) -> Response:
    return JSONResponse(problem.model_dump(), problem.status, media_type="application/problem+json")
