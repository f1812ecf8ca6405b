"""Background work: asked for once, done by whoever is there, begun again by itself."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Iterator

import psycopg
import pytest
from procrastinate.exceptions import ConnectorException
from sqlalchemy import text

from datorum.core.errors import SiteUnavailable
from datorum.jobs import defer, open_queue, queue
from datorum.stations import checking, rehearse, work
from datorum.stations.imports import get_import
from datorum.stations.migration import walk
from datorum.stations.snapshots import start_snapshots
from datorum.store.database import session
from tests.stations.conftest import Journey


@pytest.fixture
def opened(database: None) -> Iterator[None]:
    with session() as store:
        store.execute(text("TRUNCATE procrastinate_jobs CASCADE"))
    with open_queue():
        yield


def waiting() -> list[tuple[str, dict[str, str | int], str]]:
    with session() as store:
        found = store.execute(text("SELECT task_name, args, status FROM procrastinate_jobs ORDER BY id"))
        return [(name, args, status) for name, args, status in found]


@pytest.mark.usefixtures("opened")
def test_work_is_put_on_the_queue_once() -> None:
    for _ in range(3):
        defer("rehearse", 7)
        defer("undo", 7)
    asked: list[dict[str, str | int]] = [{"kind": "rehearse", "subject": 7}, {"kind": "undo", "subject": 7}]
    assert waiting() == [("datorum:work", args, "todo") for args in asked]


def test_without_a_queue_nothing_can_be_asked_for() -> None:
    with pytest.raises(RuntimeError, match="not open"):
        defer("check", 1)


def work_until_rehearsed(journey: Journey) -> None:
    """Have a worker in this process until a rehearsal is made and its job over."""

    def is_over() -> bool:
        planned = journey.now().rehearse
        return planned is not None and planned.state == "ready" and [one[2] for one in waiting()] == ["succeeded"]

    async def run() -> None:
        working = asyncio.create_task(queue.work())
        async with asyncio.timeout(60):
            while not await asyncio.to_thread(is_over):
                assert not working.done()
                await asyncio.sleep(0.1)
        working.cancel()
        with contextlib.suppress(asyncio.CancelledError):
            await working

    asyncio.run(run())


@pytest.mark.usefixtures("opened")
def test_a_worker_does_what_waits(small: Journey) -> None:
    with session() as store:
        plan = rehearse.start_rehearsal(store, "ada", small.import_id)
    defer("rehearse", plan.id)
    work_until_rehearsed(small)


@pytest.mark.usefixtures("opened")
def test_what_was_asked_for_and_is_on_no_queue_is_begun_by_itself(small: Journey) -> None:
    with session() as store:
        rehearse.start_rehearsal(store, "ada", small.import_id)
    assert waiting() == []
    work_until_rehearsed(small)


def test_what_a_station_refuses_is_a_result_and_no_fault(
    caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    async def refuses(number: int) -> None:
        raise SiteUnavailable("The site does not answer.")

    monkeypatch.setitem(queue._KINDS, "rehearse", refuses)
    with caplog.at_level(logging.WARNING):
        asyncio.run(queue.do("rehearse", 1))
    assert "site-unavailable" in caplog.text


@pytest.mark.parametrize("error", [psycopg.OperationalError("gone"), ConnectorException()])
def test_work_that_a_database_cuts_short_is_no_fault_and_not_over(
    error: Exception, caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    def cut_short(number: int) -> None:
        raise error

    monkeypatch.setattr(checking, "carry_out_check", cut_short)
    with caplog.at_level(logging.WARNING):
        asyncio.run(queue.do("check", 1))
    assert "begun again" in caplog.text


def test_a_fault_is_a_fault(monkeypatch: pytest.MonkeyPatch) -> None:
    def breaks(number: int) -> None:
        raise ZeroDivisionError

    monkeypatch.setattr(checking, "carry_out_check", breaks)
    with pytest.raises(ZeroDivisionError):
        asyncio.run(queue.do("check", 1))


def test_a_worker_waits_for_a_database_that_is_away(
    caplog: pytest.LogCaptureFixture, monkeypatch: pytest.MonkeyPatch
) -> None:
    tried: list[int] = []

    async def comes_back() -> None:
        tried.append(1)
        if len(tried) < 3:
            raise psycopg.OperationalError("the database system is starting up")

    monkeypatch.setattr(queue, "_work", comes_back)
    monkeypatch.setattr(queue, "_PATIENCE", 0.0)
    with caplog.at_level(logging.WARNING):
        asyncio.run(queue.work())
    assert len(tried) == 3
    assert "does not answer" in caplog.text


def test_a_check_that_is_cut_short_stays_asked_for(small: Journey, monkeypatch: pytest.MonkeyPatch) -> None:
    def away(*_: object) -> None:
        raise psycopg.OperationalError("server closed the connection")

    with session() as store:
        checking.start_checking(store, "ada", small.import_id)
    monkeypatch.setattr(checking, "check_import", away)
    with pytest.raises(psycopg.OperationalError):
        checking.carry_out_check(small.import_id)
    now = small.now().checking
    assert now is not None
    assert (now.state, now.error) == ("going", "")


def test_the_work_has_names_that_stay() -> None:
    """What waits while Datorum is brought up to date is found by them."""
    assert {"check", "rehearse", "snapshot", "undo", "verify"} <= set(queue._KINDS)
    assert queue._TASK == "datorum:work"


@pytest.mark.usefixtures("opened")
def test_a_job_that_killed_its_workers_is_given_up_and_others_go_on(
    small: Journey, monkeypatch: pytest.MonkeyPatch
) -> None:
    with session() as store:
        plan_id = rehearse.start_rehearsal(store, "ada", small.import_id).id
    defer("rehearse", plan_id)

    async def die_and_put_back() -> None:
        async with queue._app().open_async() as app:
            worker = await app.job_manager.register_worker()
            assert await app.job_manager.fetch_job(None, worker) is not None
            with session() as store:
                store.execute(text("UPDATE procrastinate_workers SET last_heartbeat = now() - interval '1 day'"))
            await queue._put_back(app)

    for state in ("todo", "todo", "failed"):
        asyncio.run(die_and_put_back())
        assert waiting()[0][2] == state
    planned = small.now().rehearse
    assert planned is not None
    assert (planned.state, "died 3 times" in planned.error) == ("failed", True)
    # It rests until somebody wants it again.
    asyncio.run(_put_back())
    assert [one[2] for one in waiting()] == ["failed"]


async def _put_back() -> None:
    async with queue._app().open_async() as app:
        await queue._put_back(app)


@pytest.mark.usefixtures("opened")
def test_what_is_done_within_other_work_gets_no_second_worker(small: Journey) -> None:
    with session() as store:
        site_id = get_import(store, small.import_id).site_id
        reading = start_snapshots(store, "ada", site_id, ["orders"])[0].id
    defer("rehearse", 7)
    with work.doing("check", small.import_id) as outer:
        assert outer is None
    with session() as store:
        work.ask(store, "rehearse", 7, "ada", import_id=small.import_id)
    with work.doing("rehearse", 7) as rehearsing, work.doing("snapshot", reading) as own:
        assert rehearsing is not None
        assert own is not None
        asyncio.run(_put_back())
    assert [args["kind"] for _, args, _ in waiting()] == ["rehearse"]


@pytest.mark.usefixtures("opened")
def test_a_migration_that_fails_stops_no_other(monkeypatch: pytest.MonkeyPatch) -> None:
    went: list[int] = []

    async def go_on(number: int) -> list[walk.Asked]:
        went.append(number)
        if number == 1:
            raise ZeroDivisionError("a fault")
        return []

    stopped: list[tuple[int, str]] = []
    monkeypatch.setattr(walk, "go_on", go_on)
    monkeypatch.setattr(walk, "break_off", lambda number, error: stopped.append((number, str(error))))
    monkeypatch.setattr(queue, "_migrations_under_way", lambda: [1, 2])

    async def once() -> None:
        taking = asyncio.create_task(queue._take_further(queue._app()))
        async with asyncio.timeout(20):
            while 2 not in went:
                await asyncio.sleep(0.01)
        taking.cancel()

    asyncio.run(once())
    assert stopped[0] == (1, "a fault")
