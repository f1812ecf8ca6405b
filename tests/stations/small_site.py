"""A small site of texts that keeps languages in three ways, on loopback, in a thread of the test."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from aiohttp import web

from tests.sites.documents import NUMBER, TEXT, Json, asks, listed, of, shown, takes

CODE = {"type": "string", "enum": ["en", "nb", "de"]}
LANG: Json = {"in": "query", "name": "lang", "schema": {**CODE, "default": "en"}}
IN_EACH = of(en=TEXT, nb=TEXT, de=TEXT)
NOTE = {**of(id=NUMBER, slug={**TEXT, "description": "Unique."}, title=TEXT, kind=TEXT), "required": ["slug", "kind"]}
PAGE = {**of(id=NUMBER, slug={**TEXT, "description": "Unique."}, title=IN_EACH, body=IN_EACH), "required": ["slug"]}
LEAFLET = {**of(id=NUMBER, slug={**TEXT, "description": "Unique."}, title=TEXT), "required": ["slug"]}
TRANSLATION = {**of(id=NUMBER, language=CODE, title=TEXT), "required": ["language", "title"]}


def _spoken(operation: Json) -> Json:
    return {**operation, "parameters": [*operation.get("parameters", []), LANG]}


def _kept_at(path: str, schema: Json) -> Json:
    return {
        path: {
            "get": asks(shown(listed(schema)), "page"),
            "post": takes(shown(schema, "201"), schema),
        },
        f"{path}/{{id}}": {
            "get": shown(schema), "patch": takes(shown(schema), schema), "delete": shown(status="204"),
        },
    }  # fmt: skip


NOTES = {path: {method: _spoken(one) if method in ("get", "patch") else one for method, one in methods.items()}
         for path, methods in _kept_at("/notes", NOTE).items()}  # fmt: skip
DOCUMENT: Json = {
    "openapi": "3.1.0",
    "info": {"title": "Quillmoss leaflets", "version": "1"},
    "paths": {
        **NOTES, **_kept_at("/pages", PAGE), **_kept_at("/leaflets", LEAFLET),
        **_kept_at("/leaflets/{leaflet_id}/translations", TRANSLATION),
    },
}  # fmt: skip


class SmallSite:
    """Lists of records by their paths, and what notes have in further languages by their ids."""

    def __init__(self) -> None:
        self.lists: dict[str, list[dict[str, Any]]] = {}
        self.spoken: dict[tuple[int, str], dict[str, Any]] = {}
        self.url = ""

    async def answer(self, request: web.Request) -> web.Response:
        path, _, last = request.path.strip("/").rpartition("/")
        if request.path == "/openapi.json":
            return web.json_response(DOCUMENT)
        if not last.isdecimal():
            return await self._of_list(request, request.path.strip("/"))
        found = next((one for one in self.lists.get(path, []) if one["id"] == int(last)), None)
        if found is None:
            return web.json_response({"detail": "There is none."}, status=404)
        if request.method == "DELETE":
            self.lists[path].remove(found)
            return web.Response(status=204)
        if request.method == "PATCH":
            lang = request.query.get("lang", "en")
            into = found if lang == "en" else self.spoken.setdefault((found["id"], lang), {})
            into.update(await request.json())
        return web.json_response(self._said(request, found))

    async def _of_list(self, request: web.Request, path: str) -> web.Response:
        kept = self.lists.setdefault(path, [])
        if request.method == "POST":
            kept.append({"id": len(kept) + 1, **await request.json()})
            return web.json_response(kept[-1], status=201)
        first = int(request.query.get("page", 1)) == 1
        return web.json_response([self._said(request, one) for one in kept] if first else [])

    def _said(self, request: web.Request, one: dict[str, Any]) -> dict[str, Any]:
        return one | self.spoken.get((one["id"], request.query.get("lang", "en")), {})

    @contextmanager
    def running(self) -> Iterator[None]:
        loop = asyncio.new_event_loop()
        app = web.Application()
        app.router.add_route("*", "/{path:.*}", self.answer)
        runner = web.AppRunner(app)
        loop.run_until_complete(runner.setup())
        place = web.TCPSite(runner, "127.0.0.1", 0)
        loop.run_until_complete(place.start())
        self.url = f"http://127.0.0.1:{runner.addresses[0][1]}"
        thread = threading.Thread(target=loop.run_forever)
        thread.start()
        try:
            yield
        finally:
            loop.call_soon_threadsafe(loop.stop)
            thread.join()
            loop.run_until_complete(runner.cleanup())
            loop.close()
