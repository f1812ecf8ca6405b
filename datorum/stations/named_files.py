"""The files that an import's values name: what it was given of them, and which are missing."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.check import is_fed
from datorum.core.errors import NotFound, NotReady, UnreadableFile
from datorum.core.files import Files, HeldFile, media_of
from datorum.core.model import Field, FieldType
from datorum.core.shape.whole import chosen
from datorum.core.steps.landing import land
from datorum.core.table.unpacking import files_beside_sheets, holds_files, may_be_sheet, members_of, opened_zip
from datorum.core.typed import typed
from datorum.settings import settings
from datorum.stations import work
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened, get_import, open_import
from datorum.stations.landings import scope_of, selection_of
from datorum.stations.links import links_fed, rule_of
from datorum.stations.remembered import Remembered
from datorum.store import contents, models
from datorum.store.contents import Owner
from datorum.store.people import record
from datorum.store.records import RecordRows

_SHOWN = 200


class MissingFile(BaseModel):
    """A value that names a file which cannot be handed in, and why, as a predicate."""

    value: str
    why: str


class Archive(BaseModel):
    """What an archive, or a file by itself, has brought; under no name what was fetched."""

    name: str
    files: int


class Fetching(BaseModel):
    """Files that are being fetched, so many of all. ``state``: waiting, going, stopped or failed."""

    state: str
    error: str
    done: int
    total: int | None


class FilesView(BaseModel):
    """Of the files that values name: by how many different values, how many of those are ``found``, and how many are
    addresses ``to_fetch``; the first of the others that are missing. ``fields``: the titles of what they feed; none
    where nothing takes files. ``held``: how many there are, of ``size`` bytes, and how they came."""

    fields: list[str]
    named: int
    found: int
    to_fetch: int
    missing: list[MissingFile]
    held: int
    size: int
    archives: list[Archive]
    of_migration: int
    fetching: Fetching | None


def known_files(store: Session, now: Opened) -> Files:
    """The files that values of an import may name."""
    return Files(contents.named(store, Owner(now.item.id))) if takes_files(now) else Files()


def takes_files(now: Opened) -> list[Field]:
    """The fed fields of an import whose values name files: its own, and the links of which the records are made with
    their files."""
    own = [field for field in now.record_type.writable
           if field.type is FieldType.FILE and is_fed(now.mapping, field.path)]  # fmt: skip
    return [*own, *(now.record_type.field(path) for path in _links_of_files(now))]


def _links_of_files(now: Opened) -> Iterator[str]:
    types = description_of(now.item).types
    for path, link in links_fed(now, now.mapping).items():
        rule = rule_of(now, now.mapping, path)
        if rule.of_files and rule.missing == "make" and types[link.to].file_field is not None:
            yield path


def may_take_files(now: Opened) -> list[str]:
    """The titles of the fields of an import, fed or not, that can take files."""
    types = description_of(now.item).types
    links = description_of(now.item).type(now.item.record_type).links
    own = [field.title for field in now.record_type.writable if field.type is FieldType.FILE]
    return [*own, *(now.record_type.field(link.field).title for link in links
                    if link.to in types and types[link.to].file_field is not None)]  # fmt: skip


_NAMED: Remembered[list[str]] = Remembered(64)


def references(store: Session, now: Opened) -> list[str]:
    """The different values of an import that name files. Somebody may ask all the time while they are fetched."""
    sheets = (now.sheet.id, *dict(now.source().beside).values())
    state = (sheets, now.revision, now.mapping.model_dump_json())
    return _NAMED.get(now.item.id, state, lambda: _references(store, now))


def _references(store: Session, now: Opened) -> list[str]:
    fields = takes_files(now)
    if not fields:
        return []
    records, selection = RecordRows(store, now.source()), selection_of(store, now, now.mapping)
    scope = scope_of(now, now.mapping)
    found: dict[str, None] = {}
    for frame in records.parts():
        grains = records.made(chosen(records.shapes, frame, selection))
        for field in fields:
            fed = now.mapping.resolved(now.mapping.fields[field.path], field.path)
            seen = grains.seen_from(field.in_list, fed.seen_columns())
            values = land(seen, fed, scope).distinct.values
            if field.type is FieldType.LIST:
                values = typed(field, values.cast(pl.String)).values.explode()
            found |= dict.fromkeys(values.drop_nulls().unique(maintain_order=True).to_list())
    return list(found)


def add_files(store: Session, by: str, import_id: int, filename: str, path: Path) -> int:
    """Take in the files of an archive, or a file by itself, that values of an import name. Gives how many there are.
    Raises UnreadableFile."""
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    return keep_files(store, by, Owner(import_id), filename, path)


def keep_files(store: Session, by: str, owner: Owner, filename: str, path: Path) -> int:
    """Take in the files of an archive that are no sheets, or a file by itself. Gives how many there are. Raises
    UnreadableFile where one is too large, or the archive cannot be unpacked."""
    count = 0
    if holds_files(path):
        with tempfile.TemporaryDirectory(prefix="datorum-", dir=settings().limits.scratch) as scratch:
            for name, at in files_beside_sheets(path, Path(scratch), settings().limits):
                _keep(store, owner, name, at, filename)
                count += 1
    else:
        _keep(store, owner, filename, path, filename)
        count = 1
    record(store, by, "files added", _said_of(owner), file=filename, files=count)
    return count


_NO_SHEETS = ("image/", "audio/", "video/", "application/pdf")


def is_file_only(path: Path, filename: str) -> bool:
    """Whether a file is no sheet and holds none: a picture, or an archive of pictures."""
    if holds_files(path):
        with opened_zip(path) as archive:
            return not any(map(may_be_sheet, members_of(archive)))
    with path.open("rb") as file:
        return media_of(filename, file.read(4096)).startswith(_NO_SHEETS)


def _said_of(owner: Owner) -> str:
    return f"import {owner.import_id}" if owner.import_id is not None else f"migration {owner.migration_id}"


def _keep(store: Session, owner: Owner, name: str, path: Path, came_in: str) -> None:
    size = path.stat().st_size
    if size > settings().file_bytes:
        raise UnreadableFile(
            f"“{name}” has {size:,} bytes; {settings().file_bytes:,} is the limit of a file.",
            remedy="Make it smaller, or raise DATORUM_FILE_BYTES.",
        )
    contents.keep_named(store, owner, name, path, came_in)


def forget_files(store: Session, by: str, import_id: int) -> None:
    """Let go of the files that an import was given. Those of its migration stay."""
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    gone = contents.forget_named(store, Owner(import_id))
    record(store, by, "files removed", f"import {import_id}", files=gone)


def files_view(store: Session, import_id: int) -> FilesView:
    """Which files an import's values name, and which are here."""
    now = open_import(store, import_id)
    files, asked = known_files(store, now), references(store, now)
    fates = [(value, files.find(value)) for value in asked]
    to_fetch = sum(files.lacks(value) for value in asked)
    missing = [MissingFile(value=value, why=fate) for value, fate in fates if isinstance(fate, str)]
    here = held_by(store, Owner(import_id))
    return FilesView(
        fields=may_take_files(now), named=len(asked), found=sum(isinstance(fate, HeldFile) for _, fate in fates),
        to_fetch=to_fetch, missing=missing[:_SHOWN], held=here.files, size=here.size,
        archives=[Archive(name=name, files=count) for name, count in here.came_in.items()],
        of_migration=held_by(store, Owner(migration_id=now.item.migration_id)).files if now.item.migration_id else 0,
        fetching=_fetching(store, import_id),
    )  # fmt: skip


