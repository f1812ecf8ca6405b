"""Whoever looks at an import or a site is told of it as it changes, and of what is not there that it is not."""

from __future__ import annotations

import asyncio
import json
import time
from collections.abc import Iterator
from contextlib import ExitStack
from typing import Any

import httpx
import pytest

from datorum.api import events
from datorum.store.listening import Subject


def words(lines: Iterator[str]) -> Iterator[dict[str, Any]]:
    """What the events hold, as they come."""
    for line in lines:
        if line.startswith("data: "):
            yield json.loads(line.removeprefix("data: "))


@pytest.mark.usefixtures("site")
def test_who_looks_at_a_site_is_told_how_far_it_is_read(client: httpx.Client) -> None:
    client.delete("/api/sites/1/snapshot").raise_for_status()
    with client.stream("GET", "/api/sites/1/events", timeout=20) as answer:
        assert answer.headers["content-type"].startswith("text/event-stream")
        told = words(answer.iter_lines())
        assert next(told) == {"snapshot": []}
        client.post("/api/sites/1/snapshot", json={"types": ["customers"]}).raise_for_status()
        seen = [next(told)]
        while seen[-1]["snapshot"][0]["state"] == "reading":
            seen.append(next(told))
    [last] = seen[-1]["snapshot"]
    assert (last["state"], last["records"], last["on_site"]) == ("ready", last["kept"], last["kept"])
    assert client.get("/api/sites/1/told").json() == seen[-1]


@pytest.mark.parametrize("kind", ["imports", "sites"])
def test_of_what_is_not_there_nothing_is_told(client: httpx.Client, kind: str) -> None:
    answer = client.get(f"/api/{kind}/999999/events")
    assert (answer.status_code, answer.json()["type"]) == (404, "urn:datorum:not-found")
    assert client.get(f"/api/{kind}/999999/told").status_code == 404


def test_what_is_told_first_is_worked_out_once_for_all_who_come_together(monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[Subject] = []

    def word(subject: Subject) -> str:
        asked.append(subject)
        said = f"word {len(asked)}"
        time.sleep(0.05)
        return said

    async def all_look() -> None:
        hub, subject = events.Hub(), Subject("import", 1)
        with ExitStack() as stack:
            [queue, *_] = [stack.enter_context(hub.looking(subject)) for _ in range(20)]
            # One of them goes before it is told anything.
            gone = asyncio.ensure_future(hub.first(subject))
            await asyncio.sleep(0)
            gone.cancel()
            assert set(await asyncio.gather(*(hub.first(subject) for _ in range(19)))) == {"word 1"}
            hub.changed(subject)
            assert await queue.get() == "word 2"
            assert await hub.first(subject) == "word 2"
        # Whoever comes when nobody looks is told what there is by then.
        with hub.looking(subject):
            assert await hub.first(subject) == "word 3"

    monkeypatch.setattr(events, "_word", word)
    asyncio.run(all_look())
    assert len(asked) == 3
