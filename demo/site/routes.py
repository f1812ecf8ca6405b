"""The REST API of one kind of record, made of what is said of the kind."""

# Annotations are read while each kind's routes are made, so they cannot be text.
import asyncio
import datetime as dt
import inspect
from collections.abc import Callable
from typing import Annotated, Any

from fastapi import APIRouter, Body, Depends, Header, Query, Request, Response
from fastapi.responses import JSONResponse
from psycopg.errors import UniqueViolation
from psycopg.rows import DictRow
from pydantic import AwareDatetime, BaseModel

from demo.site.access import Refusal, authorised, problems
from demo.site.behaviour import Behaviour
from demo.site.kinds import KINDS, Kind
from demo.site.mail import Mail, send
from demo.site.passwords import sealed
from demo.store import Records

Page = Annotated[int, Query(ge=1)]
Since = Annotated[AwareDatetime | None, Query(description="Only what was added or changed then or later.")]
_MERGED = "application/merge-patch+json"
"""A change of an object within changes what it carries, and leaves the rest of it (RFC 7396)."""
PerPage = Annotated[int, Query(ge=1, le=200)]


def records(request: Request, kind: Kind) -> Records:
    """The records of a kind, in the site that a request is to."""
    return Records(request.app.state.pool, kind.table)


def routes_of(kind: Kind) -> APIRouter:
    """List, create, read, change and delete."""
    api = APIRouter(prefix=f"/api/{kind.name}", tags=[kind.name], dependencies=[Depends(authorised)])
    word = kind.one.replace("_", " ")
    notified = Annotated[bool, Query(description=f"Whether anybody is sent a mail about this {word}. Default: true.")]

    async def list_records(
        request: Request,
        response: Response,
        page: Page = 1,
        per_page: PerPage = 50,
        changed_since: Since = None,
        **asked: str | None,
    ) -> dict[str, Any]:
        """In the order of their ids; `Link: rel="next"` leads on."""
        now: Behaviour = request.app.state.misbehaving
        wanted = {} if now.ignore_filters else {name: value for name, value in asked.items() if value is not None}
        rows, total = await records(request, kind).page(page, per_page, wanted, changed_since)
        if now.lists_at_most:
            rows = rows[: max(now.lists_at_most - (page - 1) * per_page, 0)]
        total += now.grows_by * page
        if rows and page * per_page < total:
            response.headers["Link"] = f'<{request.url.include_query_params(page=page + 1)}>; rel="next"'
        return {"items": [shown(request, kind, row) for row in rows], "total": total}

    async def create_record(request: Request, new: BaseModel, notify: bool = True) -> Response:
        """Adds one. Whoever it is about is written to, unless `notify` is false."""
        body = _stored(request, new)
        await _check(request, kind, body)
        row = await records(request, kind).add(body)
        if row is None:
            raise _taken(kind, body)
        if notify:
            await _write(request, kind.created, row["body"], None)
        return _answer(request, kind, row, 201, Location=f"/api/{kind.name}/{row['id']}")

    async def read_record(request: Request, id: int) -> Response:
        return _answer(request, kind, await _found(request, kind, id))

    async def update_record(
        request: Request,
        id: int,
        change: BaseModel,
        if_match: Annotated[str | None, Header()] = None,
        notify: bool = True,
    ) -> Response:
        """Changes what the body carries and leaves the rest."""
        row = await _found(request, kind, id)
        if if_match and if_match != etag(row):
            raise _changed(word)
        sent = _stored(request, change)
        await _check(request, kind, sent)
        # What is an object is changed within; anything else is replaced.
        kept = row["body"]
        inner = {name: _merged(kept.get(name) or {}, part) for name, part in sent.items() if isinstance(part, dict)}
        body = _merged(kept, sent | inner)
        try:
            changed = await records(request, kind).put(id, body, row["version"])
        except UniqueViolation:
            raise _taken(kind, body) from None
        if changed is None:
            raise _changed(word)
        if notify:
            await _write(request, kind.changed, changed["body"], kept)
        return _answer(request, kind, changed)

    async def delete_record(request: Request, id: int) -> None:
        if not await records(request, kind).remove(id):
            raise Refusal(404, "Not found", f"There is no {word} {id}.")

    taken = (409,) if kind.unique else ()
    filters = dict.fromkeys(kind.queries, str | None)
    api.get("", response_model=kind.page, responses=problems(401, 429), response_model_exclude_unset=True)(
        _taking(list_records, asked=None, **filters)
    )
    api.post("", status_code=201, response_model=kind.kept, responses=problems(401, *taken, 422, 429))(
        _taking(create_record, new=kind.new, notify=notified if kind.created else None)
    )
    api.get("/{id}", response_model=kind.kept, responses=problems(401, 404, 429))(read_record)
    api.patch("/{id}", response_model=kind.kept, responses=problems(401, 404, *taken, 412, 422, 429))(
        _taking(
            update_record,
            change=Annotated[kind.change, Body(media_type=_MERGED)],
            notify=notified if kind.created or kind.changed else None,
        )
    )
    api.delete("/{id}", status_code=204, responses=problems(401, 404, 429))(delete_record)
    return api


