"""The installation's own signature (Ed25519, RFC 8032): what it has signed can be held against its public key."""

from __future__ import annotations

import base64
from functools import lru_cache

from cryptography.exceptions import InvalidSignature
from cryptography.hazmat.primitives.asymmetric.ed25519 import Ed25519PrivateKey, Ed25519PublicKey
from cryptography.hazmat.primitives.hashes import SHA256
from cryptography.hazmat.primitives.kdf.hkdf import HKDF
from cryptography.hazmat.primitives.serialization import Encoding, PublicFormat

from datorum.store.secrets import secret_key


def sign(text: str) -> str:
    """The signature of a text, in Base64."""
    return base64.b64encode(_key().sign(text.encode())).decode()


def public_key() -> str:
    """The key that signatures are held against, as PEM."""
    return _key().public_key().public_bytes(Encoding.PEM, PublicFormat.SubjectPublicKeyInfo).decode()


def is_signed(text: str, signature: str) -> bool:
    """Whether a text is as this installation signed it."""
    public: Ed25519PublicKey = _key().public_key()
    try:
        public.verify(base64.b64decode(signature), text.encode())
    except (InvalidSignature, ValueError):
        return False
    return True


@lru_cache
def _key() -> Ed25519PrivateKey:
    # From the one secret that all machines of an installation share, so that all sign alike.
    derived = HKDF(SHA256(), 32, salt=None, info=b"datorum summaries").derive(secret_key())
    return Ed25519PrivateKey.from_private_bytes(derived)
