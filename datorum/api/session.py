"""Signing in and out."""

from __future__ import annotations

from typing import Annotated

from fastapi import APIRouter, Cookie, Depends, Response
from pydantic import BaseModel, Field

from datorum.api.access import COOKIE, Store, signed_in
from datorum.core.errors import DatorumError, NotSignedIn
from datorum.settings import settings
from datorum.store import people
from datorum.store.database import session
from datorum.store.models import SignIn

router = APIRouter(prefix="/api/session", tags=["session"])


class TooManyTries(DatorumError):
    """Signing in under this name is stopped for a while."""

    code = "too-many-tries"


class Credentials(BaseModel):
    name: str = Field(max_length=200)
    password: str = Field(max_length=1000)


class Me(BaseModel):
    """Who is signed in; ``csrf`` goes into the header X-CSRF-Token of every change."""

    name: str
    role: str
    csrf: str


@router.post("")
def sign_in(credentials: Credentials, response: Response) -> Me:
    try:
        with session() as store:
            if people.too_many_tries(store, credentials.name):
                raise TooManyTries("Too many tries under this name.", remedy="Wait ten minutes, then try again.")
            person = people.sign_in(store, credentials.name, credentials.password)
            token, kept = people.open_sign_in(store, person)
            people.record(store, person.name, "signed in", person.name)
    except NotSignedIn:
        with session() as store:
            people.record(store, "", "sign-in failed", credentials.name)
        raise
    response.set_cookie(
        COOKIE, token, httponly=True, samesite="lax", secure=settings().secure_cookies, max_age=14 * 86_400
    )
    return Me(name=person.name, role=person.role, csrf=kept.csrf)


@router.get("")
def who_am_i(who: Annotated[SignIn, Depends(signed_in)]) -> Me:
    return Me(name=who.person.name, role=who.person.role, csrf=who.csrf)


@router.delete("", status_code=204)
def sign_out(
    store: Store,
    response: Response,
    who: Annotated[SignIn, Depends(signed_in)],
    datorum: Annotated[str, Cookie(include_in_schema=False)] = "",
) -> None:
    people.close_sign_in(store, datorum)
    people.record(store, who.person.name, "signed out", who.person.name)
    response.delete_cookie(COOKIE)
