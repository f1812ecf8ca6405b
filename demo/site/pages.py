"""The site's plain pages, for a person to look at."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import HTMLResponse, Response
from jinja2 import Environment, PackageLoader, select_autoescape

from demo.site.behaviour import Behaviour
from demo.site.kinds import KINDS
from demo.site.passwords import fits
from demo.site.routes import records, shown

_templates = Environment(loader=PackageLoader("demo.site", "pages"), autoescape=select_autoescape())
_EACH = 50
pages = APIRouter(include_in_schema=False)


def _page(template: str, status: int = 200, **said: Any) -> HTMLResponse:
    titles = {kind.name: kind.name.replace("-", " ").capitalize() for kind in KINDS.values()}
    return HTMLResponse(_templates.get_template(template).render(titles=titles, **said), status)


@pages.get("/", response_class=HTMLResponse)
async def home_page(request: Request) -> Response:
    counts = {name: (await records(request, kind).page(1, 1, {}))[1] for name, kind in KINDS.items()}
    return _page("home.html", counts=counts)


@pages.get("/sign-in", response_class=HTMLResponse)
async def sign_in_page() -> Response:
    return _page("sign-in.html")


@pages.post("/sign-in", response_class=HTMLResponse)
async def sign_in(request: Request, username: Annotated[str, Form()], password: Annotated[str, Form()]) -> Response:
    row = await records(request, KINDS["users"]).by("username", username)
    kept = row["body"].get("password_hash") if row else None
    if not kept or not fits(password, kept):
        return _page("sign-in.html", 401, wrong=True)
    return _page("sign-in.html", welcome=row["body"].get("display_name") or username if row else username)


@pages.get("/behaviour")
async def behaviour(request: Request) -> Behaviour:
    now: Behaviour = request.app.state.misbehaving
    return now


@pages.put("/behaviour")
async def set_behaviour(request: Request, wanted: Behaviour) -> Behaviour:
    """How the site answers from now on."""
    now: Behaviour = request.app.state.misbehaving
    now.become(wanted)
    return now


@pages.get("/media/{id}/file")
async def file_page(request: Request, id: int) -> Response:
    """The file of a medium, for all to see."""
    found = await records(request, KINDS["media"]).file(id)
    return Response(found[1], media_type=found[0]) if found else _page("missing.html", 404)


@pages.get("/{name}", response_class=HTMLResponse)
async def list_page(request: Request, name: str, page: int = 1) -> Response:
    kind = KINDS.get(name)
    if kind is None:
        return _page("missing.html", 404)
    asked = {field: value for field in kind.queries if (value := request.query_params.get(field))}
    rows, total = await records(request, kind).page(max(page, 1), _EACH, asked)
    found = [shown(request, kind, row) for row in rows]
    last = -(-total // _EACH)
    return _page("list.html", kind=kind, rows=found, total=total, page=page, last=last, asked=asked)


@pages.get("/{name}/{id}", response_class=HTMLResponse)
async def record_page(request: Request, name: str, id: int) -> Response:
    kind = KINDS.get(name)
    row = await records(request, kind).get(id) if kind else None
    if kind is None or row is None:
        return _page("missing.html", 404)
    points = {point.field: point.to for point in kind.points if point.by == "id"}
    return _page("record.html", kind=kind, record=shown(request, kind, row), points=points)
