"""The application: the routers, the built web client, and what guards both."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import ExitStack, asynccontextmanager
from pathlib import Path
from typing import Any

from anyio import to_thread
from fastapi import FastAPI
from fastapi.openapi.utils import get_openapi
from fastapi.responses import FileResponse, Response
from fastapi.routing import APIRoute
from starlette.concurrency import run_in_threadpool

from datorum.api import (
    afterwards,
    audit,
    events,
    files,
    imports,
    mapping,
    migrations,
    readings,
    rows,
    runs,
    session,
    shape,
    sites,
    snapshots,
    sources,
    verifications,
)
from datorum.api.guard import Guard
from datorum.api.problems import Problem, add_problem_details, problem
from datorum.core.suggest import warm_up
from datorum.jobs import open_queue
from datorum.reader import kept_ready
from datorum.settings import settings

WEB_CLIENT = Path(__file__).parents[2] / "web" / "dist"


_THREADS = 12
_ERRORS: tuple[int | str, ...] = ("4XX", 502, 503, 507)


_PARTS = (
    runs, imports, session, events, migrations, mapping, rows, shape, verifications, sites, snapshots, afterwards,
    readings, files, sources, audit,
)  # fmt: skip
"""What requests are about, each with its router. They are tried one by one: what is asked for most is first."""


def described(app: FastAPI) -> dict[str, Any]:
    """The application's OpenAPI document, in which every error is a problem (RFC 9457), as it is when answered."""
    if app.openapi_schema is None:
        document = get_openapi(
            title=app.title, version=app.version, routes=app.routes, separate_input_output_schemas=False
        )
        for item in document["paths"].values():
            for operation in item.values():
                operation["responses"].pop("422", None)
                for status in map(str, _ERRORS):
                    content = operation["responses"][status].pop("content")
                    operation["responses"][status]["content"] = {
                        "application/problem+json": content["application/json"]
                    }
        for name in ("HTTPValidationError", "ValidationError"):
            document["components"]["schemas"].pop(name, None)
        app.openapi_schema = document
    return app.openapi_schema


def create_app(web_client: Path = WEB_CLIENT) -> FastAPI:
    """The whole of what ``datorum serve`` serves."""

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        # More of them would wait for one another, Python running one at a time, and each holds a connection.
        to_thread.current_default_thread_limiter().total_tokens = _THREADS
        with ExitStack() as stack:
            await run_in_threadpool(stack.enter_context, open_queue())
            await run_in_threadpool(stack.enter_context, kept_ready())
            await run_in_threadpool(warm_up)
            await run_in_threadpool(stack.enter_context, events.telling(asyncio.get_running_loop()))
            yield
            await run_in_threadpool(stack.close)

    app = FastAPI(
        title="Datorum",
        lifespan=lifespan,
        docs_url=None,
        redoc_url=None,
        openapi_url="/api/openapi.json",
        separate_input_output_schemas=False,
        generate_unique_id_function=_operation_name,
        responses={status: {"model": Problem, "description": "What is wrong and what to do."} for status in _ERRORS},
    )
    app.openapi = lambda: described(app)  # type: ignore[method-assign]
    add_problem_details(app)
    app.add_middleware(Guard, settings=settings())
    for module in _PARTS:
        app.include_router(module.router)

    @app.get("/api/{path:path}", include_in_schema=False)
    def no_such_request(path: str) -> Response:
        return problem("not-found", f"There is nothing at /api/{path}.", 404)

    @app.get("/{path:path}", include_in_schema=False)
    def client(path: str) -> Response:
        """A file of the built web client; any other path is one of its views."""
        file = (web_client / path).resolve()
        if file.is_file() and file.is_relative_to(web_client.resolve()):
            forever = {"Cache-Control": "public, max-age=31536000, immutable"} if path.startswith("assets/") else None
            return FileResponse(file, headers=forever)
        index = web_client / "index.html"
        if not index.is_file():
            return Response("The web client is not built. Run: make setup\n", 503, media_type="text/plain")
        return FileResponse(index, headers={"Cache-Control": "no-cache"})

    return app


def _operation_name(route: APIRoute) -> str:
    return route.name
