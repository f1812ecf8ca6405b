"""The mapping of an import: its fields, versions, formulas, and what is kept by name."""

from __future__ import annotations

import datetime as dt
from typing import Annotated

from fastapi import APIRouter
from pydantic import BaseModel, Field, StringConstraints

from datorum.api.access import Administrator, Editor, Store, Viewer
from datorum.api.numbers import Id, Place, Role, RowNumber
from datorum.core.mapping import Difference, differences
from datorum.core.model import Field as SiteField
from datorum.core.model import FieldMapping, Mapping, ValueTable, kept_mapping
from datorum.core.profile import ColumnProfile
from datorum.stations import earlier, formula, library, new_fields, versions
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import

router = APIRouter(prefix="/api", tags=["mapping"])
Name = Annotated[str, StringConstraints(strip_whitespace=True, min_length=1, max_length=120)]


class MappingView(BaseModel):
    """The mapping that counts, the fields it can feed, and the columns it can draw on."""

    version: int
    by: str
    mapping: Mapping
    fields: list[SiteField]
    key_candidates: list[str]
    """The fields that may be the match key."""
    key_parts: list[str]
    """Those that may be in it, be it beside others only."""
    columns: list[mapping_station.ColumnView]
    unplaced: list[str]


class SavedMapping(BaseModel):
    version: int


class MappingChange(BaseModel):
    base_version: int
    mapping: Mapping


class FeedQuestion(BaseModel):
    field: str
    columns: tuple[str, ...]


class InspectQuestion(BaseModel):
    """A field under a mapping, saved or not; steps are shown on the record of ``row``, of what it holds on ``line``.
    ``whole`` is the mapping around it."""

    field: str
    mapping: FieldMapping
    row: RowNumber | None = None
    line: Annotated[int, Field(ge=1, le=2**31 - 1)] = 1
    whole: Mapping | None = None


class Comparison(BaseModel):
    """Two mappings of one import."""

    before: Mapping
    after: Mapping


class FormulaQuestion(BaseModel):
    """A formula while it is written: on some records, or what they hold ``in_list``, behind the first ``until`` steps
    of a field."""

    text: Annotated[str, Field(max_length=20_000)]
    rows: Annotated[list[RowNumber], Field(max_length=100)] = []
    field: FieldMapping | None = None
    until: Place = 0
    whole: Mapping | None = None
    in_list: str | None = None


class KeptView(BaseModel):
    """A mapping or value table kept by name."""

    id: int
    name: str
    record_type: str
    by: str
    at: dt.datetime


class KeptMapping(BaseModel):
    name: Name


class KeptTable(BaseModel):
    name: Name
    table: ValueTable


@router.get("/imports/{import_id}/mapping")
def get_mapping(store: Store, _: Viewer, import_id: Id) -> MappingView:
    now = open_import(store, import_id)
    return MappingView(
        version=now.mapping_version,
        by=now.mapped_by,
        mapping=now.mapping,
        fields=list(now.record_type.writable),
        key_candidates=list(now.record_type.possible_keys),
        key_parts=list(now.record_type.key_parts),
        columns=mapping_station.columns_of(store, now),
        unplaced=mapping_station.unplaced_columns(now),
    )


@router.put("/imports/{import_id}/mapping")
def save_mapping(store: Store, by: Editor, import_id: Id, change: MappingChange) -> SavedMapping:
    version = mapping_station.save_mapping(store, by, import_id, change.base_version, change.mapping)
    return SavedMapping(version=version)


@router.get("/imports/{import_id}/mapping/earlier")
def get_earlier(store: Store, _: Viewer, import_id: Id) -> earlier.Earlier | None:
    """An earlier import whose file was much like this one, with its mapping, while nobody has changed this one's."""
    return earlier.earlier_like(store, open_import(store, import_id))


@router.get("/imports/{import_id}/mapping/versions")
def get_versions(store: Store, _: Viewer, import_id: Id) -> list[versions.Version]:
    """The versions of the mapping, the newest first, each with what was changed."""
    return versions.versions_of(store, import_id)


@router.get("/imports/{import_id}/mapping/versions/{version}")
def get_version(store: Store, _: Viewer, import_id: Id, version: Id) -> Mapping:
    return versions.version_of(store, import_id, version)


@router.get("/imports/{import_id}/mapping/versions/{version}/difference")
def get_difference(store: Store, _: Viewer, import_id: Id, version: Id) -> list[Difference]:
    """What the mapping says now otherwise than in an earlier version."""
    return versions.since(store, open_import(store, import_id), version)


@router.post("/imports/{import_id}/mapping/difference")
def compare_mappings(store: Store, _: Viewer, import_id: Id, question: Comparison) -> list[Difference]:
    """What one mapping says otherwise than another, neither of which need be kept."""
    open_import(store, import_id)
    return differences(question.before, question.after)


