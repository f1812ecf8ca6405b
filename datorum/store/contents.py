"""Files that values name: what an import or a migration was given of them, and their bytes, each once."""

from __future__ import annotations

import hashlib
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

from sqlalchemy import ColumnElement, delete, exists, func, insert, or_, select
from sqlalchemy.orm import Session

from datorum.core.files import HeldFile, amiss, media_of, name_of
from datorum.store.models import FileContent, FileContentPart, Import, NamedFile

_PART = 4 * 1024 * 1024
_HEAD = 64 * 1024


class Owner(NamedTuple):
    """Whose files they are: those of an import, or those of a migration for all of its imports."""

    import_id: int | None = None
    migration_id: int | None = None

    @property
    def own(self) -> ColumnElement[bool]:
        """The files that are its own."""
        if self.import_id is not None:
            return NamedFile.import_id == self.import_id
        return NamedFile.migration_id == self.migration_id

    @property
    def seen(self) -> ColumnElement[bool]:
        """The files that it can use: its own, and of an import those of its migration."""
        if self.import_id is None:
            return self.own
        of = select(Import.migration_id).where(Import.id == self.import_id).scalar_subquery()
        return or_(self.own, NamedFile.migration_id == of)


def keep_named(store: Session, owner: Owner, came_by: str, path: Path, came_in: str = "") -> str:
    """Keep a file in the place of one that came by the same. Gives what is wrong with it, empty where nothing is."""
    size, name = path.stat().st_size, name_of(came_by)
    with path.open("rb") as file:
        head = file.read(_HEAD)
    kind = media_of(name, head)
    problem = amiss(name, kind, size)
    sha256 = None if problem else _keep_content(store, path, size, kind)
    replace_named(store, owner, came_by, came_in, sha256, problem)
    return problem


def replace_named(
    store: Session, owner: Owner, came_by: str, came_in: str, sha256: str | None, problem: str
) -> None:  # fmt: skip
    """Have a file be known by how it came, in the place of what was known by that."""
    store.execute(delete(NamedFile).where(owner.own, NamedFile.came_by == came_by))
    store.add(NamedFile(import_id=owner.import_id, migration_id=owner.migration_id, came_by=came_by, came_in=came_in,
                        sha256=sha256, problem=problem))  # fmt: skip
    store.flush()


def _keep_content(store: Session, path: Path, size: int, media: str) -> str:
    with path.open("rb") as file:
        sha256 = hashlib.file_digest(file, "sha256").hexdigest()
    if store.get(FileContent, sha256) is None:
        store.add(FileContent(sha256=sha256, size=size, media=media))
        store.flush()
        with path.open("rb") as file:
            for number, data in enumerate(iter(lambda: file.read(_PART), b"")):
                store.execute(insert(FileContentPart).values(sha256=sha256, number=number, data=data))
    return sha256


def named(store: Session, owner: Owner) -> Iterator[tuple[str, HeldFile | str]]:
    """The files that an owner can use, by how each came; of one that cannot be handed in why not."""
    asked = (
        select(NamedFile.came_by, NamedFile.problem, FileContent.sha256, FileContent.size, FileContent.media)
        .outerjoin(FileContent, FileContent.sha256 == NamedFile.sha256)
        .where(owner.seen)
        .order_by(NamedFile.id)
    )
    for came_by, problem, sha256, size, media in store.execute(asked):
        yield came_by, problem or HeldFile(name_of(came_by), sha256, size, media)


def state_of(store: Session, owner: Owner) -> str:
    """What tells whether an owner's files are those that they were."""
    count, last = store.execute(select(func.count(), func.max(NamedFile.id)).where(owner.seen)).one()
    return f"{count} {last}" if count else ""


def content(store: Session, sha256: str) -> bytes:
    """The bytes of a file; none where they are gone."""
    parts = select(FileContentPart.data).where(FileContentPart.sha256 == sha256).order_by(FileContentPart.number)
    return b"".join(store.scalars(parts))


def forget_named(store: Session, owner: Owner) -> int:
    """Let go of an owner's own files. Gives how many there were."""
    gone = store.execute(delete(NamedFile).where(owner.own).returning(NamedFile.id)).all()
    forget_contents(store)
    return len(gone)


def forget_contents(store: Session) -> None:
    """Let go of the bytes that no file has any more."""
    store.flush()
    store.execute(delete(FileContent).where(~exists().where(NamedFile.sha256 == FileContent.sha256)))
