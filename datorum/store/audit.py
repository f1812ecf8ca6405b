"""The audit log, chained: each entry is sealed with a hash of it and of the seal before, so that one that was removed
or altered shows."""

from __future__ import annotations

import datetime as dt
import hashlib
import json
from collections.abc import Iterator, Sequence
from typing import NamedTuple

from sqlalchemy import Text, cast, func, or_, select
from sqlalchemy.orm import Session

from datorum.store.models import AuditEntry, AuditSeal
from datorum.store.queries import QUERIES

_TOGETHER = 2_000


class Fault(NamedTuple):
    """Where the chain is broken: the number of the seal, the entry that it is of, and what is wrong."""

    number: int
    audit_id: int
    what: str


def seal_new(store: Session) -> int:
    """Seal what was written since the last time. Entries of transactions that are still under way wait, so that none is
    passed over. How many were sealed."""
    if not store.scalar(QUERIES["alone_at_sealing"]):
        return 0
    number, before = _last(store)
    waiting = store.scalars(QUERIES["unsealed"], {"count": _TOGETHER}).all()
    entries = store.scalars(select(AuditEntry).where(AuditEntry.id.in_(waiting)).order_by(AuditEntry.id))
    for entry in entries:
        number += 1
        before = _hash(number, before, entry)
        store.add(AuditSeal(number=number, audit_id=entry.id, hash=before))
    return len(waiting)


def last_seal(store: Session) -> tuple[int, str]:
    """The number of the last seal, and its hash in hexadecimal figures."""
    number, digest = _last(store)
    return number, digest.hex()


def _last(store: Session) -> tuple[int, bytes]:
    last = store.scalars(select(AuditSeal).order_by(AuditSeal.number.desc()).limit(1)).first()
    return (last.number, last.hash) if last is not None else (0, b"")


def _hash(number: int, before: bytes, entry: AuditEntry) -> bytes:
    told = [number, before.hex(), entry.id, entry.at.astimezone(dt.UTC).isoformat(), entry.person, entry.action,
            entry.subject, entry.detail]  # fmt: skip
    return hashlib.sha256(json.dumps(told, sort_keys=True, ensure_ascii=True).encode()).digest()


def faults(store: Session) -> Iterator[Fault]:
    """Where the chain is broken, from its beginning; nothing where it is whole."""
    number, before = 0, b""
    while rows := store.execute(
        select(AuditSeal, AuditEntry)
        .outerjoin(AuditEntry, AuditEntry.id == AuditSeal.audit_id)
        .where(AuditSeal.number > number)
        .order_by(AuditSeal.number)
        .limit(_TOGETHER)
    ).all():
        for seal, entry in rows:
            if seal.number != number + 1:
                yield Fault(number + 1, 0, f"{seal.number - number - 1:,} seals are missing")
            elif entry is None:
                yield Fault(seal.number, seal.audit_id, "the entry was removed")
            elif _hash(seal.number, before, entry) != seal.hash:
                yield Fault(seal.number, seal.audit_id, "the entry was altered")
            number, before = seal.number, seal.hash


def entries(
    store: Session, search: str = "", before: int | None = None, count: int = 100
) -> tuple[Sequence[AuditEntry], int]:
    """Entries in which all words of a text stand, the latest first, those before a number; and how many there are."""
    asked = select(AuditEntry)
    for word in search.split():
        columns = (AuditEntry.person, AuditEntry.action, AuditEntry.subject, cast(AuditEntry.detail, Text))
        asked = asked.where(or_(*(column.icontains(word, autoescape=True) for column in columns)))
    total = store.scalar(asked.with_only_columns(func.count(AuditEntry.id))) or 0
    if before is not None:
        asked = asked.where(AuditEntry.id < before)
    return store.scalars(asked.order_by(AuditEntry.id.desc()).limit(count)).all(), total
