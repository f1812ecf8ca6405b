"""Who may sign in, who is signed in, and the audit log."""

from __future__ import annotations

import datetime as dt
import hashlib
import secrets
from typing import Any

from sqlalchemy import Row, delete, func, select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound, NotSignedIn
from datorum.store.models import AuditEntry, Person, SignIn
from datorum.store.passwords import fits, hashed
from datorum.store.queries import QUERIES

ROLES = ("administrator", "editor", "viewer")
_STAYS = dt.timedelta(days=14)


def add_person(session: Session, name: str, password: str, role: str) -> Person:
    """Add somebody. Raises Conflict where the name is taken, WeakPassword."""
    if session.scalar(select(Person).where(Person.name == name)):
        raise Conflict(f"There is a person called {name} already.", remedy="Choose another name.")
    person = Person(name=name, password_hash=hashed(password, about=(name,)), role=role)
    session.add(person)
    return person


def sign_in(session: Session, name: str, password: str) -> Person:
    """The person with this name and password. Raises NotSignedIn."""
    person = session.scalar(select(Person).where(Person.name == name))
    if not fits(password, person.password_hash if person else None) or person is None:
        raise NotSignedIn("The name and the password do not match.", remedy="Try again, or ask an administrator.")
    return person


def person_called(session: Session, name: str) -> Person:
    """Raises NotFound."""
    person = session.scalar(select(Person).where(Person.name == name))
    if person is None:
        there = ", ".join(session.scalars(select(Person.name).order_by(Person.name)))
        raise NotFound(f"There is nobody called {name}.", remedy=f"These may sign in: {there or 'nobody yet'}.")
    return person


def set_password(session: Session, name: str, password: str) -> None:
    """Give somebody another password; who is signed in with the old one is signed out. Raises NotFound,
    WeakPassword."""
    person = person_called(session, name)
    person.password_hash = hashed(password, about=(name,))
    sign_out_everywhere(session, name)


def sign_out_everywhere(session: Session, name: str) -> int:
    """End all sign-ins of somebody; how many there were. Raises NotFound."""
    person = person_called(session, name)
    ended = session.scalars(delete(SignIn).where(SignIn.person_id == person.id).returning(SignIn.csrf))
    return len(ended.all())


def remove_person(session: Session, name: str) -> None:
    """Let somebody sign in no more; what they did stays under their name. Raises NotFound, Conflict for the last
    administrator."""
    person = person_called(session, name)
    others = select(func.count()).where(Person.role == "administrator", Person.id != person.id)
    if person.role == "administrator" and not session.scalar(others):
        raise Conflict(f"{name} is the last administrator.", remedy="Add another one first.")
    session.delete(person)


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


def find_sign_in(session: Session, token: str) -> Row[tuple[str, str, str]] | None:
    """The name, the role and the CSRF token of whoever signed in with a cookie's token, where that still holds."""
    # Everybody who looks on is asked for every few seconds.
    return session.execute(QUERIES["sign_in"], {"token": _digest(token)}).first()


def close_sign_in(session: Session, token: str) -> None:
    session.execute(delete(SignIn).where(SignIn.token_digest == _digest(token)))


def record(session: Session, person: str, action: str, subject: str, **detail: Any) -> None:
    """Write one change of data to the audit log."""
    session.add(AuditEntry(person=person, action=action, subject=subject, detail=detail))


def _digest(token: str) -> bytes:
    return hashlib.sha256(token.encode()).digest()
