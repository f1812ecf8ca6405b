"""The old shop's API: an envelope around everything, pages of fifty whatever is asked for, whole records by PUT,
and ids as answers."""

# Annotations are read while each kind's routes are made, so they cannot be text.
import inspect
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Annotated, Any

from fastapi import APIRouter, Depends, FastAPI, Form, Query, Request
from fastapi.exceptions import RequestValidationError
from fastapi.responses import JSONResponse, Response
from fastapi.security import APIKeyHeader
from psycopg.errors import UniqueViolation
from psycopg.rows import DictRow
from pydantic import BaseModel, create_model

from demo.shop.kinds import KINDS, Kind
from demo.site.behaviour import Behaviour, Misbehaving
from demo.store import Records, open_pool, pool_of

_CAP = 50
"""As many records are on a page at most; nothing says so."""
_key = APIKeyHeader(name="X-Shop-Key", auto_error=False)


@dataclass(frozen=True)
class ShopSettings:
    """Where the shop's data lie, and the key that it takes."""

    database_url: str
    key: str
    behaviour: Behaviour = field(default_factory=Behaviour)


class Refusal(Exception):
    """An answer that says no, as the shop does: ``{"error": {"code": …, "message": …}}``."""

    def __init__(self, status: int, message: str) -> None:
        self.status, self.message = status, message


async def _let_in(request: Request, given: Annotated[str | None, Depends(_key)]) -> None:
    if given != request.app.state.settings.key:
        raise Refusal(403, "The key is not known.")


def _routes_of(kind: Kind) -> APIRouter:
    api = APIRouter(prefix="/rest/v1", tags=[kind.name], dependencies=[Depends(_let_in)])
    kept = create_model(f"Kept{kind.form.__name__}", __base__=kind.form, **{kind.number: (int, ...)})  # type: ignore[call-overload]
    wrapped = create_model(f"Wrapped{kind.form.__name__}", **{kind.one: (kept, ...)})  # type: ignore[call-overload]
    found = create_model("Info", found=(int, ...), page=(int, ...), per_page=(int, ...))
    listed = create_model(f"List{kind.form.__name__}", **{kind.name: (list[wrapped], ...), "info": (found, ...)})  # type: ignore[call-overload]
    sent = kind.form if kind.as_form else create_model(f"Sent{kind.form.__name__}", **{kind.one: (kind.form, ...)})  # type: ignore[call-overload]
    answered = create_model(f"Number{kind.form.__name__}", **{kind.number: (int, ...)})  # type: ignore[call-overload]

    def records(request: Request) -> Records:
        return Records(request.app.state.pool, kind.table)

    async def list_records(
        request: Request, page: Annotated[int, Query(ge=1)] = 1, per_page: Annotated[int, Query(ge=1)] = 20
    ) -> dict[str, Any]:
        each = min(per_page, _CAP)
        rows, total = await records(request).page(page, each, {})
        info = {"found": total, "page": page, "per_page": each}
        return {kind.name: [{kind.one: _shown(kind, row)} for row in rows], "info": info}

    async def add_record(request: Request, sent: BaseModel) -> dict[str, int]:
        row = await records(request).add(_body(kind, sent))
        if row is None:
            raise Refusal(409, f"There is such a {kind.one} already.")
        return {kind.number: row["id"]}

    async def one_record(request: Request, number: int) -> dict[str, Any]:
        row = await records(request).get(number)
        if row is None:
            raise Refusal(404, f"No {kind.one} {number}.")
        return {kind.one: _shown(kind, row)}

    async def replace_record(request: Request, number: int, sent: BaseModel) -> dict[str, int]:
        row = await records(request).get(number)
        if row is None:
            raise Refusal(404, f"No {kind.one} {number}.")
        try:
            await records(request).put(number, _body(kind, sent), row["version"])
        except UniqueViolation:
            raise Refusal(409, f"There is another {kind.one} of that kind already.") from None
        return {kind.number: number}

    async def remove_record(request: Request, number: int) -> Response:
        if not await records(request).remove(number):
            raise Refusal(404, f"No {kind.one} {number}.")
        return Response(status_code=204)

    body = Annotated[sent, Form()] if kind.as_form else sent
    one = f"/{kind.name}/{{number}}.json"
    api.get(f"/{kind.name}.json", response_model=listed, response_model_exclude_unset=True)(list_records)
    conflict: dict[int | str, dict[str, Any]] = {409: {"description": "There is one already."}} if kind.unique else {}
    api.post(f"/{kind.name}.json", response_model=answered, status_code=201, responses=conflict)(
        _taking(add_record, body)
    )
    api.get(one, response_model=wrapped, response_model_exclude_unset=True)(one_record)
    api.put(one, response_model=answered, responses=conflict)(_taking(replace_record, body))
    api.delete(one, status_code=204)(remove_record)
    return api


def _taking(handler: Callable[..., Any], body: Any) -> Callable[..., Any]:
    """A handler whose ``sent`` is of this type."""
    signature = inspect.signature(handler)
    own = [one.replace(annotation=body) if one.name == "sent" else one for one in signature.parameters.values()]
    handler.__signature__ = signature.replace(parameters=own)  # type: ignore[attr-defined]
    return handler


def _body(kind: Kind, sent: BaseModel) -> dict[str, Any]:
    body = sent if kind.as_form else getattr(sent, kind.one)
    return dict(body.model_dump(mode="json", exclude_unset=True))


def _shown(kind: Kind, row: DictRow) -> dict[str, Any]:
    return {kind.number: row["id"], **row["body"]}


def create_app(settings: ShopSettings) -> FastAPI:
    """The shop over its own database."""
    app = FastAPI(
        title="Quillmoss shop", version="1.9", lifespan=pool_of, separate_input_output_schemas=False, docs_url=None
    )
    app.state.settings, app.state.pool = settings, open_pool(settings.database_url)
    app.add_middleware(Misbehaving, behaviour=settings.behaviour, under="/rest/")
    for kind in KINDS.values():
        app.include_router(_routes_of(kind))

    @app.put("/behaviour", include_in_schema=False)
    async def set_behaviour(wanted: Behaviour) -> Behaviour:
        """How the shop answers from now on."""
        settings.behaviour.become(wanted)
        return settings.behaviour

    app.add_exception_handler(Refusal, _refused)
    app.add_exception_handler(RequestValidationError, _invalid)
    return app


async def _refused(_request: Request, refusal: Exception) -> Response:
    assert isinstance(refusal, Refusal)
    return _error(refusal.status, refusal.message)


async def _invalid(_request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    first = error.errors()[0]
    return _error(400, f"{'.'.join(str(part) for part in first['loc'][2:])}: {first['msg']}")


def _error(status: int, message: str) -> Response:
    return JSONResponse({"error": {"code": status, "message": message}}, status)
