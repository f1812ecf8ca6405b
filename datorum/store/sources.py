"""Where bytes come from: the sources of a site, each with what it gave, kept as it came."""

from __future__ import annotations

import hashlib
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from sqlalchemy import delete, exists, insert, or_, select
from sqlalchemy.orm import Session

from datorum.store.models import (
    CheckResult,
    DrawnSheet,
    DroppedSheet,
    Original,
    OriginalPart,
    Plan,
    Source,
    StoredSheet,
)

_PART = 4 * 1024 * 1024


def keep_file(store: Session, by: str, site_id: int, filename: str, path: Path) -> Original:
    """Keep a file's bytes as they came, a part at a time, as a source of a site. The same file is kept once."""
    sha256 = _digest(path)
    known = store.scalar(
        select(Original)
        .join(Source, Source.id == Original.source_id)
        .where(Source.site_id == site_id, Original.filename == filename, Original.sha256 == sha256)
        .order_by(Original.id.desc())
        .limit(1)
    )
    if known is not None:
        return known
    source = Source(site_id=site_id, name=filename, by=by)
    store.add(source)
    store.flush()
    original = Original(source_id=source.id, filename=filename, size=path.stat().st_size, sha256=sha256)
    store.add(original)
    store.flush()
    for number, data in enumerate(_parts(path)):
        store.execute(insert(OriginalPart).values(original_id=original.id, number=number, data=data))
    return original


def _digest(path: Path) -> str:
    digest = hashlib.sha256()
    for data in _parts(path):
        digest.update(data)
    return digest.hexdigest()


def _parts(path: Path) -> Iterator[bytes]:
    with path.open("rb") as file:
        yield from iter(lambda: file.read(_PART), b"")


@contextmanager
def original_path(store: Session, original: Original) -> Iterator[Path]:
    """The file as it came, on disk for as long as the context lasts."""
    parts = select(OriginalPart.data).where(OriginalPart.original_id == original.id).order_by(OriginalPart.number)
    with tempfile.NamedTemporaryFile(prefix="datorum-") as file:
        for data in store.scalars(parts.execution_options(yield_per=1)):
            file.write(data)
        file.flush()
        yield Path(file.name)


def forget_unused(store: Session, site_id: int) -> None:
    """Forget the sources of a site on which no import draws, that are of no migration, and on which nothing rests that
    was checked or rehearsed."""
    store.flush()
    using = (DrawnSheet, DroppedSheet, CheckResult, Plan)
    rests = [exists().where(kept.sheet_id == StoredSheet.id) for kept in using]
    used = select(Original.source_id).join(StoredSheet, StoredSheet.original_id == Original.id).where(or_(*rests))
    store.execute(delete(Source).where(Source.site_id == site_id, Source.id.not_in(used)))
