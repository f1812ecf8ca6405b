"""How an import's rows make records: what was found, why, with which counts; changed, and looked at as records."""

from __future__ import annotations

from functools import lru_cache

from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.check import validate_mapping
from datorum.core.model import Mapping, RecordType, keys_of
from datorum.core.shape.grains import RECORD, Grains, own_columns
from datorum.core.shape.kinds import AnyShape
from datorum.core.shape.shape import Found
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.shapes import shapes_of, suggest_feeds
from datorum.core.table import ROW
from datorum.sites import keys_of_links
from datorum.stations.descriptions import description_of
from datorum.stations.earlier import chosen_before
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import shown_records
from datorum.stations.map import save_mapping
from datorum.stations.samples import values_held
from datorum.store.database import session
from datorum.store.records import RecordRows, RecordSource, sheets_beside

_SEEN_ROWS = 65_536


class FoundShape(BaseModel):
    """A shape that the sheet can be seen to have, with what speaks for it, and whether the mapping has it."""

    shape: AnyShape
    sentence: str
    reasons: tuple[str, ...]
    weight: float
    chosen: bool


class SheetBeside(BaseModel):
    """A sheet on which records can draw beside the main one."""

    name: str
    rows: int
    columns: list[str]


class ShapeView(BaseModel):
    """``rows`` make ``records`` by ``shapes``, in words; none where each row is one. ``offered``: the names of the
    file's other sheets; ``lists``: the paths of the lists that a record holds on the site."""

    version: int
    rows: int
    records: int
    shapes: list[AnyShape]
    sentences: list[str]
    reasons: list[str]
    found: list[FoundShape]
    beside: list[SheetBeside]
    offered: list[str]
    lists: list[str]


class RecordOfSheet(BaseModel):
    """A record as the shape makes it: its cells, and of each list its objects' cells; in a tree, how ``deep`` it
    stands."""

    number: int
    row: int
    deep: int = 0
    cells: list[str | None]
    lists: dict[str, list[list[str | None]]]


class RecordsPage(BaseModel):
    """Some records from ``first`` on, of ``total``, with the columns of each grain."""

    total: int
    first: int
    columns: list[str]
    lists: dict[str, list[str]]
    records: list[RecordOfSheet]


def shape_view(store: Session, import_id: int) -> ShapeView:
    """How the rows of an import make records. Raises NotFound."""
    now = open_import(store, import_id)
    records = RecordRows(store, now.source())
    found = _found(store, now)
    known = {one.shape.model_dump_json(exclude={"names"}): one for one in found}
    reasons = [
        reason
        for shape in now.mapping.shape
        if (one := known.get(shape.model_dump_json(exclude={"names"}))) is not None
        for reason in one.reasons
    ]
    return ShapeView(
        version=now.mapping_version,
        rows=now.sheet.rows,
        records=records.total,
        shapes=list(now.mapping.shape),
        sentences=[shape.sentence() for shape in now.mapping.shape],
        reasons=reasons,
        found=found,
        beside=[SheetBeside(name=name, rows=one.rows, columns=one.headers) for name, one in now.beside.items()],
        offered=[ref["name"] for ref in now.sheet.offered if ref["name"] != now.sheet.dialect.get("sheet")],
        lists=sorted(now.record_type.lists),
    )


def _found(store: Session, now: Opened) -> list[FoundShape]:
    beside = tuple(sorted((name, one.id) for name, one in now.beside.items()))
    source = RecordSource.of(now.item.id, now.sheet.id, now.revision, (), {})._replace(beside=beside)
    chosen = {shape.model_dump_json(exclude={"names"}) for shape in now.mapping.shape}
    kind = now.record_type.model_dump_json()
    return [
        FoundShape.model_validate({
            "shape": one.shape.model_dump(), "sentence": one.shape.sentence(), "reasons": one.reasons,
            "weight": one.weight, "chosen": one.shape.model_dump_json(exclude={"names"}) in chosen,
        })
        for one in _seen(source, kind)
    ]  # fmt: skip


