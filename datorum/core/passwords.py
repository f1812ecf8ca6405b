"""Stored password hashes: which fields take them, and how a site wants them spelled."""

from __future__ import annotations

import re
from collections.abc import Iterable

import polars as pl

from datorum.core.model import Field, FieldType
from datorum.core.patterns import pattern
from datorum.core.profile.kinds import hash_format
from datorum.core.said import said

NO_HASH = said(
    "no stored password",
    "has no stored password",
    "Such people have to choose a new one: invite them after the run, from the list of what warns.",
)
HASH_AS_PASSWORD = said(
    "hash as password",
    "is a stored hash, not a password",
    "The site would take it for the password itself. Feed a field that takes hashes, or leave it out and invite them.",
)
_FORMATS = ("password-hash", "phc")
_SAME = ("$2a$", "$2b$", "$2x$", "$2y$")
"""Spellings of one algorithm (bcrypt), between which programs differ."""


def _words(field: Field) -> str:
    return re.sub(r"[^a-z]", "", field.path.rpartition(".")[2].lower())


def takes_hash(field: Field) -> bool:
    """Whether a field takes a stored hash of a password."""
    word = _words(field)
    return field.format in _FORMATS or ("pass" in word and ("hash" in word or "crypt" in word or "digest" in word))


def takes_password(field: Field) -> bool:
    """Whether a field takes a password as somebody types it."""
    return field.type is FieldType.TEXT and not takes_hash(field) and (
        field.format == "password" or _words(field) in ("password", "passwd", "userpass", "pass", "userpassword")
    )  # fmt: skip


def without_hash(field: Field, values: pl.Series) -> pl.Series:
    """Which of some landed values, null where blank, leave somebody without a stored password."""
    return values.is_null() if takes_hash(field) else pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)


def hash_for_password(field: Field, values: pl.Series) -> pl.Series:
    """Which of some landed values a site would take for passwords, and are stored hashes."""
    if not takes_password(field):
        return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)
    return pl.Series([value is not None and hash_format(value) is not None for value in values], dtype=pl.Boolean)


def respelled(field: Field, values: Iterable[str]) -> dict[str, str]:
    """For the beginnings of hashes that a site does not take how it spells them, where the same hash begins otherwise
    there: ``{"$2y$": "$2b$"}``."""
    if not field.pattern:
        return {}
    taken = pattern(field.pattern)
    found: dict[str, str] = {}
    for value in values:
        begins = next((one for one in _SAME if value.startswith(one)), None)
        if begins is None or begins in found or taken.is_in(value):
            continue
        other = next((one for one in _SAME if taken.is_in(one + value[len(begins) :])), None)
        if other is not None:
            found[begins] = other
    return found
