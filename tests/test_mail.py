"""Letters are handed to a mail server that may refuse them, put them off, or go away at the worst moment."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from email import message_from_string
from email.policy import default

import pytest

from datorum.core.errors import NotReady
from datorum.mail import Letter, has_mail_server, mail_server
from datorum.settings import settings
from datorum.sites import Outcome

LETTER = Letter("ada@quillmoss.example", "Your\naccount, Åse", "Dear Åse,\n\n.\nit is ready.\n", "6f1c")


class Server:
    """A mail server that answers some words otherwise, or goes away where it is to answer them."""

    def __init__(self, otherwise: dict[str, str]) -> None:
        self.otherwise = otherwise
        self.kept: list[str] = []
        self.connections = 0

    async def serve(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        self.connections += 1
        writer.write(b"220 here\r\n")
        while line := (await reader.readline()).decode():
            word = line.split()[0].upper()
            if word == "DATA":
                writer.write(b"354 go on\r\n")
                text = (await reader.readuntil(b"\r\n.\r\n")).decode()
                if "END" not in self.otherwise:
                    self.kept.append(text)
                word = "END"
            answer = self.otherwise.get(word, "221 bye" if word == "QUIT" else "250 well")
            if not answer:
                break
            writer.write(f"{answer}\r\n".encode())
            if word == "QUIT":
                break
        writer.close()


@asynccontextmanager
async def serving(patch: pytest.MonkeyPatch, **otherwise: str) -> AsyncIterator[Server]:
    there = Server(otherwise)
    server = await asyncio.start_server(there.serve, "127.0.0.1", 0)
    port = server.sockets[0].getsockname()[1]
    patch.setenv("DATORUM_MAIL_SERVER", f"smtp://127.0.0.1:{port}")
    patch.setenv("DATORUM_MAIL_FROM", "office@quillmoss.example")
    settings.cache_clear()
    try:
        yield there
    finally:
        server.close()
        patch.undo()
        settings.cache_clear()


async def test_a_letter_arrives_as_it_was_written(monkeypatch: pytest.MonkeyPatch) -> None:
    async with serving(monkeypatch) as there, mail_server() as server:
        assert [(await server.send(LETTER)).outcome for _ in range(2)] == [Outcome.DONE] * 2
        assert there.connections == 1
    # A line that begins with a dot has one more on its way (RFC 5321, 4.5.2).
    sent = there.kept[0].removesuffix("\r\n.\r\n").replace("\r\n..", "\r\n.")
    mail = message_from_string(f"{sent}\r\n", policy=default)
    assert (mail["To"], mail["Subject"]) == ("ada@quillmoss.example", "Your account, Åse")
    assert (mail["Message-ID"], mail["Auto-Submitted"]) == ("<6f1c@quillmoss.example>", "auto-generated")
    assert mail.get_content().replace("\r\n", "\n") == LETTER.text


@pytest.mark.parametrize(
    ("otherwise", "outcome"),
    [
        ({"RCPT": "550 nobody of that name"}, Outcome.REFUSED),
        ({"RCPT": "450 the box is busy"}, Outcome.LATER),
        ({"END": "554 looks like spam"}, Outcome.REFUSED),
        ({"RCPT": ""}, Outcome.LATER),
        ({"END": ""}, Outcome.IN_DOUBT),
    ],
)
async def test_what_the_server_does_otherwise_is_told_for_what_it_is(
    monkeypatch: pytest.MonkeyPatch, otherwise: dict[str, str], outcome: Outcome
) -> None:
    async with serving(monkeypatch, **otherwise) as there, mail_server() as server:
        assert (await server.send(LETTER)).outcome is outcome
        there.otherwise = {}
        # Whatever was, the next letter goes.
        assert (await server.send(LETTER._replace(to="bo@quillmoss.example"))).outcome is Outcome.DONE


@pytest.mark.parametrize("given", [{}, {"DATORUM_MAIL_SERVER": "smtp://127.0.0.1:25"}])
async def test_without_a_server_and_an_address_nothing_goes(
    monkeypatch: pytest.MonkeyPatch, given: dict[str, str]
) -> None:
    for name, value in given.items():
        monkeypatch.setenv(name, value)
    settings.cache_clear()
    try:
        assert not has_mail_server()
        with pytest.raises(NotReady, match="knows no mail server"):
            async with mail_server():
                pass
    finally:
        monkeypatch.undo()
        settings.cache_clear()
