"""Who is asking, and what they may do."""

from __future__ import annotations

import secrets
import time
from collections.abc import AsyncIterator
from typing import Annotated, Any, NamedTuple

from fastapi import Cookie, Depends, Header, Request
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from datorum.core.errors import NotAllowed, NotSignedIn
from datorum.store.database import looking, new_session
from datorum.store.people import ROLES, find_sign_in

COOKIE = "datorum"
_SAFE = ("GET", "HEAD", "OPTIONS")
_TRUSTED_FOR = 3.0
"""Seconds for which a sign-in is taken to hold once it was looked up: a page asks several things at once, and again
each second while a run goes on."""
_MOST = 4_096


class Who(NamedTuple):
    """Somebody who is signed in; ``csrf`` goes with every change that they make."""

    name: str
    role: str
    csrf: str


_known: dict[str, tuple[float, Who]] = {}


async def who_is(token: str) -> Who | None:
    """Whose sign-in a cookie's token belongs to, where it still holds."""
    found = _known.get(token)
    if found is not None and time.monotonic() - found[0] < _TRUSTED_FOR:
        return found[1]
    who = await run_in_threadpool(_look_up, token) if token else None
    if len(_known) > _MOST:
        _known.clear()
    if who is None:
        _known.pop(token, None)
    else:
        _known[token] = time.monotonic(), who
    return who


def forget(token: str) -> None:
    """Have the next request of a cookie's token looked up anew."""
    _known.pop(token, None)


def _look_up(token: str) -> Who | None:
    with looking() as current:
        kept = find_sign_in(current, token)
        return Who._make(kept) if kept else None


async def store() -> AsyncIterator[Session]:
    """One unit of work for one request, committed before the answer leaves."""
    # Nothing is asked of the database before the session is used, nor at the end if it was not.
    current = new_session()
    try:
        yield current
    except BaseException:
        await run_in_threadpool(current.close)
        raise
    if current.in_transaction() or current.new or current.dirty or current.deleted:
        await run_in_threadpool(_settle, current)


def _settle(current: Session) -> None:
    with current:
        current.commit()


Store = Annotated[Session, Depends(store, scope="function")]


async def signed_in(
    request: Request,
    datorum: Annotated[str | None, Cookie(include_in_schema=False)] = None,
    x_csrf_token: Annotated[str | None, Header(include_in_schema=False)] = None,
) -> Who:
    """Who has the browser's cookie. What changes anything must carry the sign-in's own token as well, which another
    site's page cannot know."""
    found = await who_is(datorum or "")
    if found is None:
        raise NotSignedIn("Nobody is signed in here.", remedy="Sign in.")
    if request.method not in _SAFE and not secrets.compare_digest((x_csrf_token or "").encode(), found.csrf.encode()):
        raise NotAllowed("The request does not come from Datorum's own page.", remedy="Reload the page.")
    return found


def _needs(role: str) -> Any:
    async def check(who: Annotated[Who, Depends(signed_in)]) -> str:
        if ROLES.index(who.role) > ROLES.index(role):
            raise NotAllowed(
                f"Your role, {who.role}, does not permit this.", remedy=f"Ask somebody with the role {role}."
            )
        return who.name

    return Depends(check)


Viewer = Annotated[str, _needs("viewer")]
Editor = Annotated[str, _needs("editor")]
Administrator = Annotated[str, _needs("administrator")]
"""The name of the person who asks, who has at least this role."""
