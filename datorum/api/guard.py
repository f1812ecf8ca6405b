"""What stands before every request: who may send how much, how many at a time, and headers that guard the answers."""

from __future__ import annotations

import asyncio
from collections import OrderedDict
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from http.cookies import CookieError, SimpleCookie

from starlette.datastructures import Headers, MutableHeaders
from starlette.exceptions import HTTPException
from starlette.responses import Response
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from datorum.api.access import COOKIE, who_is
from datorum.api.problems import answer_of, problem
from datorum.settings import Settings

_HEADERS = {
    "Content-Security-Policy": (
        "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; font-src 'self' data:;"
        " frame-ancestors 'none'; base-uri 'self'; form-action 'self'"
    ),
    "X-Content-Type-Options": "nosniff",
    "Referrer-Policy": "same-origin",
}
_SIGN_IN = "/api/session"
_SIGN_IN_BYTES = 16 * 1024
_BESIDE_A_FILE = 64 * 1024
"""What a form needs beside the file that it sends."""
_AT_ONCE = 6
"""As many requests of one browser are worked on at a time; its others wait, so that it slows nobody else."""
_BROWSERS = 4_096


class Guard:
    """ASGI middleware around the whole application."""

    def __init__(self, app: ASGIApp, settings: Settings) -> None:
        self._app = app
        self._settings = settings
        self._headers = dict(_HEADERS)
        if settings.hsts_seconds:
            self._headers["Strict-Transport-Security"] = f"max-age={settings.hsts_seconds}"
        self._turns: OrderedDict[str, asyncio.Semaphore] = OrderedDict()

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self._app(scope, receive, send)
            return
        headers = Headers(scope=scope)
        send = self._with_headers(scope["path"], send)
        refused = await self._refusal(scope, headers)
        if refused is not None:
            await refused(scope, receive, send)
            return
        async with self._a_turn(_token(headers)):
            await self._app(scope, _counted(receive, self._most(scope["path"], headers)), send)

    async def _refusal(self, scope: Scope, headers: Headers) -> Response | None:
        """Why a request is refused before its body is read; None where it is not."""
        if not self._host_is_allowed(headers.get("host", "")):
            return problem("wrong-host", "Datorum is not served under this name.", 400, "See DATORUM_ALLOWED_HOSTS.")
        has_body = headers.get("content-length", "0") != "0" or "transfer-encoding" in headers
        if not has_body or not scope["path"].startswith("/api/"):
            return None
        if scope["path"] != _SIGN_IN:
            try:
                known = await who_is(_token(headers))
            except Exception as error:
                return answer_of(error)
            if known is None:
                return problem("not-signed-in", "Nobody is signed in here.", 401, "Sign in.")
        length = headers.get("content-length", "")
        if length.isdigit() and int(length) > self._most(scope["path"], headers):
            return answer_of(_too_large(self._most(scope["path"], headers)))
        return None

    def _host_is_allowed(self, host: str) -> bool:
        allowed = self._settings.allowed_hosts
        return allowed == ["*"] or host.rpartition(":")[0].lower() in allowed or host.lower() in allowed

    def _most(self, path: str, headers: Headers) -> int:
        """The most bytes that a body may have."""
        if path == _SIGN_IN:
            return _SIGN_IN_BYTES
        if headers.get("content-type", "").startswith("multipart/"):
            return self._settings.upload_bytes + _BESIDE_A_FILE
        return self._settings.body_bytes

    @asynccontextmanager
    async def _a_turn(self, token: str) -> AsyncIterator[None]:
        turns = self._turns.setdefault(token, asyncio.Semaphore(_AT_ONCE))
        self._turns.move_to_end(token)
        if len(self._turns) > _BROWSERS:
            self._turns.popitem(last=False)
        if not token:
            # Nobody in particular: nothing is worked out for those who have not signed in.
            yield
            return
        async with turns:
            yield

    def _with_headers(self, path: str, send: Send) -> Send:
        async def sent(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                for name, value in self._headers.items():
                    headers.setdefault(name, value)
                if path.startswith("/api/"):
                    headers.setdefault("Cache-Control", "no-store")
            await send(message)

        return sent


def _counted(receive: Receive, most: int) -> Receive:
    """Raises HTTPException where more comes than was said or may come."""
    seen = 0

    async def received() -> Message:
        nonlocal seen
        message = await receive()
        seen += len(message.get("body", b""))
        if seen > most:
            raise _too_large(most)
        return message

    return received


def _too_large(most: int) -> HTTPException:
    return HTTPException(413, f"The request is larger than {most:,} bytes.")


def _token(headers: Headers) -> str:
    try:
        kept = SimpleCookie(headers.get("cookie", "")).get(COOKIE)
    except CookieError:
        return ""
    return kept.value if kept else ""
