"""How the site can be told to misbehave: slow, full, out of order, or hanging up."""

from __future__ import annotations

import asyncio

from pydantic import BaseModel, Field
from starlette.responses import JSONResponse
from starlette.types import ASGIApp, Message, Receive, Scope, Send
from uvicorn.protocols.http.httptools_impl import HttpToolsProtocol


class Behaviour(BaseModel):
    """Every n-th API request is answered so; 0 is never."""

    delay_ms: int = Field(0, ge=0, le=60_000)
    too_many_every: int = Field(0, ge=0)
    retry_after: int = Field(1, ge=0)
    unavailable_every: int = Field(0, ge=0)
    drop_before_every: int = Field(0, ge=0, description="Hang up before the request is carried out.")
    drop_after_every: int = Field(0, ge=0, description="Hang up after it is carried out, before the answer.")
    stall_every: int = Field(0, ge=0, description="Answer only after stall_ms, when it is carried out.")
    stall_ms: int = Field(0, ge=0, le=120_000)
    lists_at_most: int = Field(
        0, ge=0, description="Give no more records than this in lists, whatever the total; 0: all."
    )
    grows_by: int = Field(0, ge=0, description="Say so many more records with every page of a list.")
    ignore_filters: bool = Field(False, description="Take no notice of filters, and leave them out of the description.")
    alter_city: bool = Field(False, description="Store every city in capitals, as an eager plug-in would.")

    postcode_digits: int = Field(0, ge=0, description="Refuse postcodes that are not of so many digits; 0: none.")

    def become(self, wanted: Behaviour) -> None:
        """Answer so from now on; for trying what Datorum does then."""
        for name, value in wanted:
            setattr(self, name, value)


class HangsUp(HttpToolsProtocol):
    """uvicorn's protocol that hands the connection along, so that it can be cut instead of answered."""

    def on_message_begin(self) -> None:
        super().on_message_begin()
        self.scope["transport"] = self.transport  # type: ignore[typeddict-unknown-key]


class Misbehaving:
    """ASGI middleware that applies a behaviour to requests ``under`` a path."""

    def __init__(self, app: ASGIApp, behaviour: Behaviour, under: str = "/api/") -> None:
        self.app = app
        self.under = under
        self.behaviour = behaviour
        self.count = 0

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or not scope["path"].startswith(self.under):
            await self.app(scope, receive, send)
            return
        self.count += 1
        now = self.behaviour
        if now.delay_ms:
            await asyncio.sleep(now.delay_ms / 1000)
        if self._due(now.too_many_every):
            await self._answer(429, "Too many requests", now.retry_after)(scope, receive, send)
        elif self._due(now.unavailable_every):
            await self._answer(503, "Down for a moment", now.retry_after)(scope, receive, send)
        elif self._due(now.drop_before_every):
            scope["transport"].abort()
        elif self._due(now.drop_after_every):
            await self.app(scope, receive, _swallow)
            scope["transport"].abort()
        elif self._due(now.stall_every):
            await self.app(scope, receive, _late(send, now.stall_ms / 1000))
        else:
            await self.app(scope, receive, send)

    def _due(self, every: int) -> bool:
        return every > 0 and self.count % every == 0

    @staticmethod
    def _answer(status: int, title: str, retry_after: int) -> JSONResponse:
        return JSONResponse(
            {"type": "about:blank", "title": title, "status": status},
            status,
            headers={"Retry-After": str(retry_after)},
            media_type="application/problem+json",
        )


async def _swallow(message: object) -> None:
    """Takes the answer that the caller never sees."""


def _late(send: Send, seconds: float) -> Send:
    """Send after a while what is sent."""
    begun = False

    async def later(message: Message) -> None:
        nonlocal begun
        if not begun:
            begun = True
            await asyncio.sleep(seconds)
        await send(message)

    return later
