"""Files that a run has handed in, held against what the site gives back: by their bytes, or else by their size."""

from __future__ import annotations

import hashlib
import re
import tempfile
from collections.abc import Iterable
from pathlib import Path
from typing import Any, NamedTuple

from datorum.core.errors import DatorumError
from datorum.core.files import HeldFile, file_meant, said_of_file
from datorum.core.model import FieldType, PlanRow, SiteRecord
from datorum.core.plan import at
from datorum.core.verify import Mismatch
from datorum.settings import settings
from datorum.sites import SiteType
from datorum.sites.files import Fetcher, each_in_turn, open_fetcher

_AT_ONCE = 8
_SIZE = re.compile(r"(?i)^(file_?)?(size|bytes|length|filesize|content_?length)(_?(in_?)?bytes)?$")


class SentFile(NamedTuple):
    """A file that was handed in for a record, with where the site gives it back, and how large it says that it is."""

    row: PlanRow
    path: str
    file: HeldFile
    address: str | None
    size: int | None


class FilesProof(NamedTuple):
    """``by_bytes`` of the files were fetched back, ``by_size`` are known by their size alone, and of the others nothing
    is told; ``differ``: those that are not what was sent."""

    by_bytes: int
    by_size: int
    untold: int
    differ: list[Mismatch]

    @property
    def told(self) -> dict[str, int] | None:
        """What is kept of it with a verification; nothing where no file was handed in."""
        if not self.by_bytes + self.by_size + self.untold:
            return None
        return {"by_bytes": self.by_bytes, "by_size": self.by_size, "untold": self.untold, "differ": len(self.differ)}


def files_sent(kind: SiteType, rows: Iterable[PlanRow], found: dict[str, SiteRecord]) -> list[SentFile]:
    """The files among what was sent for records of a type; ``found``: what the site has of these, by id."""
    address, size = kind.file_address_at, _size_field(kind)
    sent = []
    for row in rows:
        body = found[row.record_id].body if row.record_id in found else {}
        for path, change in row.changes.items():
            file = file_meant(change.after)
            if file is not None:
                given, said = at(body, address) if address else None, at(body, size) if size else None
                sent.append(SentFile(row, path, file, given if isinstance(given, str) else None, _number(said)))
    return sent


def _number(value: Any) -> int | None:
    return value if isinstance(value, int) and not isinstance(value, bool) else None


def _size_field(kind: SiteType) -> str | None:
    return next((field.path for field in kind.fields if field.type is FieldType.INTEGER
                 and field.read_only and _SIZE.match(field.path.rpartition(".")[2])), None)  # fmt: skip


async def files_proven(sent: list[SentFile]) -> FilesProof:
    """Fetch back what the site gives an address of, and compare all. A file that does not come counts as different."""
    differ: list[Mismatch] = []
    with_address = [one for one in sent if one.address]
    with tempfile.TemporaryDirectory(prefix="datorum-", dir=settings().limits.scratch) as scratch:
        async with open_fetcher(allow_private=settings().allow_private_sites, connections=_AT_ONCE) as fetcher:

            async def held_against(one: SentFile, number: int) -> None:
                what = await _fetched(fetcher, one, Path(scratch) / str(number))
                if what is not None:
                    differ.append(_mismatch(one, what))

            await each_in_turn(with_address, _AT_ONCE, held_against)
    by_size = [one for one in sent if not one.address and one.size is not None]
    differ += [_mismatch(one, f"{one.size:,} bytes") for one in by_size if one.size != one.file.size]
    return FilesProof(len(with_address), len(by_size), len(sent) - len(with_address) - len(by_size), differ)


async def _fetched(fetcher: Fetcher, one: SentFile, target: Path) -> str | None:
    """What the site has in the place of a file, in words; None where it is that file."""
    try:
        await fetcher.fetch(one.address or "", target, max(settings().file_bytes, one.file.size))
    except DatorumError as error:
        return f"nothing: {error.message.rstrip('.')}"
    with target.open("rb") as file:
        same = hashlib.file_digest(file, "sha256").hexdigest() == one.file.sha256
        return None if same else f"another file, of {file.tell():,} bytes"


def _mismatch(one: SentFile, found: str) -> Mismatch:
    item = one.row.item if one.row.of_item is None else one.row.of_item
    return Mismatch(item=item, record_id=one.row.record_id, key=one.row.key, field=one.path,
                    sent=said_of_file(one.file), found=found)  # fmt: skip
