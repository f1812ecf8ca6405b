"""Imports that nobody has worked on are fed by the columns whose values name files, as far as the files are known."""

from __future__ import annotations

from collections.abc import Iterator

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.files import Files
from datorum.core.model import Field, FieldType
from datorum.core.suggest.files import FileLink, fed_by_files
from datorum.sites import SiteType
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened, latest_mapping, open_import
from datorum.store import contents, models
from datorum.store.contents import Owner
from datorum.store.sheets import first_rows, load_profiles


def not_worked_on(store: Session, import_id: int) -> bool:
    """Whether an import is as it was suggested: nobody has changed its mapping, or rehearsed it."""
    plan = models.Plan
    rehearsed = store.scalar(select(plan.id).where(plan.import_id == import_id).limit(1))
    return latest_mapping(store, import_id).version == 1 and rehearsed is None


def feed_with_files(store: Session, import_id: int) -> bool:
    """Have the fields of an import that take files, and its links to records with files, be fed by the columns that
    name files. Whether any was."""
    if not not_worked_on(store, import_id):
        return False
    now = open_import(store, import_id)
    links, own = list(_links(now)), _own(now)
    if not links and own is None:
        return False
    files = Files(contents.named(store, Owner(import_id)))
    found = fed_by_files(
        now.mapping, first_rows(store, now.sheet), load_profiles(store, now.sheet.id), own, links, files
    )
    if found.fields or found.rules:
        fields, rules = {**now.mapping.fields, **found.fields}, {**now.mapping.links, **found.rules}
        changed = now.mapping.model_copy(update={"fields": fields, "links": rules})
        latest_mapping(store, import_id).body = changed.model_dump(mode="json")
        store.flush()
    return bool(found.fields or found.rules)


def _own(now: Opened) -> Field | None:
    return next((field for field in now.record_type.writable
                 if field.type is FieldType.FILE and not field.in_list), None)  # fmt: skip


def _links(now: Opened) -> Iterator[FileLink]:
    types = description_of(now.item).types
    for link in description_of(now.item).type(now.item.record_type).links:
        kind = types.get(link.to)
        name = name_field(kind) if kind is not None and kind.file_field is not None else None
        if name is not None:
            yield FileLink(now.record_type.field(link.field), link.many, name)


def name_field(kind: SiteType) -> Field | None:
    """The field of records with files that has the file's name: what the site keeps unique of them, or what is called
    so."""
    texts = [field for field in kind.record_type.writable if field.type is FieldType.TEXT and not field.in_list]
    called = [field for field in texts if "name" in field.path.rpartition(".")[2].lower()]
    unique = [field for field in texts if field.unique]
    both = [field for field in called if field.unique]
    return next(iter([*both, *unique, *called]), None)
