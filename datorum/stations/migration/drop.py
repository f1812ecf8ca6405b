"""Files dropped for a migration: each of their sheets recognised, and begun as an import or joined to one."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path, PurePath
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict, NotFound, UnreadableFile
from datorum.core.model import Field, RecordType
from datorum.core.shape.kinds.second_sheet import second_sheet
from datorum.core.suggest.across import OpenLink, OtherSheet, links_across
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.recognise import LIKELY, Guess, Kind, recognised
from datorum.sites import keys_of_links
from datorum.stations.archive import have_run, remove_import
from datorum.stations.descriptions import description_of
from datorum.stations.feeds_of_files import feed_with_files, not_worked_on
from datorum.stations.files import opened
from datorum.stations.imports import Opened, get_import, latest_mapping, open_import
from datorum.stations.links import links_of
from datorum.stations.migration.migrations import get_migration, imports_of
from datorum.stations.named_files import is_file_only, keep_files
from datorum.stations.read import begin_import, plain_name, suggest_anew
from datorum.stations.sources import Given, given, read_of
from datorum.store import models
from datorum.store.contents import Owner
from datorum.store.people import record
from datorum.store.sheets import Progress, draw_on, drawn_on, first_rows, load_profiles, quietly, sheets_in_roles
from datorum.store.sources import forget_unused, keep_file


class Unread(BaseModel):
    """A sheet of a file that cannot be read, and why."""

    sheet: str
    why: str


def drop_file(
    store: Session, by: str, migration_id: int, filename: str, path: Path, progress: Progress = quietly
) -> list[Unread]:
    """Read a file with all of its sheets, and take in what of it is none, such as pictures. Sheets that are recognised
    begin an import each; those that hold what the
    records of another have several of are joined to that; the others wait to be decided on. Gives the sheets that
    cannot be read. Raises NotFound, and UnreadableFile where none can."""
    migration = get_migration(store, migration_id, lock=True)
    filename = plain_name(filename)
    if is_file_only(path, filename):
        keep_files(store, by, Owner(migration_id=migration_id), filename, path)
        for item in imports_of(store, migration_id):
            feed_with_files(store, item.id)
        return []
    with opened(path, filename) as file:
        source = Given(keep_file(store, by, migration.site_id, filename, path), file)
        there = _sheets_there(store, migration_id)
        found, unread = [], list[Unread]()
        for name in [ref.name for ref in file.sheets] or [""]:
            try:
                sheet = read_of(store, source, name, progress)
            except UnreadableFile as error:
                if len(file.sheets) <= 1:
                    raise
                unread.append(Unread(sheet=name, why=error.message))
                continue
            if sheet.id not in there and sheet.rows:
                found.append(_dropped(store, migration, sheet))
        if not found and unread:
            raise UnreadableFile(f"None of its sheets can be read: {unread[0].why}", remedy="Export it anew.")
        store.add_all(found)
        store.flush()
        record(store, by, "file dropped", f"migration {migration_id}", file=filename, sheets=len(found))
        # Those that make whole records come first: what they draw on beside them needs no import of its own.
        for one in sorted(found, key=lambda one: (not _is_whole(one), one.id)):
            best = guesses_of(one)[0] if one.guesses else None
            if best is not None and best.score >= LIKELY and one.import_id is None:
                _begin(store, by, migration, one, best.record_type, source)
        beside = bool(file.attachments)
    if beside:
        keep_files(store, by, Owner(migration_id=migration_id), filename, path)
    _join_parts(store, by, migration, found)
    link_across(store, migration)
    fresh = {one.import_id for one in found if one.import_id is not None}
    for item in imports_of(store, migration_id):
        # What came before knows of the files that there were.
        if beside or item.id in fresh:
            feed_with_files(store, item.id)
    return unread


def link_across(store: Session, migration: models.Migration) -> None:
    """Have the links of imports that nobody has worked on be looked for as the other sheets of the migration tell."""
    description = description_of(migration.site)
    opened = [open_import(store, item.id) for item in imports_of(store, migration.id)]
    frames = {one.item.id: first_rows(store, one.sheet) for one in opened}
    for now in opened:
        if not not_worked_on(store, now.item.id):
            continue
        of = now.record_type
        links = [OpenLink(of.field(link.field), link.to, link.many) for link in links_of(now).values()
                 if not of.field(link.field).in_list and link.to in description.types]  # fmt: skip
        others = [OtherSheet(one.item.record_type, frames[one.item.id], _unique_columns(one))
                  for one in opened if one.item.id != now.item.id]  # fmt: skip
        profiles = load_profiles(store, now.sheet.id)
        found = links_across(now.mapping, frames[now.item.id], profiles, links, others)
        if found:
            fields = {**now.mapping.fields, **{path: one.fed for path, one in found.items()}}
            rules = {**now.mapping.links, **{path: one.rule for path, one in found.items()}}
            changed = now.mapping.model_copy(update={"fields": fields, "links": rules})
            latest_mapping(store, now.item.id).body = changed.model_dump(mode="json")
    store.flush()


def _unique_columns(now: Opened) -> dict[str, Field]:
    """The columns of a sheet that feed, as they are, what the site keeps unique."""
    return {
        fed.columns[0]: now.record_type.field(path)
        for path, fed in now.mapping.fields.items()
        if len(fed.columns) == 1 and now.record_type.field(path).unique
    }


def guesses_of(dropped: models.DroppedSheet) -> list[Guess]:
    """What kinds of record a sheet may be of, the likeliest first."""
    return [Guess.model_validate(one) for one in dropped.guesses]


def undecided(store: Session, migration_id: int) -> Sequence[models.DroppedSheet]:
    """The sheets of a migration of which nobody has said what they are, and that are like nothing the site has."""
    of = models.DroppedSheet
    return store.scalars(
        select(of).where(of.migration_id == migration_id, of.import_id.is_(None)).order_by(of.id)
    ).all()


def decide(store: Session, by: str, migration_id: int, dropped_id: int, record_type: str) -> models.Import:
    """Have a sheet be of a kind of record, whatever it was taken for. Raises NotFound, and Conflict where what it was
    taken for has run."""
    migration = get_migration(store, migration_id, lock=True)
    one = _get_dropped(store, migration_id, dropped_id)
    description_of(migration.site).type(record_type)
    _give_up(store, by, one)
    with given(store, one.sheet.original) as source:
        item = _begin(store, by, migration, one, record_type, source)
    _join_parts(store, by, migration, [one])
    link_across(store, migration)
    return item


def let_go(store: Session, by: str, migration_id: int, dropped_id: int) -> None:
    """Have a sheet be of a migration no more, with the import that was begun with it. Raises NotFound, and Conflict
    where that has run."""
    migration = get_migration(store, migration_id, lock=True)
    one = _get_dropped(store, migration_id, dropped_id)
    _give_up(store, by, one)
    record(store, by, "sheet let go", f"migration {migration_id}", file=one.sheet.original.filename)
    store.delete(one)
    forget_unused(store, migration.site_id)


def _get_dropped(store: Session, migration_id: int, dropped_id: int) -> models.DroppedSheet:
    one = store.get(models.DroppedSheet, dropped_id)
    if one is None or one.migration_id != migration_id:
        raise NotFound(f"The migration has no sheet {dropped_id}.", remedy="Look at its board.")
    return one


def _give_up(store: Session, by: str, one: models.DroppedSheet) -> None:
    """Have no import draw on a sheet of a migration. Raises Conflict where one has run that does."""
    if one.import_id is None:
        return
    item = get_import(store, one.import_id)
    if item.id in have_run(store):
        raise Conflict(f"“{item.name}” has run with it.", remedy="Take the run back, or drop the file anew.")
    if one.role:
        raise Conflict(
            f"The records of “{item.name}” draw on it.", remedy="Have rows make records without it, at Read, first."
        )
    others = models.DroppedSheet
    for other in store.scalars(select(others).where(others.import_id == item.id)):
        other.import_id, other.role = None, ""
    store.flush()
    remove_import(store, by, item.id)


def _sheets_there(store: Session, migration_id: int) -> set[int]:
    of = models.DroppedSheet
    return set(store.scalars(select(of.sheet_id).where(of.migration_id == migration_id)))


def _dropped(store: Session, migration: models.Migration, sheet: models.StoredSheet) -> models.DroppedSheet:
    called = f"{sheet.original.filename} {sheet.dialect.get('sheet') or ''}"
    first, profiles = first_rows(store, sheet), load_profiles(store, sheet.id)
    guesses = [one for one in recognised(kinds_of(migration.site), first, profiles, called) if one.score > 0]
    return models.DroppedSheet(
        migration_id=migration.id, sheet_id=sheet.id, sheet=sheet,
        guesses=[one.model_dump() for one in guesses[:_OFFERED]],
    )  # fmt: skip


_OFFERED = 4


def kinds_of(site: models.Site) -> list[Kind]:
    """The kinds of record that sheets to a site may be of. What is the same in a further language looks the same."""
    description = description_of(site)
    return [
        Kind(one.record_type.without_files, tuple(LinkKey(*key) for key in keys_of_links(description.types, name)))
        for name, one in description.usable.items()
        if one.translates is None
    ]


def _is_whole(one: models.DroppedSheet) -> bool:
    """Whether a sheet has all that the records need of which it is taken to be."""
    best = guesses_of(one)[0] if one.guesses else None
    return best is not None and best.needed_fed == best.needed


def _begin(
    store: Session, by: str, migration: models.Migration, one: models.DroppedSheet, record_type: str, source: Given
) -> models.Import:
    item = begin_import(store, by, migration.site_id, record_type, source, one.sheet)
    item.name = _name_for(store, migration.id, item, one.sheet)
    item.migration_id = migration.id
    one.import_id = item.id
    drawn = {sheet.id: role for role, sheet in sheets_in_roles(store, item.id).items()}
    of = models.DroppedSheet
    for other in store.scalars(select(of).where(of.migration_id == migration.id, of.sheet_id.in_(drawn))):
        other.import_id, other.role = item.id, drawn[other.sheet_id]
    store.flush()
    return item


def _name_for(store: Session, migration_id: int, item: models.Import, sheet: models.StoredSheet) -> str:
    """A name that no other import of a migration has: that of the kind of record, with that of the sheet where there
    are several of a kind."""
    taken = {one.name for one in imports_of(store, migration_id) if one.id != item.id}
    further = [sheet.dialect.get("sheet") or "", PurePath(sheet.original.filename).stem, str(item.id)]
    names = [item.name, *(f"{item.name}, {word}" for word in further if word)]
    return next((name for name in names if name not in taken), names[-1])


class _Candidate(NamedTuple):
    """An import whose records may have several of something, and its main sheet."""

    item: models.Import
    kind: RecordType
    frame: pl.DataFrame


def _join_parts(store: Session, by: str, migration: models.Migration, fresh: Sequence[models.DroppedSheet]) -> None:
    """Join sheets that make no whole records by themselves to those whose records have several of what they hold,
    where either is fresh."""
    of = models.DroppedSheet
    all_dropped = store.scalars(select(of).where(of.migration_id == migration.id).order_by(of.id)).all()
    parts = [one for one in all_dropped if not one.role and not _is_whole(one) and _untouched(store, one)]
    wholes = list(_candidates(store, migration, all_dropped))
    new = {one.id for one in fresh}
    of_fresh = {one.import_id for one in fresh}
    for part in parts:
        frame = first_rows(store, part.sheet)
        for whole in wholes:
            is_new = part.id in new or whole.item.id in of_fresh
            may_join = part.import_id != whole.item.id and is_new and _joins(whole, part, frame)
            if may_join and _joined(store, by, whole.item, part):
                break


def _candidates(
    store: Session, migration: models.Migration, dropped: Sequence[models.DroppedSheet]
) -> Iterator[_Candidate]:
    description = description_of(migration.site)
    for one in dropped:
        if one.import_id is None or one.role or not _is_whole(one) or not _untouched(store, one):
            continue
        item = get_import(store, one.import_id)
        kind = description.type(item.record_type).record_type
        if kind.lists:
            yield _Candidate(item, kind, first_rows(store, one.sheet))


def _untouched(store: Session, one: models.DroppedSheet) -> bool:
    """Whether nobody has worked yet on what a sheet was taken for."""
    return one.import_id is None or not_worked_on(store, one.import_id)


def _joins(whole: _Candidate, part: models.DroppedSheet, frame: pl.DataFrame) -> bool:
    name = part.sheet.original.filename
    return any(True for into in whole.kind.lists for _ in second_sheet(whole.frame, name, frame, into))


def _joined(store: Session, by: str, item: models.Import, part: models.DroppedSheet) -> bool:
    """Have an import draw on a sheet beside its own, where that makes more of its records. Whether it does."""
    role = part.sheet.dialect.get("sheet") or part.sheet.original.filename
    draw_on(store, item.id, part.sheet, role)
    mapping = suggest_anew(store, item)
    if not any(role in shape.sheets for shape in mapping.shape):
        drawn = store.get_one(models.DrawnSheet, (item.id, role))
        store.delete(drawn)
        store.flush()
        suggest_anew(store, item)
        return False
    _give_up(store, by, part)
    part.import_id, part.role = item.id, role
    record(store, by, "sheet joined", f"import {item.id}", sheet=role, to=drawn_on(store, item.id).original.filename)
    store.flush()
    return True