@router.post("/imports/{import_id}/feed")
def suggest_feed(store: Store, _: Viewer, import_id: Id, question: FeedQuestion) -> FieldMapping:
    """How these columns would feed a field: with steps and a value table that fit. Nothing is saved."""
    return mapping_station.suggested_feed(store, open_import(store, import_id), question.field, question.columns)


@router.post("/imports/{import_id}/inspect")
def inspect_field(store: Store, _: Viewer, import_id: Id, question: InspectQuestion) -> mapping_station.FieldView:
    now = open_import(store, import_id)
    return mapping_station.inspect_field(
        store, now, question.field, question.mapping, question.row, question.whole, question.line
    )


@router.post("/imports/{import_id}/value-table")
def complete_table(store: Store, _: Viewer, import_id: Id, question: InspectQuestion) -> FieldMapping:
    """The field's mapping with every pair added that is beyond doubt. Nothing is saved."""
    now = open_import(store, import_id)
    return mapping_station.completed_table(store, now, question.field, question.mapping)


@router.post("/imports/{import_id}/formula")
def try_formula(store: Store, _: Viewer, import_id: Id, question: FormulaQuestion) -> formula.FormulaView:
    """What a formula makes of some rows. Nothing is saved."""
    now = open_import(store, import_id)
    return formula.try_formula(
        now, question.text, question.rows, question.whole, question.field, question.until, question.in_list
    )


class AddedToSite(BaseModel):
    """A field that the site lacks, by its name in an open part of the records, and the column that is to feed it."""

    part: Annotated[str, Field(min_length=1, max_length=200)]
    name: Annotated[str, Field(min_length=1, max_length=100)]
    title: Annotated[str, Field(max_length=120)] = ""
    column: Annotated[str, Field(min_length=1, max_length=1000)]


@router.get("/imports/{import_id}/new-field")
def get_field_to_add(store: Store, _: Viewer, import_id: Id, column: str) -> new_fields.FieldToAdd:
    """How a column could be a field that the site lacks: in which part of its records, and who makes it there."""
    return new_fields.field_to_add(open_import(store, import_id), column)


@router.post("/imports/{import_id}/new-field", status_code=201)
def add_field_to_site(store: Store, by: Administrator, import_id: Id, new: AddedToSite) -> MappingView:
    """Add a field to the site's records, and feed it by a column; where the site defines its fields by records of their
    own, the next run makes that first."""
    new_fields.add_field(store, by, import_id, new.part, new.name, new.title, new.column)
    return get_mapping(store, by, import_id)


@router.get("/imports/{import_id}/profile")
def get_profile(store: Store, _: Viewer, import_id: Id, column: str, sheet: Role = "") -> ColumnProfile:
    """What a column holds of the sheet in a role."""
    return mapping_station.profile_of(store, open_import(store, import_id), column, sheet)


@router.get("/formulas/functions")
def get_functions(_: Viewer) -> list[formula.FunctionView]:
    """Every function that formulas know."""
    return formula.functions()


@router.get("/kept/mappings")
def list_kept_mappings(store: Store, _: Viewer, record_type: str | None = None) -> list[KeptView]:
    found = library.kept(store, "mapping", record_type)
    return [KeptView.model_validate(one, from_attributes=True) for one in found]


@router.post("/imports/{import_id}/mapping/kept", status_code=201)
def keep_mapping(store: Store, by: Editor, import_id: Id, kept: KeptMapping) -> KeptView:
    """Keep the mapping by name, for other imports; one of the same name is replaced."""
    return KeptView.model_validate(library.keep_mapping(store, by, import_id, kept.name), from_attributes=True)


@router.get("/kept/mappings/{number}")
def get_kept_mapping(store: Store, _: Viewer, number: Id) -> Mapping:
    return kept_mapping(library.get_kept(store, number).body)


@router.get("/kept/tables")
def list_kept_tables(store: Store, _: Viewer) -> list[KeptView]:
    return [KeptView.model_validate(one, from_attributes=True) for one in library.kept(store, "value table")]


@router.post("/kept/tables", status_code=201)
def keep_table(store: Store, by: Editor, kept: KeptTable) -> KeptView:
    """Keep a value table by name; one of the same name is replaced."""
    return KeptView.model_validate(library.keep_table(store, by, kept.name, kept.table), from_attributes=True)


@router.get("/kept/tables/{number}")
def get_kept_table(store: Store, _: Viewer, number: Id) -> ValueTable:
    return ValueTable.model_validate(library.get_kept(store, number).body)


@router.delete("/kept/{number}", status_code=204)
def remove_kept(store: Store, by: Editor, number: Id) -> None:
    library.remove_kept(store, by, number)
