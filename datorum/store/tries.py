"""How often somebody may try to sign in: counted so that guessing is slow, and that nobody can be locked out by others.

A try is counted for the person and the address it comes from. Whoever signed in from an address before is not kept out
there by what is tried from elsewhere.
"""

from __future__ import annotations

import datetime as dt

from sqlalchemy import ColumnElement, delete, func, select
from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError
from datorum.store.models import SignInTry

_WITHIN = dt.timedelta(minutes=10)
_KNOWN_FOR = dt.timedelta(days=90)
_BY_BOTH, _BY_ADDRESS, _BY_PERSON = 10, 50, 100


class TooManyTries(DatorumError):
    """Signing in from here is stopped for a while."""

    code = "too-many-tries"


def expect_few_tries(store: Session, name: str, address: str) -> None:
    """Raises TooManyTries where too many have failed of late."""
    here, person = SignInTry.address == address, SignInTry.name == name
    if _failed(store, here & person) >= _BY_BOTH:
        raise _stopped()
    many = _failed(store, here) >= _BY_ADDRESS or _failed(store, person) >= _BY_PERSON
    if many and not _signed_in_before(store, here & person):
        raise _stopped()


def keep_try(store: Session, name: str, address: str, *, good: bool) -> None:
    """Count one try; a good one forgives those before it from the same address."""
    long_ago = dt.datetime.now(dt.UTC) - _KNOWN_FOR
    store.execute(delete(SignInTry).where(SignInTry.at < long_ago))
    if good:
        same = (SignInTry.address == address) & (SignInTry.name == name)
        store.execute(delete(SignInTry).where(same))
    store.add(SignInTry(name=name, address=address, good=good))


def _failed(store: Session, which: ColumnElement[bool]) -> int:
    since = dt.datetime.now(dt.UTC) - _WITHIN
    return store.scalar(select(func.count()).where(which, ~SignInTry.good, SignInTry.at > since)) or 0


def _signed_in_before(store: Session, which: ColumnElement[bool]) -> bool:
    return store.scalar(select(SignInTry.id).where(which, SignInTry.good).limit(1)) is not None


def _stopped() -> TooManyTries:
    return TooManyTries("Too many tries have failed from here.", remedy="Wait ten minutes, then try again.")