def _fetching(store: Session, import_id: int) -> Fetching | None:
    now = work.under_way(store, "fetch", import_id)
    return Fetching(state=now.state, error=now.error, done=now.done, total=now.total) if now is not None else None


class Here(NamedTuple):
    """The files of an owner: how many, of how many bytes, how many of them cannot be handed in, and by the archives
    that they came in how many; those that were fetched came in none."""

    files: int
    size: int
    amiss: int
    came_in: dict[str, int]


def held_by(store: Session, owner: Owner) -> Here:
    """An owner's own files."""
    file, content = models.NamedFile, models.FileContent
    asked = (
        select(file.came_in, func.count(), func.coalesce(func.sum(content.size), 0), func.count(content.sha256))
        .outerjoin(content, content.sha256 == file.sha256)
        .where(owner.own)
        .group_by(file.came_in)
        .order_by(file.came_in)
    )
    found = store.execute(asked).all()
    files = sum(count for _, count, _, _ in found)
    return Here(files, sum(int(size) for _, _, size, _ in found), files - sum(sound for *_, sound in found),
                {name: count for name, count, _, _ in found})  # fmt: skip


def must_name_addresses(store: Session, now: Opened) -> list[str]:
    """The addresses of files that are still to be fetched. Raises NotReady where there are none."""
    files = known_files(store, now)
    found = [value for value in references(store, now) if files.lacks(value)]
    if not found:
        raise NotReady("No file is named by an address that is still to be fetched.", remedy="There is nothing to do.")
    return found


def content_of(store: Session, file: HeldFile) -> bytes:
    """The bytes of a file that a plan hands in. Raises NotFound where they are gone."""
    data = contents.content(store, file.sha256)
    if not data:
        raise NotFound(f"The file “{file.name}” is not here any more.", remedy="Add it again, and rehearse again.")
    return data
