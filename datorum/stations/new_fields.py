"""Fields that a sheet has and a site lacks: added by name to an open part of its records and, where the site has an
operation that defines them, made there by the run before anything means them."""

from __future__ import annotations

import re
from collections.abc import Iterator

import polars as pl
from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.check import as_findings, check
from datorum.core.errors import InvalidMapping, Place
from datorum.core.formula.functions.website import slug
from datorum.core.model import Action, Change, Field, FieldMapping, Mapping, PlanRow, RecordType
from datorum.core.table import FLAG, ROW
from datorum.sites import Correction
from datorum.sites.defining import Definer, definer_of, open_part
from datorum.sites.rest.overlay import AddedField
from datorum.stations import map as mapping_station
from datorum.stations.corrections import correct_type, go_on_with_latest, said_of
from datorum.stations.defined import fields_defined
from datorum.stations.descriptions import description_of, version_of
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import today
from datorum.stations.proof import site_keys
from datorum.stations.snapshots import ready_snapshots

_LONGEST = 60


class PartToAddTo(BaseModel):
    """An open part of the records that a field can be added to. ``made_by``: the record type by which the site has it
    defined, in words; none where any name is taken as it comes, or is to be added on the site by hand."""

    path: str
    title: str
    languages: bool
    made_by: str | None


class FieldToAdd(BaseModel):
    """How a column could be a field of the site's records: in which parts, and under which name."""

    parts: list[PartToAddTo]
    name: str
    title: str


def field_to_add(now: Opened, column: str) -> FieldToAdd:
    """How a column could become a field that the site lacks; in no part where its records take no more."""
    described = description_of(now.item)
    kind = described.type(now.item.record_type)
    parts = []
    for part in kind.open_fields:
        definer = definer_of(described, kind.name, part)
        called = described.type(definer.record_type).title if definer else None
        parts.append(PartToAddTo(path=part.path, title=part.title, languages=part.languages, made_by=called))
    name = str(slug(column)).replace("-", "_")[:_LONGEST].strip("_")
    return FieldToAdd(parts=parts, name=re.sub(r"^[0-9_]+", "", name) or "field", title=column)


def add_field(
    store: Session, by: str, import_id: int, part: str, name: str, title: str, column: str
) -> FieldMapping:  # fmt: skip
    """Add a field to an open part of an import's records, and have a column feed it. Raises InvalidMapping where there
    is no such part or the site takes no such name, and what correcting a description raises."""
    now = open_import(store, import_id)
    described = description_of(now.item)
    kind = described.type(now.item.record_type)
    found = next((one for one in kind.open_fields if one.path == part), None)
    if found is None:
        raise InvalidMapping(
            f"The site’s {kind.name} have no part {part} that takes fields of any name.",
            remedy="Add the field on the site, and read its description anew.",
            place=Place(field=part),
        )
    definer = definer_of(described, kind.name, found)
    _must_be_taken(name, described.type(definer.record_type).record_type.field(definer.name_at) if definer else None)
    path = f"{part}.{name}"
    if path not in {field.path for field in kind.fields}:
        said = said_of(version_of(store, now.item.site).overlay).get(kind.listing.path, Correction())
        # Another import of the site may have had some added that this one does not know of yet.
        if path not in {one.path for one in said.added or ()}:
            added = (*(said.added or ()), AddedField(path=path, title=title.strip()))
            correct_type(store, by, now.item.site_id, kind.name, Correction(added=added))
        go_on_with_latest(store, by, import_id)
    now = open_import(store, import_id)
    feed = mapping_station.suggested_feed(store, now, path, (column,))
    changed = now.mapping.model_copy(update={
        "fields": {**now.mapping.fields, path: feed},
        "left_out": tuple(one for one in now.mapping.left_out if one != column),
    })  # fmt: skip
    mapping_station.save_mapping(store, by, import_id, now.mapping_version, changed)
    return feed


def _must_be_taken(name: str, field: Field | None) -> None:
    """Raises InvalidMapping."""
    if not name.strip() or "." in name or name != name.strip():
        raise InvalidMapping(
            "A field needs a name without points, and without spaces around it.", remedy="Choose another name.",
            place=Place(field="name"),
        )  # fmt: skip
    if field is None:
        return
    alone = field.model_copy(update={"unique": False})
    frame = pl.DataFrame({ROW: [2], FLAG: [None], "name": [name]}, schema_overrides={FLAG: pl.String})
    mapping = Mapping(fields={field.path: FieldMapping(columns=("name",))})
    wrong = as_findings(check(frame, RecordType(name="", title="", fields=(alone,)), mapping, today()).findings)
    blocking = [one for one in wrong if one.blocks]
    if blocking:
        raise InvalidMapping(f"The name “{name}” {blocking[0].message}.", remedy="Choose another name.",
                           place=Place(field="name"))  # fmt: skip


def fields_to_make(store: Session, now: Opened, first: int) -> Iterator[PlanRow]:
    """The records that define the fields which are fed and not there yet, by the last reading of the site. ``first``:
    the number of the first of them, from which they count down."""
    ready = ready_snapshots(store, now.item.site_id)
    number = first
    for path, definer in fields_defined(now, now.mapping).items():
        name = path.rpartition(".")[2]
        kept = ready.get(definer.record_type)
        if kept is not None and name in _there(store, kept.id, definer):
            continue
        changes = {at: Change(after=value) for at, value in definer.changes(name, _title(now, path)).items()}
        yield PlanRow(item=number, action=Action.CREATE, key=name, changes=changes, record_type=definer.record_type)
        number -= 1


def _title(now: Opened, path: str) -> str:
    """What a person calls a field: as it was added, without what says in which part it stands."""
    part = open_part(description_of(now.item).type(now.item.record_type), path)
    title = now.record_type.field(path).title
    return title.removesuffix(f", {part.title.lower()}") if part is not None else title


def _there(store: Session, snapshot_id: int, definer: Definer) -> set[str]:
    """The names that are defined for the same records."""
    kept = pl.DataFrame({path: site_keys(store, snapshot_id, path) for path in (definer.name_at, *definer.always)})
    same = [pl.col(path) == value for path, value in definer.always.items()]
    return set(kept.filter(pl.lit(True), *same)[definer.name_at].drop_nulls())
