"""Signing in and out."""

from __future__ import annotations

from typing import Annotated

import anyio.to_thread
from fastapi import APIRouter, Cookie, Depends, Request, Response
from pydantic import BaseModel, Field

from datorum.api.access import COOKIE, Store, Who, forget, signed_in
from datorum.core.errors import NotSignedIn
from datorum.settings import settings
from datorum.store import people
from datorum.store.database import session
from datorum.store.tries import expect_few_tries, keep_try

router = APIRouter(prefix="/api/session", tags=["session"])


class Credentials(BaseModel):
    name: str = Field(max_length=200)
    password: str = Field(max_length=1000)


class Me(BaseModel):
    """Who is signed in; ``csrf`` goes into the header X-CSRF-Token of every change."""

    name: str
    role: str
    csrf: str


_SIGNING_IN = anyio.CapacityLimiter(4)
"""Signing in waits by itself: however many try, their waiting takes no thread from those who are in."""


@router.post("")
async def sign_in(credentials: Credentials, request: Request, response: Response) -> Me:
    address = request.client.host if request.client else ""
    token, me = await anyio.to_thread.run_sync(_sign_in, credentials, address, limiter=_SIGNING_IN)
    response.set_cookie(
        COOKIE, token, httponly=True, samesite="lax", secure=settings().secure_cookies, max_age=14 * 86_400
    )
    return me


def _sign_in(credentials: Credentials, address: str) -> tuple[str, Me]:
    """The token for the cookie, and who signed in."""
    try:
        with session() as store:
            expect_few_tries(store, credentials.name, address)
            person = people.sign_in(store, credentials.name, credentials.password)
            token, kept = people.open_sign_in(store, person)
            keep_try(store, credentials.name, address, good=True)
            people.record(store, person.name, "signed in", person.name)
    except NotSignedIn:
        with session() as store:
            keep_try(store, credentials.name, address, good=False)
            people.record(store, "", "sign-in failed", credentials.name)
        raise
    return token, Me(name=person.name, role=person.role, csrf=kept.csrf)


@router.get("")
async def who_am_i(who: Annotated[Who, Depends(signed_in)]) -> Me:
    return Me(name=who.name, role=who.role, csrf=who.csrf)


@router.delete("", status_code=204)
def sign_out(
    store: Store,
    response: Response,
    who: Annotated[Who, Depends(signed_in)],
    datorum: Annotated[str, Cookie(include_in_schema=False)] = "",
) -> None:
    people.close_sign_in(store, datorum)
    forget(datorum)
    people.record(store, who.name, "signed out", who.name)
    response.delete_cookie(COOKIE)
