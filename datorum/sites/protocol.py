"""What every site can do for a run, whatever it is made of: a few small protocols, one for each kind of verb."""

from __future__ import annotations

from collections.abc import AsyncIterator, Collection, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, NamedTuple, Protocol

from datorum.core.model import Field, SiteRecord


class Outcome(StrEnum):
    """What became of one request that changes something."""

    DONE = "done"
    REFUSED = "refused"
    LATER = "later"
    IN_DOUBT = "in doubt"


@dataclass(frozen=True)
class Answer:
    """A site's answer to a request that changes something.

    ``LATER``: nothing was done, try again, after ``wait`` seconds if given. ``IN_DOUBT``: the connection broke and
    nobody knows whether it was done. ``wait`` after one that is ``DONE``: the site takes no more for so long.
    ``message`` is what the site said.
    """

    outcome: Outcome
    record: SiteRecord | None = None
    status: int | None = None
    message: str = ""
    wait: float | None = None


class Page(NamedTuple):
    """Some records of a reading, with how many there are in all, where the site says, and the mark that the reading
    goes on from after them; no mark where it is over."""

    records: list[SiteRecord]
    total: int | None
    mark: str | None


Pages = AsyncIterator[Page]


class Upload(NamedTuple):
    """A file to be handed in."""

    filename: str
    media: str
    data: bytes


class Can(StrEnum):
    """What a record type of a site allows beside being read, created and changed."""

    UPDATE = "update"
    REPLACES = "replace"
    """A change sends the whole record, which is read just before."""
    FIND = "find"
    DELETE = "delete"
    BULK = "bulk"
    UPLOAD = "upload"
    ACT = "act"
    KEYED = "Idempotency-Key"


class Lists(Protocol):
    """Reading raises SiteUnavailable or SiteRefused."""

    def read_all(self, after: str | None = None) -> Pages:
        """All records, as far as the site gives them, or those after a page's mark: ``snapshot.read_whole`` sees to it
        that none is missing."""
        ...

    async def count(self) -> int | None:
        """How many records there are, where that costs one request."""
        ...

    async def newest(self) -> SiteRecord | None:
        """The record that was changed last, where that costs one request."""
        ...

    def changed_since(self, moment: str) -> Pages | None:
        """The records changed at a moment or after it; None where the site cannot be asked for them."""
        ...


class Finds(Protocol):
    """Looking for single records raises what reading does."""

    async def read(self, record_id: str) -> SiteRecord | None:
        """One record with its entity tag, or None where it is gone."""
        ...

    def finds_by(self, key: Field) -> bool:
        """Whether the site can be asked for the records of one key; if not, ``find`` reads all of it."""
        ...

    async def find(self, key: Field, values: Collection[str]) -> dict[str, list[SiteRecord]]:
        """The records whose ``key`` is one of some values, by ``key_text`` of the key. All values are looked for in
        one reading where the site cannot be asked for one."""
        ...


@dataclass(frozen=True)
class MailRule:
    """Whether a site may send its mail as a rule, and otherwise for ``kinds`` of it by the names of their switches."""

    as_a_rule: bool = False
    kinds: Mapping[str, bool] = field(default_factory=dict)

    def sends(self, kind: str) -> bool:
        """Whether mail of a kind may be sent."""
        return self.kinds.get(kind, self.as_a_rule)


SILENT = MailRule()


class Writes(Protocol):
    async def create(
        self,
        values: dict[str, Any],
        *,
        mail: MailRule = SILENT,
        key: str | None = None,
        like: dict[str, Any] | None = None,
    ) -> Answer:
        """Create a record from values by dotted path. ``key`` is the same whenever this record is sent again; sites
        that keep it make the record once. ``like``: a record as it was, of which it is to have all else."""
        ...

    async def update(
        self,
        record_id: str,
        etag: str | None,
        values: dict[str, Any],
        *,
        mail: MailRule = SILENT,
        was: SiteRecord | None = None,
    ) -> Answer:
        """Change these fields of a record, and no other; with an entity tag, only while the record is still that
        version. ``was``: the record, as it was just read or of that entity tag; else it is read where the change
        cannot be sent without the rest of it. A file goes as ``Upload``; one that a site takes by a request of its own
        is handed in with nothing else."""
        ...


class Deletes(Protocol):
    async def delete(self, record_id: str, etag: str | None = None) -> Answer:
        """Take a record away; with an entity tag, only while it is still that version. One that is gone already counts
        as done."""
        ...


class Bulk(Protocol):
    async def create_many(self, records: Sequence[dict[str, Any]], *, key: str | None = None) -> list[Answer]:
        """Create some records in one request, each from values by dotted path; an answer for each, in order."""
        ...


class Uploads(Protocol):
    async def upload(self, record_id: str | None, file: Upload) -> Answer:
        """Hand in a file for a record, or, where the site takes files by themselves, as a record of its own."""
        ...


class Acts(Protocol):
    @property
    def actions(self) -> tuple[str, ...]:
        """The names of what can be done with a record beside keeping it."""
        ...

    async def act(self, name: str, record_id: str, values: dict[str, Any] | None = None) -> Answer:
        """Do one of the actions with a record."""
        ...


class Takes(Finds, Writes, Protocol):
    """What a run needs: whatever it has sent can be looked up."""


class Site(Lists, Takes, Deletes, Bulk, Uploads, Acts, Protocol):
    """One record type of one site. ``can`` says which verbs it has beside reading and writing; a verb that it has not
    is refused, and nothing is sent."""

    @property
    def can(self) -> frozenset[Can]: ...
