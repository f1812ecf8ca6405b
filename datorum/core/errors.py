"""What can go wrong, said so that a person can act on it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from pydantic import BaseModel


class Place(BaseModel, frozen=True):
    """Where a problem stands; every part that is known is named."""

    file: str | None = None
    row: int | None = None
    column: str | None = None
    field: str | None = None
    step: int | None = None
    """Which of the field's steps, counted from 1."""


class DatorumError(Exception):
    """A problem with a code for programs, a sentence and a remedy for people, a place, and, where the caller has to
    choose, what stands there now.

    The API turns it into problem details (RFC 9457), the command line into one line and exit status 2.
    """

    code = "error"

    def __init__(
        self, message: str, *, remedy: str = "", place: Place | None = None, current: dict[str, Any] | None = None
    ) -> None:
        super().__init__(message)
        self.message = message
        self.remedy = remedy
        self.place = place or Place()
        self.current = current

    def sentence(self) -> str:
        """The problem and its remedy in one line."""
        return f"{self.message} {self.remedy}".strip()


_SAID = {"extra_forbidden": "is not known here", "missing": "is missing"}
_PARTS_OF_A_REQUEST = ("body", "query", "path")


def fault_of(error: Mapping[str, Any]) -> tuple[str, str]:
    """Where a value that was validated is at fault, with points between the names, and what is wrong there."""
    where = ".".join(str(part) for part in error["loc"] if part not in _PARTS_OF_A_REQUEST)
    return where, _SAID.get(error["type"], str(error["msg"]).removeprefix("Value error, "))


def step_at(loc: Sequence[int | str]) -> dict[str, str | int]:
    """The step of a mapping that a fault of validation lies in, and the field, where the mapping is of several."""
    if "steps" not in loc or loc[-1] == "steps":
        return {}
    at = loc.index("steps")
    number = loc[at + 1]
    if not isinstance(number, int):
        return {}
    field = {"field": loc[at - 1]} if at > 1 and loc[at - 2] == "fields" else {}
    return {**field, "step": number + 1}


class UnreadableFile(DatorumError):
    """The bytes cannot be read as a sheet."""

    code = "unreadable-file"


class InvalidMapping(DatorumError):
    """The mapping names a column, field or step that does not fit."""

    code = "invalid-mapping"


class InvalidOverlay(DatorumError):
    """Corrections of a site's document that cannot be read, or laid over it."""

    code = "invalid-overlay"


class InvalidFormula(DatorumError):
    """The formula does not read, or names what is not there."""

    code = "invalid-formula"


class InvalidCorrection(DatorumError):
    """The correction names a row or column that is not there, or cannot be kept."""

    code = "invalid-correction"


class NotFound(DatorumError):
    """There is no such thing, or not any more."""

    code = "not-found"


class Conflict(DatorumError):
    """The state has moved on since the caller last looked."""

    code = "conflict"


class NotReady(DatorumError):
    """An earlier station must be settled first."""

    code = "not-ready"


class Stopped(DatorumError):
    """Somebody asked for work under way to stop."""

    code = "stopped"


class SiteUnavailable(DatorumError):
    """The site does not answer, or not as its description says."""

    code = "site-unavailable"


class AnotherRecord(SiteUnavailable):
    """The site was asked for one record, and gave another: what is taken for its id is none, or it was merged."""


class SiteRefused(DatorumError):
    """The site answered that it will not let Datorum in."""

    code = "site-refused"


class AnotherServer(DatorumError):
    """A site's description names a server elsewhere, and nobody has said yet that the token may go there."""

    code = "another-server"


class NotSignedIn(DatorumError):
    """Nobody is signed in, or the name and password do not match."""

    code = "not-signed-in"


class NotAllowed(DatorumError):
    """The signed-in person's role does not permit this."""

    code = "not-allowed"


def error_sentence(error: BaseException) -> str:
    """An error as a sentence to keep: a domain error with its remedy, of a group the first, else what it says."""
    if isinstance(error, BaseExceptionGroup):
        return error_sentence(error.exceptions[0])
    if isinstance(error, DatorumError):
        return error.sentence()
    return f"{type(error).__name__}: {error}" if str(error) else type(error).__name__
