"""All records of a site's record types as a file: what to have before anything changes there."""

from __future__ import annotations

import codecs
import csv
import datetime as dt
import io
import re
import time
import zipfile
from collections.abc import Iterator, Sequence
from typing import Any

import orjson

from datorum.core.errors import NotReady
from datorum.core.model import RecordType
from datorum.core.plan import at
from datorum.core.table.csv_writer import inert
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site
from datorum.stations.snapshots import ready_snapshots
from datorum.store.database import session
from datorum.store.snapshots import BODY, GIVEN, chunks


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


def _cell(value: Any) -> str:
    """A value as text; a list as JSON, of lines the first that is told by ``at``."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return inert(orjson.dumps(value).decode() if isinstance(value, dict | list) else str(value))


def backup_of(site_id: int, names: Sequence[str]) -> Iterator[bytes]:
    """A ZIP of a site's snapshot: each record type as lines of JSON, as the site gave it, and as a table of its
    described fields; made while it is sent, so that it is never in memory as a whole.

    ``names``: record types; all that were read, where none is named. Raises NotFound, and NotReady where one of them
    was not read yet.
    """
    with session() as store:
        site = get_site(store, site_id)
        ready = ready_snapshots(store, site_id)
        for name in names:
            description_of(site).type(name)
        missing = [name for name in names if name not in ready]
        if missing or not ready:
            what = ", ".join(missing) or "the site"
            raise NotReady(f"Nothing was read of {what} yet.", remedy="Read its records first.")
        for name in names or ready:
            ready[name].downloaded_at = dt.datetime.now(dt.UTC)
        chosen = [(name, ready[name].id, description_of(ready[name]).type(name).record_type) for name in names or ready]
    return _zipped(chosen)


def _zipped(chosen: list[tuple[str, int, RecordType]]) -> Iterator[bytes]:
    out = _Passing()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, snapshot_id, kind in chosen:
            for suffix, written in (("ndjson", _lines), ("csv", _table)):
                with archive.open(_entry(f"{name}.{suffix}"), "w", force_zip64=True) as whole:
                    for part in written(snapshot_id, kind):
                        whole.write(part)
                        yield out.taken()
    yield out.taken()


def _lines(snapshot_id: int, _kind: RecordType) -> Iterator[bytes]:
    """Each record as JSON on a line of its own, as the site gave it."""
    with session() as store:
        for chunk in chunks(store, snapshot_id, [BODY, GIVEN]):
            yield b"".join((given or body) + b"\n" for body, given in chunk.select(BODY, GIVEN).iter_rows())


def _table(snapshot_id: int, kind: RecordType) -> Iterator[bytes]:
    """The described fields of each record as a row."""
    paths = [field.path for field in kind.fields]
    out = io.StringIO(newline="")
    rows = csv.writer(out)
    rows.writerow(map(inert, paths))
    yield codecs.BOM_UTF8
    with session() as store:
        for chunk in chunks(store, snapshot_id, [BODY]):
            for body in map(orjson.loads, chunk[BODY]):
                rows.writerow(_cell(at(body, path)) for path in paths)
            yield out.getvalue().encode()
            out.seek(0)
            out.truncate()
    yield out.getvalue().encode()


def _entry(name: str) -> zipfile.ZipInfo:
    entry = zipfile.ZipInfo(re.sub(r"[^\w.-]", "_", name), time.localtime()[:6])
    entry.compress_type = zipfile.ZIP_DEFLATED
    return entry
