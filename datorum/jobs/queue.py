"""The tasks, the worker, and what puts jobs of dead workers back."""

from __future__ import annotations

import asyncio
import contextlib
import logging
from collections.abc import Awaitable, Callable, Iterable, Iterator
from contextlib import contextmanager
from typing import LiteralString

import procrastinate
import psycopg_pool
from procrastinate.exceptions import AlreadyEnqueued, ConnectorException
from procrastinate.jobs import Status
from procrastinate.manager import JobManager, NotificationCallback

from datorum.core.errors import DatorumError
from datorum.settings import settings
from datorum.stations import checking, fetching, snapshots
from datorum.stations import follow_up as following_up
from datorum.stations import rehearse as rehearsing
from datorum.stations import run as running
from datorum.stations import undo as undoing
from datorum.stations import verify as verifying
from datorum.stations.migration import walk
from datorum.stations.work import give_up, name_of, to_do
from datorum.store.audit import seal_new
from datorum.store.database import database_url, is_away, session

log = logging.getLogger(__name__)
_PATIENCE = 1.0
_DEATHS = 3
"""As many workers may die over a job before it is given up."""
_LOOKS_FOR_RUNS = 0.5
"""Seconds between two looks for runs to take part in."""


@contextmanager
def _kept_by_its_station() -> Iterator[None]:
    """A domain error is a result that the station has kept for the person; only others are for the log. Work that a
    database cut short that was away is unfinished, and begun again when it is back."""
    try:
        yield
    except DatorumError as error:
        log.warning("%s", error.code)
    except Exception as error:
        if not _is_away(error):
            raise
        log.warning("the database went away in the middle of work, which is begun again")


async def _check(number: int) -> None:
    await asyncio.to_thread(checking.carry_out_check, number)


_KINDS: dict[str, Callable[[int], Awaitable[None]]] = {
    "check": _check,
    "fetch": fetching.fetch,
    "follow-up": following_up.plan_follow_up,
    "rehearse": rehearsing.rehearse,
    "snapshot": snapshots.take,
    "undo": undoing.plan_undo,
    "verify": verifying.verify,
}
"""What one worker does, by the kind of work. At runs all of them take part that there are."""


async def do(kind: str, subject: int) -> None:
    """Do work of a kind that was asked for."""
    with _kept_by_its_station():
        await _KINDS[kind](subject)


def _app() -> procrastinate.App:
    app = procrastinate.App(connector=procrastinate.PsycopgConnector(conninfo=database_url(), min_size=1, max_size=6))
    app.job_manager = _Lasting(app.connector)
    app.task(name=_TASK)(do)
    return app


class _Lasting(JobManager):
    """What a worker does beside its jobs, that lasts though the database goes away. Procrastinate ends the one thing
    that fails, says so when the worker ends, and has a worker that gives no more signs of life and hears of no more
    jobs."""

    async def update_heartbeat(self, worker_id: int) -> None:
        """Give a sign of life, which makes a worker known again that somebody took for dead."""
        with _tried_again("the database does not answer; the next sign of life is given when it does"):
            await self.connector.execute_query_async(_SIGN_OF_LIFE, worker=worker_id)

    async def listen_for_jobs(
        self, *, on_notification: NotificationCallback, queues: Iterable[str] | None = None
    ) -> None:
        while True:
            with _tried_again("the database does not answer; new jobs are heard of when it does"):
                await super().listen_for_jobs(on_notification=on_notification, queues=queues)
            await asyncio.sleep(_PATIENCE)


_SIGN_OF_LIFE: LiteralString = (
    "INSERT INTO procrastinate_workers (id) OVERRIDING SYSTEM VALUE VALUES (%(worker)s)"
    " ON CONFLICT (id) DO UPDATE SET last_heartbeat = now()"
)


@contextmanager
def _tried_again(said: str) -> Iterator[None]:
    """What is tried again soon may fail as long as the database is away."""
    try:
        yield
    except Exception as error:
        if not _is_away(error):
            raise
        log.warning(said)


_TASK = "datorum:work"
"""A name that stays: work that waits while Datorum is brought up to date is found by it."""
_open: procrastinate.App | None = None


@contextmanager
def open_queue() -> Iterator[None]:
    """The way to put jobs on the queue, for as long as the block lasts."""
    global _open
    with _app().open() as app:
        _open = app
        try:
            yield
        finally:
            _open = None


def defer(kind: str, subject: int) -> None:
    """Have a worker do work of a kind that was asked for."""
    if _open is None:
        raise RuntimeError("the queue is not open")
    lock = name_of(kind, subject)
    try:
        _open.configure_task(_TASK, lock=lock, queueing_lock=lock).defer(kind=kind, subject=subject)
    except AlreadyEnqueued:
        log.info("%s waits on the queue already", lock)


