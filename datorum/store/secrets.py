"""Site credentials, sealed while they rest (Fernet: AES-128-CBC with HMAC-SHA-256)."""

from __future__ import annotations

import os
from functools import lru_cache

from cryptography.fernet import Fernet, InvalidToken

from datorum.core.errors import DatorumError
from datorum.settings import settings


class WrongSecretKey(DatorumError):
    """What was sealed cannot be opened with this key."""

    code = "wrong-secret-key"


def seal(text: str) -> bytes:
    """Encrypt a credential for keeping."""
    return _fernet().encrypt(text.encode())


def unseal(sealed: bytes) -> str:
    """Decrypt it for use. Raises WrongSecretKey where it was sealed with another key."""
    try:
        return _fernet().decrypt(sealed).decode()
    except InvalidToken:
        raise WrongSecretKey(
            "The site's token was sealed with another key.",
            remedy="Set DATORUM_SECRET_KEY to the key it was sealed with, or connect the site again.",
        ) from None


@lru_cache
def _fernet() -> Fernet:
    return Fernet(secret_key())


def secret_key() -> bytes:
    """The secret of this installation, which is made where there is none."""
    key = settings().secret_key
    if key:
        return key.encode()
    path = settings().home / "secret.key"
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        with os.fdopen(os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600), "wb") as file:
            file.write(Fernet.generate_key())
    except FileExistsError:
        pass
    return path.read_bytes()