@lru_cache(maxsize=16)
def _seen(source: RecordSource, kind: str) -> list[Found]:
    """The shapes that the first rows of a sheet have, which say so where they are not all."""
    with session() as store:
        rows = source.rows(store)
        beside = sheets_beside(store, source.import_id, source.beside)
        frame, whole = rows.beginning().head(_SEEN_ROWS), rows.total <= _SEEN_ROWS
    found = shapes_of(RecordType.model_validate_json(kind), frame, beside)
    if whole:
        return found
    first = f"of the first {frame.height:,} rows: "
    return [one.model_copy(update={"reasons": tuple(first + reason for reason in one.reasons)}) for one in found]


def set_shape(store: Session, by: str, import_id: int, base_version: int, shapes: tuple[AnyShape, ...]) -> int:
    """Have rows make records otherwise. What feeds fields stays where its columns are still there in their grain, and
    is suggested anew where not. Raises Conflict as ``save_mapping`` does."""
    now = open_import(store, import_id)
    validate_mapping(now.mapping.model_copy(update={"shape": shapes}), now.record_type)
    records = RecordRows(store, now.source(now.mapping.model_copy(update={"shape": shapes})))
    grains = shown_records(now.source(now.mapping.model_copy(update={"shape": shapes})),
                           tuple(records.slice(0, _SEEN_ROWS)))  # fmt: skip
    known = tuple(
        shape.knowing(own_columns(grains.lists[shape.into])) if shape.into in grains.lists else shape
        for shape in shapes
    )
    mapping = _refitted(store, now, grains).model_copy(update={"shape": known})
    return save_mapping(store, by, import_id, base_version, mapping)


def _refitted(store: Session, now: Opened, grains: Grains) -> Mapping:
    """The mapping of an import for records that are made otherwise."""
    description = description_of(now.item)
    links = tuple(LinkKey(*one) for one in keys_of_links(description.types, now.item.record_type))
    chosen, held = chosen_before(store, now.item), values_held(store, now.item)
    suggested = suggest_feeds(now.record_type, grains, links, chosen, held)
    stays = {
        path: fed
        for path, fed in now.mapping.fields.items()
        if fed.seen_columns() <= _seen_by(grains, now.record_type.field(path).in_list)
    }
    used = {column for fed in stays.values() for column in fed.columns}
    added = {path: fed for path, fed in suggested.fields.items() if path not in stays and used.isdisjoint(fed.columns)}
    keys = {path: rule for path, rule in suggested.links.items() if path in added}
    key = keys_of(now.mapping.match_key, now.mapping.key_with, stays | added)
    if key["match_key"] is None:
        key["match_key"] = next((path for path in now.record_type.key_candidates if path in stays | added), None)
    return now.mapping.model_copy(update={"fields": stays | added, "links": now.mapping.links | keys, **key})


def _seen_by(grains: Grains, in_list: str | None) -> set[str]:
    """The columns that a field of a grain can draw on as its own."""
    return {*own_columns(grains.of(in_list)), *(own_columns(grains.records) if in_list else ())}


def records_page(store: Session, import_id: int, first: int, count: int) -> RecordsPage:
    """Some records as the shape makes them, those of a tree each below the one above it. Raises NotFound."""
    now = open_import(store, import_id)
    source = now.source()
    records = RecordRows(store, source)
    placed = records.in_tree(first, count)
    deep = dict(placed or [])
    grains = shown_records(source, tuple(deep if placed is not None else records.slice(first, count)))
    columns = own_columns(grains.records)
    of_lists = {path: own_columns(frame) for path, frame in grains.lists.items()}
    objects: dict[str, dict[int, list[list[str | None]]]] = {}
    for path, frame in grains.lists.items():
        by_record = objects.setdefault(path, {})
        for number, *cells in frame.select(RECORD, *of_lists[path]).iter_rows():
            by_record.setdefault(number, []).append(cells)
    return RecordsPage(
        total=records.total,
        first=first,
        columns=columns,
        lists=of_lists,
        records=[
            RecordOfSheet(
                number=number,
                row=row,
                deep=deep.get(number, 0),
                cells=cells,
                lists={path: objects[path].get(number, []) for path in of_lists},
            )
            for number, row, *cells in grains.records.select(RECORD, ROW, *columns).iter_rows()
        ],
    )
