"""The site's REST API and its plain pages."""

from __future__ import annotations

import asyncio
import datetime as dt
import smtplib
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass, field
from email.message import EmailMessage
from typing import Annotated, Any

from fastapi import APIRouter, Depends, FastAPI, Header, Query, Request, Response
from fastapi.exceptions import RequestValidationError
from fastapi.responses import HTMLResponse, JSONResponse
from fastapi.security import HTTPAuthorizationCredentials, HTTPBearer
from jinja2 import Environment, PackageLoader, select_autoescape
from psycopg.rows import DictRow

from demo.site.behaviour import Behaviour, Misbehaving
from demo.site.database import Customers, open_pool
from demo.site.records import Customer, CustomerChange, CustomerPage, NewCustomer, Problem


@dataclass(frozen=True)
class SiteSettings:
    """Where the site's data lie, the token it takes, and its mail server."""

    database_url: str
    token: str
    smtp_port: int
    behaviour: Behaviour = field(default_factory=Behaviour)


_pages = Environment(loader=PackageLoader("demo.site", "pages"), autoescape=select_autoescape())
_bearer = HTTPBearer(auto_error=False)
_PROBLEMS: dict[int | str, dict[str, Any]] = {
    status: {"model": Problem, "content": {"application/problem+json": {}}, "description": text}
    for status, text in {
        401: "No token, or a wrong one.",
        404: "There is no such customer.",
        409: "Another customer has this e-mail.",
        412: "The customer has changed since the entity tag in If-Match.",
        422: "The body breaks a constraint; `errors` says which.",
        429: "Too many requests; wait as Retry-After says.",
    }.items()
}


def _problems(*statuses: int) -> dict[int | str, dict[str, Any]]:
    return {status: _PROBLEMS[status] for status in statuses}


class _Refusal(Exception):
    def __init__(self, status: int, title: str, detail: str = "") -> None:
        self.problem = Problem(title=title, status=status, detail=detail)


async def _authorised(
    request: Request, given: Annotated[HTTPAuthorizationCredentials | None, Depends(_bearer)]
) -> None:
    if given is None or given.credentials != request.app.state.settings.token:
        raise _Refusal(401, "Unauthorized", "A bearer token that this site knows is needed.")


def _customers(request: Request) -> Customers:
    found: Customers = request.app.state.customers
    return found


Store = Annotated[Customers, Depends(_customers)]
Notify = Annotated[bool, Query(description="Whether the customer is sent a mail about this. Default: true.")]
api = APIRouter(prefix="/api/customers", tags=["customers"], dependencies=[Depends(_authorised)])


@api.get("", response_model=CustomerPage, responses=_problems(401, 429), response_model_exclude_unset=True)
async def list_customers(
    request: Request,
    response: Response,
    store: Store,
    email: str | None = None,
    page: Annotated[int, Query(ge=1)] = 1,
    per_page: Annotated[int, Query(ge=1, le=200)] = 50,
) -> dict[str, Any]:
    """Customers in the order of their ids; `Link: rel="next"` leads on."""
    now: Behaviour = request.app.state.misbehaving
    rows, total = await store.page(page, per_page, None if now.ignore_filters else email)
    if now.lists_at_most:
        rows = rows[: max(now.lists_at_most - (page - 1) * per_page, 0)]
    total += now.grows_by * page
    if rows and page * per_page < total:
        response.headers["Link"] = f'<{request.url.include_query_params(page=page + 1)}>; rel="next"'
    return {"items": [_body(request, row) for row in rows], "total": total}


@api.post("", status_code=201, response_model=Customer, responses=_problems(401, 409, 422, 429))
async def create_customer(request: Request, store: Store, new: NewCustomer, notify: Notify = True) -> Response:
    """Adds a customer and sends a welcome mail, unless `notify` is false."""
    row = await store.add(_stored(request, new.model_dump(mode="json", exclude_unset=True)))
    if row is None:
        raise _Refusal(409, "Conflict", f"A customer with the e-mail {new.email} exists already.")
    if notify:
        await asyncio.to_thread(_welcome, request.app.state.settings.smtp_port, new.email, new.name)
    return _answer(request, row, 201, Location=f"/api/customers/{row['id']}")


@api.get("/{id}", response_model=Customer, responses=_problems(401, 404, 429))
async def read_customer(request: Request, store: Store, id: int) -> Response:
    return _answer(request, await _found(store, id))


@api.patch("/{id}", response_model=Customer, responses=_problems(401, 404, 409, 412, 422, 429))
async def update_customer(
    request: Request,
    store: Store,
    id: int,
    change: CustomerChange,
    if_match: Annotated[str | None, Header()] = None,
    notify: Notify = True,
) -> Response:
    """Changes what the body carries and leaves the rest."""
    row = await _found(store, id)
    if if_match and if_match != _etag(row):
        raise _Refusal(412, "Precondition failed", "The customer has changed since.")
    sent = _stored(request, change.model_dump(mode="json", exclude_unset=True))
    address = {**row["body"].get("address", {}), **sent.pop("address", {})}
    changed = await store.put(id, {**row["body"], **sent, "address": address}, row["version"])
    if changed is None:
        raise _Refusal(412, "Precondition failed", "The customer has changed since.")
    return _answer(request, changed)


