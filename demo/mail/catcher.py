"""The SMTP side (aiosmtpd) and the outbox page."""

from __future__ import annotations

from email import message_from_bytes
from email.message import Message
from html import escape
from typing import Any

from aiosmtpd.controller import Controller
from fastapi import FastAPI
from fastapi.responses import HTMLResponse


class _Keeping:
    def __init__(self, mails: list[Message]) -> None:
        self._mails = mails

    async def handle_DATA(self, _server: Any, _session: Any, envelope: Any) -> str:  # noqa: N802 (aiosmtpd's name)
        self._mails.append(message_from_bytes(envelope.content))
        return "250 Kept"


class MailCatcher:
    """Catches mail on ``smtp_port``; ``app`` shows the outbox and gives the count as JSON."""

    def __init__(self, smtp_port: int) -> None:
        self.mails: list[Message] = []
        self._controller = Controller(_Keeping(self.mails), hostname="127.0.0.1", port=smtp_port)
        self.app = FastAPI(title="Outbox")
        self.app.get("/", response_class=HTMLResponse)(self._page)
        self.app.get("/count")(self._count)
        self.app.delete("/mails", status_code=204)(self._clear)

    def start(self) -> None:
        self._controller.start()

    def stop(self) -> None:
        self._controller.stop()

    async def _count(self) -> dict[str, int]:
        return {"mails": len(self.mails)}

    async def _clear(self) -> None:
        self.mails.clear()

    async def _page(self) -> str:
        rows = "".join(
            f"<tr><td>{escape(str(mail['To']))}</td><td>{escape(str(mail['Subject']))}</td></tr>"
            for mail in reversed(self.mails[-500:])
        )
        return (
            "<!doctype html><html lang=en><meta charset=utf-8><title>Outbox</title>"
            "<body style='font:16px/1.5 Georgia,serif;padding:20px 32px'><h1>Outbox</h1>"
            f"<p>{len(self.mails):,} mails</p><table>{rows}</table>"
        )
