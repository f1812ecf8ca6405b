"""Passwords: which are good enough, kept as argon2id hashes, never more than two worked on at a time."""

from __future__ import annotations

import secrets
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from functools import lru_cache

from argon2 import PasswordHasher
from argon2.exceptions import VerificationError
from zxcvbn import zxcvbn

from datorum.core.errors import DatorumError

LEAST = 12
_LONGEST_JUDGED = 72
_GUESSES = 1e8
"""Passwords that are found within so many guesses are common words, names, dates and patterns in a row."""
_AT_ONCE = 2
_PATIENCE = 10.0
_hasher = PasswordHasher()
_turns = threading.BoundedSemaphore(_AT_ONCE)


class WeakPassword(DatorumError):
    """The password is too short, or among those that are tried first."""

    code = "weak-password"


class Busy(DatorumError):
    """Too many people sign in at the same time."""

    code = "busy"


def hashed(password: str, *, about: tuple[str, ...] = ()) -> str:
    """The hash of a new password. ``about``: words that it must not be made of, such as the person's name.

    Raises WeakPassword.
    """
    if len(password) < LEAST:
        raise WeakPassword(f"The password has fewer than {LEAST} characters.", remedy="Take a few words in a row.")
    if zxcvbn(password[:_LONGEST_JUDGED], user_inputs=["datorum", *about])["guesses"] < _GUESSES:
        raise WeakPassword(
            "The password is among those that are tried first.",
            remedy="Take a few words in a row that are not a saying.",
        )
    with _a_turn():
        return _hasher.hash(password)


def fits(password: str, kept: str | None) -> bool:
    """Whether a password is the one whose hash is kept; without one, it takes as long and is not."""
    with _a_turn():
        try:
            return _hasher.verify(kept or _nobody(), password) and kept is not None
        except VerificationError:
            return False


@contextmanager
def _a_turn() -> Iterator[None]:
    """One of the few that may be worked on: each takes 64 MB of memory and much of a processor."""
    if not _turns.acquire(timeout=_PATIENCE):
        raise Busy("Many people are signing in just now.", remedy="Try again in a few seconds.")
    try:
        yield
    finally:
        _turns.release()


@lru_cache
def _nobody() -> str:
    return _hasher.hash(secrets.token_hex())