def _merged(kept: dict[str, Any], sent: dict[str, Any]) -> dict[str, Any]:
    """An object as it was with a change laid over it; what is null in that goes."""
    return {name: value for name, value in {**kept, **sent}.items() if value is not None or name not in sent}


def _taking(handler: Callable[..., Any], **parameters: Any) -> Callable[..., Any]:
    """A handler whose parameters are of these types, as its description shows them: another type than it was written
    with, none where it does not take it after all, or one more that may be left out."""
    signature = inspect.signature(handler)
    own = [
        parameter.replace(annotation=parameters.get(name, parameter.annotation))
        for name, parameter in signature.parameters.items()
        if parameters.get(name, parameter) is not None
    ]
    more = [
        inspect.Parameter(name, inspect.Parameter.KEYWORD_ONLY, default=None, annotation=kind)
        for name, kind in parameters.items()
        if kind is not None and name not in signature.parameters
    ]
    handler.__signature__ = signature.replace(parameters=[*own, *more])  # type: ignore[attr-defined]
    return handler


async def _found(request: Request, kind: Kind, number: int) -> DictRow:
    row = await records(request, kind).get(number)
    if row is None:
        raise Refusal(404, "Not found", f"There is no {kind.one.replace('_', ' ')} {number}.")
    return row


def _stored(request: Request, given: BaseModel) -> dict[str, Any]:
    """A body as it is kept."""
    body = given.model_dump(mode="json", exclude_unset=True)
    address = body.get("address")
    if request.app.state.misbehaving.alter_city and address and address.get("city"):
        address["city"] = address["city"].upper()
    if password := body.pop("password", None):
        body["password_hash"] = sealed(password)
    return body


async def _check(request: Request, kind: Kind, body: dict[str, Any]) -> None:
    """See that all that a body points at is there, and that its open fields were added. Raises Refusal."""
    errors = []
    postcode, digits = (body.get("address") or {}).get("postcode"), request.app.state.misbehaving.postcode_digits
    if digits and postcode and not (postcode.isdecimal() and len(postcode) == digits):
        # What the document does not say.
        said = f"postcode must be {digits} digits"
        errors.append({"pointer": "#/address/postcode", "detail": said})
    for points in kind.points:
        at = points.in_body(body)
        kept, values = records(request, KINDS[points.to]), [value for _, value in at]
        missing = await kept.lacks(points.by, values, points.part) if at else set()
        errors += [
            {"pointer": f"#/{where}", "detail": f"There is no {KINDS[points.to].one} {value}."}
            for where, value in at
            if str(value).lower() in missing
        ]
    for name in body.get("metadata") or {}:
        field = await records(request, KINDS["open-fields"]).by("name", name)
        if field is None or field["body"]["of"] != kind.name:
            errors.append(
                {"pointer": f"#/metadata/{name}", "detail": f"{kind.name} have no open field {name}: add it."}
            )
    if errors:
        raise Refusal(422, "Unprocessable content", errors[0]["detail"], errors)


async def _write(request: Request, mail: Mail | None, body: dict[str, Any], before: dict[str, Any] | None) -> None:
    if mail is None:
        return
    number = body.get("customer_id")
    customer = await records(request, KINDS["customers"]).get(number) if number else None
    letter = mail(body, before, customer["body"] if customer else None)
    if letter is not None:
        await asyncio.to_thread(send, request.app.state.settings.smtp_port, letter)


def _taken(kind: Kind, body: dict[str, Any]) -> Refusal:
    has = " or ".join(
        f"the {'e-mail' if name == 'email' else name} {body[name]}" for name in kind.unique if name in body
    )
    return Refusal(409, "Conflict", f"A {kind.one.replace('_', ' ')} with {has} exists already.")


def _changed(word: str) -> Refusal:
    return Refusal(412, "Precondition failed", f"The {word} has changed since.")


def shown(request: Request, kind: Kind, row: DictRow) -> dict[str, Any]:
    """A record as the site gives it."""
    file = {"file_url": str(request.url_for("file_page", id=row["id"]))} if "content_type" in row["body"] else {}
    return {
        **{name: value for name, value in row["body"].items() if name != "password_hash"},
        **file,
        "id": row["id"],
        "url": str(request.url_for("record_page", name=kind.name, id=row["id"])),
        "created_at": row["created_at"].astimezone(dt.UTC).isoformat(),
        "updated_at": row["updated_at"].astimezone(dt.UTC).isoformat(),
        "etag": etag(row),
    }


def etag(row: DictRow) -> str:
    """The entity tag of a version of a record."""
    return f'"{row["id"]}-{row["version"]}"'


def _answer(request: Request, kind: Kind, row: DictRow, status: int = 200, **headers: str) -> Response:
    return JSONResponse(shown(request, kind, row), status, headers={"ETag": etag(row), **headers})
