"""Who is asking, and what they may do."""

from __future__ import annotations

import secrets
from collections.abc import Iterator
from typing import Annotated, Any

from fastapi import Cookie, Depends, Header, Request
from sqlalchemy.orm import Session

from datorum.core.errors import NotAllowed, NotSignedIn
from datorum.store.database import session
from datorum.store.models import SignIn
from datorum.store.people import ROLES, find_sign_in

COOKIE = "datorum"
_SAFE = ("GET", "HEAD", "OPTIONS")


def store() -> Iterator[Session]:
    """One unit of work for one request, committed before the answer leaves."""
    with session() as current:
        yield current


Store = Annotated[Session, Depends(store, scope="function")]


def signed_in(
    request: Request,
    store: Store,
    datorum: Annotated[str | None, Cookie(include_in_schema=False)] = None,
    x_csrf_token: Annotated[str | None, Header(include_in_schema=False)] = None,
) -> SignIn:
    """The sign-in of the browser's cookie. What changes anything must carry the sign-in's own token as well, which
    another site's page cannot know."""
    found = find_sign_in(store, datorum) if datorum else None
    if found is None:
        raise NotSignedIn("Nobody is signed in here.", remedy="Sign in.")
    if request.method not in _SAFE and not secrets.compare_digest(x_csrf_token or "", found.csrf):
        raise NotAllowed("The request does not come from Datorum's own page.", remedy="Reload the page.")
    return found


def _needs(role: str) -> Any:
    def check(who: Annotated[SignIn, Depends(signed_in)]) -> str:
        if ROLES.index(who.person.role) > ROLES.index(role):
            raise NotAllowed(
                f"Your role, {who.person.role}, does not permit this.", remedy=f"Ask somebody with the role {role}."
            )
        return who.person.name

    return Depends(check)


Viewer = Annotated[str, _needs("viewer")]
Editor = Annotated[str, _needs("editor")]
Administrator = Annotated[str, _needs("administrator")]
"""The name of the person who asks, who has at least this role."""
