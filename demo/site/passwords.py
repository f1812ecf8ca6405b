"""The members' passwords: kept as digests (scrypt, RFC 7914), or as the hashes that another site had of them."""

from __future__ import annotations

import base64
import hashlib
import secrets
import warnings

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerificationError

with warnings.catch_warnings():
    # It is gone from the library of later versions; this one has it, and with it what Debian's libcrypt can.
    warnings.simplefilter("ignore", DeprecationWarning)
    import crypt


def sealed(password: str) -> str:
    """What is kept of a password."""
    salt = secrets.token_bytes(16)
    return f"{_text(salt)}${_text(_digest(password, salt))}"


def fits(password: str, kept: str) -> bool:
    """Whether a password is the one that was kept."""
    if kept.startswith("$2b$"):
        return secrets.compare_digest(crypt.crypt(password, kept), kept)
    if kept.startswith("$argon2"):
        try:
            return PasswordHasher().verify(kept, password)
        except (VerificationError, InvalidHashError):
            return False
    salt, _, digest = kept.partition("$")
    return secrets.compare_digest(_text(_digest(password, base64.b64decode(salt))), digest)


def _digest(password: str, salt: bytes) -> bytes:
    return hashlib.scrypt(password.encode(), salt=salt, n=2**12, r=8, p=1)


def _text(data: bytes) -> str:
    return base64.b64encode(data).decode()
