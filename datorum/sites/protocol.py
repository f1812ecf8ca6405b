"""What every site can do for a run, whatever it is made of."""

from __future__ import annotations

from collections.abc import AsyncIterator, Collection
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, Protocol

from datorum.core.model import Field, SiteRecord


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
    nobody knows whether it was done. ``wait`` after one that is ``DONE``: the site takes no more for so long.
    ``message`` is what the site said.
    """

    outcome: Outcome
    record: SiteRecord | None = None
    status: int | None = None
    message: str = ""
    wait: float | None = None


Pages = AsyncIterator[tuple[list[SiteRecord], int | None]]
"""Records a page at a time, each page with how many there are in all, where the site says."""


class Site(Protocol):
    """One record type of one site. Reading raises SiteUnavailable or SiteRefused."""

    def read_all(self) -> Pages:
        """All records, as far as the site gives them: ``snapshot.read_whole`` sees to it that none is missing."""
        ...

    def finds_by(self, key: Field) -> bool:
        """Whether the site can be asked for the records of one key; if not, ``find`` reads all of it."""
        ...

    async def find(self, key: Field, values: Collection[str]) -> dict[str, list[SiteRecord]]:
        """The records whose ``key`` is one of some values, by ``key_text`` of the key. All values are looked for in
        one reading where the site cannot be asked for one."""
        ...

    async def read(self, record_id: str) -> SiteRecord | None:
        """One record with its entity tag, or None where it is gone."""
        ...

    async def create(self, values: dict[str, Any], *, send_mail: bool, key: str | None = None) -> Answer:
        """Create a record from values by dotted path. ``key`` is the same whenever this record is sent again; sites
        that keep it make the record once."""
        ...

    async def update(self, record_id: str, etag: str | None, values: dict[str, Any], *, send_mail: bool) -> Answer:
        """Change these fields of a record; with an entity tag, only while the record is still that version."""
        ...
