"""Work under way, of whatever kind: asked for once, told of as it goes, stopped, and ended in one way."""

from __future__ import annotations

import datetime as dt
import time
from collections.abc import Callable, Collection, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import NamedTuple

from sqlalchemy import delete, select, update
from sqlalchemy.orm import Session

from datorum.core.errors import Stopped, error_sentence
from datorum.store import models
from datorum.store.among import among
from datorum.store.database import is_away, session

_WITHIN: ContextVar[str | None] = ContextVar("within", default=None)
"""The work that is done by whoever begins more."""
OPEN = ("waiting", "going")
"""The states of work that is not over and that a worker is to do."""
_TELL_EVERY = 0.3
"""Seconds between two words of how far it is."""


def ask(
    store: Session, kind: str, subject: int | str, by: str, *, import_id: int | None = None, site_id: int | None = None
) -> models.Work:
    """Work to be done, for an import or a site. What is under way goes on; what has failed or was stopped begins
    again."""
    name = str(subject)
    now = store.get(models.Work, (kind, name), with_for_update=True)
    if now is None:
        now = models.Work(kind=kind, subject=name, by=by, import_id=import_id, site_id=site_id)
        store.add(now)
    elif now.state not in OPEN:
        now.state, now.by, now.error, now.stop, now.done, now.began_at = "waiting", by, "", False, 0, None
        now.asked_at = dt.datetime.now(dt.UTC)
    store.flush()
    return now


def under_way(store: Session, kind: str, subject: int | str) -> models.Work | None:
    """What is known of work that is not over, or that has failed."""
    return store.get(models.Work, (kind, str(subject)))


Known = Callable[[str, int], models.Work | None]
"""What is known of work of a kind and a subject that is not over, or that has failed."""


def of_imports(store: Session, imports: Collection[int]) -> Known:
    """What is known of the work of some imports, asked for at once."""
    asked = select(models.Work).where(among(models.Work.import_id, imports))
    found = {(one.kind, one.subject): one for one in store.scalars(asked)}
    return lambda kind, subject: found.get((kind, str(subject)))


def stop(store: Session, kind: str, subject: int | str) -> None:
    """Have work under way stop as soon as it can."""
    of = models.Work
    store.execute(update(of).where(of.kind == kind, of.subject == str(subject), of.state.in_(OPEN)).values(stop=True))


def seconds_left(now: models.Work, at: dt.datetime, total: int | None = None) -> float | None:
    """How long work still takes, by how long it took so far in this turn."""
    total = now.total if total is None else total
    done = now.done - now.began_with
    if now.state != "going" or now.began_at is None or not total or done <= 0:
        return None
    return max(total - now.done, 0) * (at - now.began_at).total_seconds() / done


class Doing:
    """Work under way, as whoever does it has it."""

    def __init__(self, kind: str, subject: int | str) -> None:
        self._mine = models.Work.kind == kind, models.Work.subject == str(subject)
        self._told_at = 0.0

    def tell(self, done: int, total: int | None = None) -> None:
        """Say how far it is, at once for all to see, though not more often than anybody reads. Raises Stopped where
        somebody wants no more of it."""
        if time.monotonic() - self._told_at < _TELL_EVERY:
            return
        self._told_at = time.monotonic()
        with session() as store:
            told = update(models.Work).where(*self._mine).values(done=done, total=total)
            # Of what is gone nobody wants more either.
            if store.scalar(told.returning(models.Work.stop)) is not False:
                raise Stopped("It was stopped.", remedy="Begin it again when you like.")

    def begin(self, done: int) -> bool:
        """Whether it is to be done; so much of it was done before."""
        began = {"state": "going", "done": done, "began_with": done, "began_at": dt.datetime.now(dt.UTC),
                 "within": _WITHIN.get()}  # fmt: skip
        begun = update(models.Work).where(*self._mine, models.Work.state.in_(OPEN)).values(began)
        with session() as store:
            return store.scalar(begun.returning(models.Work.kind)) is not None

    def end(self, state: str, error: str = "") -> None:
        """Say how it ended."""
        with session() as store:
            if state == "over":
                store.execute(delete(models.Work).where(*self._mine))
            else:
                store.execute(update(models.Work).where(*self._mine).values(state=state, error=error))


@contextmanager
def doing(kind: str, subject: int | str, done: int = 0) -> Iterator[Doing | None]:
    """Work for as long as the block lasts, of which so much was ``done`` before; none where another, thought dead, was
    faster. When the block ends, so does the work: it is over, was stopped, or has failed, and then the error is raised
    on. What a database cuts short that is away is begun again when it is back."""
    now = Doing(kind, subject)
    if not now.begin(done):
        yield None
        return
    outer = _WITHIN.set(_WITHIN.get() or name_of(kind, subject))
    try:
        yield now
    except Stopped:
        now.end("stopped")
    except Exception as error:
        if not is_away(error):
            now.end("failed", error_sentence(error))
        raise
    else:
        now.end("over")
    finally:
        _WITHIN.reset(outer)


def to_do(kinds: Collection[str]) -> list[Open]:
    """Work of some kinds that somebody waits for, the longest waiting first."""
    of = models.Work
    asked = select(of.kind, of.subject, of.within).where(of.kind.in_(kinds), of.state.in_(OPEN)).order_by(of.asked_at)
    with session() as store:
        return [Open(kind, int(subject), within) for kind, subject, within in store.execute(asked)]


class Open(NamedTuple):
    """Work that is not over, and the work that it is a part of, if of any."""

    kind: str
    subject: int
    within: str | None


def name_of(kind: str, subject: int | str) -> str:
    """What work is called, of which no two are done at a time."""
    return f"{kind}-{subject}"


def give_up(kind: str, subject: int | str, why: str) -> None:
    """Have work that is not over rest until somebody asks for it again."""
    Doing(kind, subject).end("failed", why)
