"""Who may sign in, who is signed in, and the audit log."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from functools import lru_cache
from typing import Any

from argon2 import PasswordHasher
from argon2.exceptions import VerifyMismatchError
from sqlalchemy import delete, func, select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotSignedIn
from datorum.store.models import AuditEntry, Person, SignIn

ROLES = ("administrator", "editor", "viewer")
_STAYS = dt.timedelta(days=14)
_TRIES = 10
_TRIES_WITHIN = dt.timedelta(minutes=10)
_hasher = PasswordHasher()


def add_person(session: Session, name: str, password: str, role: str) -> Person:
    """Add somebody. Raises Conflict where the name is taken."""
    if session.scalar(select(Person).where(Person.name == name)):
        raise Conflict(f"There is a person called {name} already.", remedy="Choose another name.")
    person = Person(name=name, password_hash=_hasher.hash(password), role=role)
    session.add(person)
    return person


def sign_in(session: Session, name: str, password: str) -> Person:
    """The person with this name and password. Raises NotSignedIn."""
    person = session.scalar(select(Person).where(Person.name == name))
    try:
        _hasher.verify(person.password_hash if person else _nobody(), password)
    except VerifyMismatchError:
        person = None
    if person is None:
        raise NotSignedIn("The name and the password do not match.", remedy="Try again, or ask an administrator.")
    return person


def too_many_tries(session: Session, name: str) -> bool:
    """Whether sign-ins under this name have failed too often of late."""
    since = dt.datetime.now(dt.UTC) - _TRIES_WITHIN
    failed = select(func.count()).where(
        AuditEntry.action == "sign-in failed", AuditEntry.subject == name, AuditEntry.at > since
    )
    return (session.scalar(failed) or 0) >= _TRIES


def open_sign_in(session: Session, person: Person) -> tuple[str, SignIn]:
    """The token for the browser's cookie, and what is kept of it."""
    token = secrets.token_urlsafe(32)
    kept = SignIn(
        token_digest=_digest(token),
        person_id=person.id,
        csrf=secrets.token_urlsafe(24),
        expires_at=dt.datetime.now(dt.UTC) + _STAYS,
    )
    session.execute(delete(SignIn).where(SignIn.expires_at < func.now()))
    session.add(kept)
    return token, kept


def find_sign_in(session: Session, token: str) -> SignIn | None:
    """The sign-in of a cookie's token, where it still holds."""
    return session.scalar(select(SignIn).where(SignIn.token_digest == _digest(token), SignIn.expires_at > func.now()))


def close_sign_in(session: Session, token: str) -> None:
    session.execute(delete(SignIn).where(SignIn.token_digest == _digest(token)))


def record(session: Session, person: str, action: str, subject: str, **detail: Any) -> None:
    """Write one change of data to the audit log."""
    session.add(AuditEntry(person=person, action=action, subject=subject, detail=detail))


@lru_cache
def _nobody() -> str:
    """Checked against when the name is unknown, so that a wrong name takes as long as a wrong password."""
    return _hasher.hash(secrets.token_hex())


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
