"""What every site can do for a run, whatever it is made of."""

from __future__ import annotations

from collections.abc import AsyncIterator
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Protocol

from datorum.core.model import SiteRecord


class Outcome(StrEnum):
    """What became of one request that changes something."""

    DONE = "done"
    REFUSED = "refused"
    LATER = "later"
    IN_DOUBT = "in doubt"


@dataclass(frozen=True)
class Answer:
    """A site's answer to a create or update.

    ``LATER``: nothing was done, try again, after ``wait`` seconds if given. ``IN_DOUBT``: the connection broke and
    nobody knows whether it was done. ``message`` is what the site said.
    """

    outcome: Outcome
    record: SiteRecord | None = None
    status: int | None = None
    message: str = ""
    wait: float | None = None


class Site(Protocol):
    """One record type of one site. Reading raises SiteUnavailable or SiteRefused."""

    def read_all(self) -> AsyncIterator[tuple[list[SiteRecord], int | None]]:
        """All records a page at a time, each page with how many there are in all, where the site says."""
        ...

    async def find(self, path: str, value: str) -> list[SiteRecord]:
        """The records whose field at ``path`` is ``value``."""
        ...

    async def read(self, record_id: str) -> SiteRecord | None:
        """One record with its entity tag, or None where it is gone."""
        ...

    async def create(self, values: dict[str, Any], *, send_mail: bool) -> Answer:
        """Create a record from values by dotted path."""
        ...

    async def update(self, record_id: str, etag: str | None, values: dict[str, Any], *, send_mail: bool) -> Answer:
        """Change these fields of a record; with an entity tag, only while the record is still that version."""
        ...
