"""All records of a site's record types as a file: what to have before anything changes there."""

from __future__ import annotations

import csv
import io
import re
import tempfile
import time
import zipfile
from collections.abc import AsyncIterator, Iterator, Sequence
from typing import Any, Self

import orjson

from datorum.core.model import RecordType, SiteRecord
from datorum.core.plan import at
from datorum.core.table.csv_writer import inert
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site, opened
from datorum.store.database import session


class _Passing(io.RawIOBase):
    """What is written is handed on, and not kept."""

    def __init__(self) -> None:
        self._waiting: list[bytes] = []
        self._written = 0

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self._waiting.append(bytes(data))
        self._written += len(data)
        return len(data)

    def tell(self) -> int:
        return self._written

    def taken(self) -> bytes:
        """What was written since it was last taken."""
        found = b"".join(self._waiting)
        self._waiting.clear()
        return found


class _Table:
    """Records as rows of their described fields, kept on disk until they are wanted."""

    def __init__(self, kind: RecordType) -> None:
        self._paths = [field.path for field in kind.fields]
        self._file = tempfile.TemporaryFile(prefix="datorum-")  # noqa: SIM115 (closed at the end)
        self._text = io.TextIOWrapper(self._file, "utf-8-sig", newline="")
        self._rows = csv.writer(self._text)
        self._rows.writerow(map(inert, self._paths))

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self._text.close()

    def add(self, record: SiteRecord) -> None:
        self._rows.writerow(_cell(at(record.body, path)) for path in self._paths)

    def parts(self) -> Iterator[bytes]:
        """The whole of it, a part at a time."""
        self._text.flush()
        self._file.seek(0)
        while part := self._file.read(_PART):
            yield part


_PART = 1 << 20


def _cell(value: Any) -> str:
    """A value as text; a list as JSON, of lines the first that is told by ``at``."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return inert(orjson.dumps(value).decode() if isinstance(value, dict | list) else str(value))


def chosen_types(site_id: int, names: Sequence[str]) -> list[str]:
    """The record types that are meant: those named, or all that can be read. Raises NotFound."""
    with session() as store:
        description = description_of(get_site(store, site_id))
    if not names:
        return list(description.usable)
    for name in names:
        description.type(name)
    return list(names)


async def backup_of(site_id: int, names: Sequence[str]) -> AsyncIterator[bytes]:
    """A ZIP with each record type as lines of JSON, as the site gave it, and as a table of its described fields; made
    while the site is read, so that neither is ever in memory as a whole.

    Raises what reading a site does; whoever is sent the file then gets no end of it. Raises NotFound.
    """
    with session() as store:
        site = get_site(store, site_id)
        description = description_of(site)
    out = _Passing()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in names:
            kind = description.type(name).record_type
            # One entry at a time can be written: the table waits beside it.
            with _Table(kind) as table:
                with archive.open(_entry(f"{name}.ndjson"), "w", force_zip64=True) as lines:
                    async with opened(site, description, name) as reached:
                        async for records, _ in reached.read_all():
                            for record in records:
                                lines.write(orjson.dumps(record.body, option=orjson.OPT_APPEND_NEWLINE))
                                table.add(record)
                            yield out.taken()
                with archive.open(_entry(f"{name}.csv"), "w", force_zip64=True) as whole:
                    for part in table.parts():
                        whole.write(part)
                        yield out.taken()
    yield out.taken()


def _entry(name: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(re.sub(r"[^\w.-]", "_", name), time.localtime()[:6])
    entry.compress_type = zipfile.ZIP_DEFLATED
    return entry