async def work() -> None:
    """Do jobs until the process is asked to end, whatever becomes of the database meanwhile."""
    while True:
        try:
            await _work()
        except Exception as error:
            if not _is_away(error):
                raise
            log.warning("the database does not answer; the worker goes on when it does")
            await asyncio.sleep(_PATIENCE)
        else:
            return


def _is_away(error: BaseException) -> bool:
    if isinstance(error, BaseExceptionGroup):
        return any(map(_is_away, error.exceptions))
    return is_away(error) or isinstance(error, (ConnectorException, psycopg_pool.PoolTimeout, psycopg_pool.PoolClosed))


async def _work() -> None:
    """Do jobs; those of workers that died are put back first and ever after. What is done beside them ends the worker
    where it fails."""
    beat = settings().stalled_after / 3
    app = _app()
    async with app.open_async(), asyncio.TaskGroup() as group:
        beside = [group.create_task(one) for one in (_rescue(app, beat), _take_part(), _take_further(app))]
        await app.run_worker_async(
            concurrency=4,
            listen_notify=True,
            fetch_job_polling_interval=2,
            update_heartbeat_interval=beat,
            stalled_worker_timeout=settings().stalled_after,
            shutdown_graceful_timeout=8,
        )
        for one in beside:
            one.cancel()


async def _take_part() -> None:
    """Take part in every run that there is, for as long as it is under way."""
    parts: dict[int, asyncio.Task[None]] = {}
    try:
        while True:
            with _tried_again("the database does not answer; runs are looked for when it does"):
                for number in await asyncio.to_thread(running.runs_under_way):
                    if number not in parts or parts[number].done():
                        parts[number] = asyncio.create_task(_part(number))
            parts = {number: task for number, task in parts.items() if not task.done()}
            await asyncio.sleep(_LOOKS_FOR_RUNS)
    finally:
        # What is on its way comes to its end; nothing more is begun.
        for task in parts.values():
            task.cancel()
        await asyncio.gather(*parts.values(), return_exceptions=True)


async def _take_further(app: procrastinate.App) -> None:
    """Take every migration further that somebody wants to be taken, whichever worker comes first to each step."""
    while True:
        with _tried_again("the database does not answer; migrations are taken further when it does"):
            for number in await asyncio.to_thread(_migrations_under_way):
                await _take_one_further(app, number)
        await asyncio.sleep(_LOOKS_FOR_RUNS)


async def _take_one_further(app: procrastinate.App, number: int) -> None:
    """Take one migration further; one that cannot be keeps no other waiting."""
    try:
        for one in await walk.go_on(number):
            await _defer(app, one.kind, one.subject)
    except Exception as error:
        if _is_away(error):
            raise
        log.exception("migration %s cannot be taken further", number)
        await asyncio.to_thread(walk.break_off, number, error)


def _migrations_under_way() -> list[int]:
    with session() as store:
        return walk.under_way(store)


async def _defer(app: procrastinate.App, kind: str, subject: int) -> None:
    lock = name_of(kind, subject)
    with contextlib.suppress(AlreadyEnqueued):
        waiting = app.configure_task(_TASK, lock=lock, queueing_lock=lock)
        await waiting.defer_async(kind=kind, subject=subject)


async def _part(run_id: int) -> None:
    try:
        with _kept_by_its_station():
            await running.carry_out(run_id)
    except Exception:
        log.exception("run %s came to an end that nobody foresaw", run_id)


async def _rescue(app: procrastinate.App, every: float) -> None:
    """Work goes on whatever became of the worker that had it: jobs whose worker died are put back, and work that
    is unfinished with no job at all (its worker was told to end in the middle) gets a new one."""
    while True:
        with _tried_again("the database does not answer; unfinished work is looked for when it does"):
            await _put_back(app)
            await asyncio.to_thread(_seal)
        await asyncio.sleep(every)


def _seal() -> None:
    with session() as store:
        seal_new(store)


async def _put_back(app: procrastinate.App) -> None:
    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=settings().stalled_after):
        if job.attempts + 1 >= _DEATHS and job.id is not None:
            log.error("job %s ended %s workers; it is given up", job.id, _DEATHS)
            await app.job_manager.finish_job_by_id_async(job.id, Status.FAILED, delete_job=False)
            why = f"Its worker died {_DEATHS} times over it. Others go on; begin it again when the cause is found."
            await asyncio.to_thread(give_up, str(job.task_kwargs["kind"]), str(job.task_kwargs["subject"]), why)
            continue
        log.warning("the worker of job %s died; it is put back on the queue", job.id)
        await app.job_manager.retry_job(job)
    for one in await asyncio.to_thread(to_do, list(_KINDS)):
        # What is a part of other work is done by whoever does that.
        locks = {name_of(one.kind, one.subject), one.within or name_of(one.kind, one.subject)}
        jobs = [job for lock in locks for job in await app.job_manager.list_jobs_async(lock=lock)]
        if not any(job.status in ("todo", "doing") for job in jobs):
            await _defer(app, one.kind, one.subject)