@api.delete("/{id}", status_code=204, responses=_problems(401, 404, 429))
async def delete_customer(store: Store, id: int) -> None:
    if not await store.remove(id):
        raise _Refusal(404, "Not found", f"There is no customer {id}.")


pages = APIRouter(include_in_schema=False)


@pages.get("/", response_class=HTMLResponse)
async def customers_page(request: Request, store: Store, page: int = 1, email: str | None = None) -> str:
    rows, total = await store.page(page, 50, email or None)
    return _pages.get_template("customers.html").render(
        rows=[_body(request, row) for row in rows], total=total, page=page, pages=-(-total // 50), email=email or ""
    )


@pages.get("/customers/{id}", response_class=HTMLResponse)
async def customer_page(request: Request, store: Store, id: int) -> Response:
    row = await store.get(id)
    if row is None:
        return HTMLResponse(_pages.get_template("missing.html").render(id=id), 404)
    return HTMLResponse(_pages.get_template("customer.html").render(customer=_body(request, row)))


@pages.get("/behaviour")
async def behaviour(request: Request) -> Behaviour:
    now: Behaviour = request.app.state.misbehaving
    return now


@pages.put("/behaviour")
async def set_behaviour(request: Request, wanted: Behaviour) -> Behaviour:
    """How the site answers from now on; for trying what Datorum does then."""
    now: Behaviour = request.app.state.misbehaving
    for name, value in wanted:
        setattr(now, name, value)
    return now


def create_app(settings: SiteSettings) -> FastAPI:
    """The site over its own database."""
    pool = open_pool(settings.database_url)

    @asynccontextmanager
    async def lifespan(app: FastAPI) -> AsyncIterator[None]:
        await pool.open()
        yield
        await pool.close()

    app = FastAPI(
        title="Quillmoss",
        version="2.0",
        description="The new site of the Quillmoss seed co-operative.",
        lifespan=lifespan,
        separate_input_output_schemas=False,
    )
    app.state.settings = settings
    app.state.customers = Customers(pool)
    app.state.misbehaving = settings.behaviour
    app.add_middleware(Misbehaving, behaviour=settings.behaviour)
    app.include_router(api)
    app.include_router(pages)
    app.add_exception_handler(_Refusal, _refused)
    app.add_exception_handler(RequestValidationError, _invalid)
    return app


async def _refused(_request: Request, refusal: Exception) -> Response:
    assert isinstance(refusal, _Refusal)
    return _problem(refusal.problem)


async def _invalid(_request: Request, error: Exception) -> Response:
    assert isinstance(error, RequestValidationError)
    errors = [
        {"pointer": "#/" + "/".join(str(part) for part in one["loc"][1:]), "detail": one["msg"]}
        for one in error.errors()
    ]
    return _problem(Problem(title="Unprocessable content", status=422, detail=errors[0]["detail"], errors=errors))


def _problem(problem: Problem) -> Response:
    return JSONResponse(problem.model_dump(), problem.status, media_type="application/problem+json")


async def _found(store: Customers, id: int) -> DictRow:
    row = await store.get(id)
    if row is None:
        raise _Refusal(404, "Not found", f"There is no customer {id}.")
    return row


def _stored(request: Request, body: dict[str, Any]) -> dict[str, Any]:
    address = body.get("address")
    if request.app.state.misbehaving.alter_city and address and address.get("city"):
        address["city"] = address["city"].upper()
    return body


def _body(request: Request, row: DictRow) -> dict[str, Any]:
    return {
        **row["body"],
        "id": row["id"],
        "url": str(request.url_for("customer_page", id=row["id"])),
        "created_at": row["created_at"].astimezone(dt.UTC).isoformat(),
        "updated_at": row["updated_at"].astimezone(dt.UTC).isoformat(),
        "etag": _etag(row),
    }


def _etag(row: DictRow) -> str:
    return f'"{row["id"]}-{row["version"]}"'


def _answer(request: Request, row: DictRow, status: int = 200, **headers: str) -> Response:
    return JSONResponse(_body(request, row), status, headers={"ETag": _etag(row), **headers})


def _welcome(port: int, email: str, name: str) -> None:
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Subject"] = "seeds@quillmoss.example", email, "Welcome to Quillmoss"
    mail.set_content(f"Dear {name},\n\nyour account is ready.\n")
    with smtplib.SMTP("127.0.0.1", port, timeout=10) as server:
        server.send_message(mail)
