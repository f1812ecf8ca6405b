"""An import and the four things that every station asks of it: sheet, mapping, record type, policy."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidMapping, NotFound, Place
from datorum.core.model import FieldType, Mapping, Policy, RecordType, kept_mapping
from datorum.sites import SiteType
from datorum.stations.descriptions import description_of
from datorum.stations.rules import record_type_of, record_types_of
from datorum.store import models
from datorum.store.latest import latest_of
from datorum.store.people import record
from datorum.store.records import RecordSource
from datorum.store.rows import SheetRows
from datorum.store.sheets import no_such_sheet, sheets_drawn_on


@dataclass(frozen=True)
class Opened:
    """An import as it stands now."""

    item: models.Import
    sheet: models.StoredSheet
    mapping_version: int
    mapping: Mapping
    record_type: RecordType
    rows: SheetRows
    beside: dict[str, models.StoredSheet]
    mapped_by: str

    def source(self, mapping: Mapping | None = None) -> RecordSource:
        """What records are made of under a mapping, which need not be saved."""
        shapes = (mapping or self.mapping).shape
        beside = {name: sheet.id for name, sheet in self.beside.items()}
        return RecordSource.of(self.item.id, self.sheet.id, self.revision, shapes, beside)

    def sheet_in(self, role: str) -> models.StoredSheet:
        """The sheet in a role, the main one without. Raises NotFound."""
        if role and role not in self.beside:
            raise no_such_sheet(role)
        return self.beside[role] if role else self.sheet

    def rows_in(self, store: Session, role: str) -> SheetRows:
        """The rows of the sheet in a role. Raises NotFound."""
        return SheetRows(store, self.sheet_in(role), self.item.id, role) if role else self.rows

    @property
    def policy(self) -> Policy:
        return Policy.model_validate(self.item.policy)

    @property
    def revision(self) -> int:
        """Counts the changes to the rows by hand."""
        return self.item.revision

    @property
    def titles(self) -> dict[str, str]:
        """The fields' titles by path."""
        return {field.path: field.title for field in self.record_type.fields}


def get_import(store: Session, import_id: int) -> models.Import:
    """Raises NotFound."""
    item = store.get(models.Import, import_id)
    if item is None:
        raise no_such_import(import_id)
    return item


def no_such_import(import_id: int) -> NotFound:
    """The error for an import that is not there, or not any more."""
    return NotFound(f"There is no import {import_id}.", remedy="Look at the list of imports.")


def open_import(store: Session, import_id: int) -> Opened:
    """The import with its latest sheet and mapping. Raises NotFound."""
    found = open_imports(store, [import_id])
    if import_id not in found:
        raise no_such_import(import_id)
    return found[import_id]


def open_imports(store: Session, numbers: Collection[int]) -> dict[int, Opened]:
    """Those of some imports that are there, with their latest sheets and mappings. Raises NotFound where one has no
    sheet."""
    kept, version = models.Import, models.MappingVersion
    items = list(store.scalars(select(kept).where(kept.id.in_(numbers)).order_by(kept.id)))
    versions = latest_of(store, version.import_id, numbers, kind=version)
    drawn = sheets_drawn_on(store, numbers)
    types = record_types_of(store, items)
    return {item.id: _opened(store, item, versions[item.id], drawn.get(item.id, {}), types[item.id]) for item in items}


def _opened(
    store: Session, item: models.Import, version: models.MappingVersion, drawn: dict[str, models.StoredSheet],
    record_type: RecordType,
) -> Opened:  # fmt: skip
    if "" not in drawn:
        raise no_such_sheet("")
    beside = {role: sheet for role, sheet in drawn.items() if role}
    rows, mapping = SheetRows(store, drawn[""], item.id), kept_mapping(version.body)
    return Opened(item, drawn[""], version.version, mapping, record_type, rows, beside, version.created_by)


def latest_mapping(store: Session, import_id: int) -> models.MappingVersion:
    """The mapping that counts; version 1 is as it was suggested, and nobody has changed it."""
    return latest_of(store, models.MappingVersion.import_id, [import_id], kind=models.MappingVersion)[import_id]


def mapping_version(store: Session, import_id: int, version: int) -> Mapping | None:
    """A mapping as it was in one of its versions, if there is such a version."""
    body = store.scalar(
        select(models.MappingVersion.body).where(
            models.MappingVersion.import_id == import_id, models.MappingVersion.version == version
        )
    )
    return kept_mapping(body) if body is not None else None


def rename(store: Session, by: str, import_id: int, name: str) -> None:
    """Call an import by another name."""
    item = get_import(store, import_id)
    record(store, by, "import renamed", f"import {import_id}", before=item.name, after=name)
    item.name = name


def set_policy(store: Session, by: str, import_id: int, policy: Policy) -> None:
    """Change what happens on a match, on no match, to single fields and records, and with mail. Raises NotFound, and
    InvalidMapping where the policy names what the records have not, or wants what the site cannot do."""
    item = get_import(store, import_id)
    kind = description_of(item).type(item.record_type)
    if policy.on_no_match == "create" and not kind.creates:
        raise InvalidMapping(
            f"The site makes no {kind.title.lower()}: a record is made in its first language, and translated then.",
            remedy="Have what is not on the site held, or left out.",
        )
    _must_fit(policy, record_type_of(store, item), can_delete=_deletes(item))
    record(store, by, "policy changed", f"import {import_id}", before=item.policy, after=policy.model_dump())
    item.policy = policy.model_dump()


def first_policy(kind: SiteType) -> Policy:
    """The policy that an import begins with: nothing is created where the site has no way to."""
    return Policy() if kind.creates else Policy(on_no_match="hold")


def _deletes(item: models.Import) -> bool:
    return description_of(item).type(item.record_type).delete is not None


def _must_fit(policy: Policy, kind: RecordType, *, can_delete: bool) -> None:
    """Raises InvalidMapping."""
    for path in policy.fields:
        kind.field(path)
    alone = [key[0] for key in policy.keys if len(key) == 1]
    together = [path for key in policy.keys if len(key) > 1 for path in key]
    for paths, possible in ((alone, kind.possible_keys), (together, kind.key_parts)):
        for path in (path for path in paths if path not in possible):
            raise InvalidMapping(
                f"Records cannot be told apart by {path}.",
                remedy=f"Choose among {', '.join(kind.possible_keys) or 'no fields: there are none'}.",
                place=Place(field=path),
            )
    if not all(policy.keys):
        raise InvalidMapping("A key of the policy has no field.", remedy="Choose one, or take the key out.")
    lists = [path for path, one in policy.fields.items()
             if one.items != "as a whole" and kind.field(path).type is not FieldType.LIST]  # fmt: skip
    if lists:
        raise InvalidMapping(
            f"{kind.field(lists[0]).title} is no list that anything could be added to or taken from.",
            remedy="Have it written as a whole.",
            place=Place(field=lists[0]),
        )
    if (policy.clear_first or policy.unnamed == "delete") and not can_delete:
        raise InvalidMapping(
            f"The site has no way to delete {kind.name}.", remedy="Have the records listed, and delete them there."
        )
