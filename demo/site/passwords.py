"""The members' passwords: kept as digests (scrypt, RFC 7914)."""

from __future__ import annotations

import base64
import hashlib
import secrets


def sealed(password: str) -> str:
    """What is kept of a password."""
    salt = secrets.token_bytes(16)
    return f"{_text(salt)}${_text(_digest(password, salt))}"


def fits(password: str, kept: str) -> bool:
    """Whether a password is the one that was kept."""
    salt, _, digest = kept.partition("$")
    return secrets.compare_digest(_text(_digest(password, base64.b64decode(salt))), digest)


def _digest(password: str, salt: bytes) -> bytes:
    return hashlib.scrypt(password.encode(), salt=salt, n=2**12, r=8, p=1)


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()
