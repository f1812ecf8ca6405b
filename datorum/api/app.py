"""The application: the routers, the built web client, and what guards both."""

from __future__ import annotations

from collections.abc import AsyncIterator
from contextlib import ExitStack, asynccontextmanager
from pathlib import Path

from fastapi import FastAPI, Request
from fastapi.responses import FileResponse, Response
from fastapi.routing import APIRoute
from starlette.concurrency import run_in_threadpool
from starlette.middleware.base import RequestResponseEndpoint

from datorum.api import imports, mapping, readings, rows, runs, session, sites
from datorum.api.problems import Problem, add_problem_details, problem
from datorum.jobs import open_queue
from datorum.reader import keep_one_ready

WEB_CLIENT = Path(__file__).parents[2] / "web" / "dist"
_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:;"
        " frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}


def create_app(web_client: Path = WEB_CLIENT) -> FastAPI:
    """The whole of what ``datorum serve`` serves."""

    @asynccontextmanager
    async def lifespan(_app: FastAPI) -> AsyncIterator[None]:
        with ExitStack() as stack:
            await run_in_threadpool(stack.enter_context, open_queue())
            await run_in_threadpool(stack.enter_context, keep_one_ready())
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
        responses={"4XX": {"model": Problem, "description": "What is wrong and what to do."}},
    )
    add_problem_details(app)
    for module in (session, sites, imports, readings, mapping, rows, runs):
        app.include_router(module.router)

    @app.middleware("http")
    async def guard(request: Request, call_next: RequestResponseEndpoint) -> Response:
        response = await call_next(request)
        for name, value in _HEADERS.items():
            response.headers.setdefault(name, value)
        return response

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
