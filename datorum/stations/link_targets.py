"""Where the records that links mean are looked for: tables of keys of the site, this sheet, and other imports."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import NamedTuple

import orjson
import polars as pl
from sqlalchemy.orm import Session

from datorum.core.check import is_fed
from datorum.core.formula import Scope
from datorum.core.in_order import in_order
from datorum.core.link import KeyTable, LinkTarget, Making, key_table, resolved
from datorum.core.link.keys import OF_IMPORT, ROW_OF, compared
from datorum.core.link.paths import path_keys, walked
from datorum.core.model import Field, FieldMapping, LinkRule, Mapping
from datorum.core.model.link_rule import BETWEEN_PARTS, COLUMN, OWN_VALUE
from datorum.core.shape.grains import RECORD
from datorum.core.shape.shape import values_of
from datorum.core.shape.whole import chosen
from datorum.core.steps.landing import land
from datorum.core.values import at
from datorum.sites import SiteType, singular
from datorum.sites.rest.model import Link
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import scope_of, selection_of
from datorum.stations.links import (
    keys_for,
    links_fed,
    links_of,
    rule_of,
    said_active,
    takes_id,
)
from datorum.stations.migration.order import comes_later, makers_before
from datorum.stations.other_imports import latest_frozen, others_bringing, records_brought, stays_behind, was_run
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, plan_items, snapshots
from datorum.store.database import session
from datorum.store.records import RecordRows, RecordSource


class Sought(NamedTuple):
    """What a link looks for: what it takes of a record (``by``), the paths of the ``keys``, whether these are paths
    from the top of a tree, and whether it matters which records are active."""

    by: str
    keys: tuple[str, ...]
    on_paths: bool
    active: bool

    @classmethod
    def of(cls, link: Link, rule: LinkRule, keys: Sequence[Field]) -> Sought:
        return cls(link.by, tuple(field.path for field in keys), bool(rule.parted_by), rule.several == "active")


def targets(store: Session, now: Opened, mapping: Mapping | None = None) -> dict[str, LinkTarget]:
    """Whom the fed links of an import mean, by path."""
    whole = mapping or now.mapping
    links = links_fed(now, whole)
    # What the site has is read for all of them at once, and remembered.
    sought = {
        one for path, link in links.items() for one in _sought_on_site(store, now, rule_of(now, whole, path), link)
    }
    for _ in in_order(lambda one: on_site(*one), sought):
        pass
    return {path: _target(store, now, whole, link) for path, link in links.items()}


def _sought_on_site(store: Session, now: Opened, rule: LinkRule, link: Link) -> Iterator[tuple[int, str, Sought]]:
    """What a link looks for in the snapshot of the site, where it looks there and there is one."""
    kept = ready_snapshots(store, now.item.site_id).get(link.to) if "site" in rule.looked_in else None
    if kept is not None:
        yield kept.id, str(kept.as_of), Sought.of(link, rule, keys_for(now, link, rule))


def _target(store: Session, now: Opened, mapping: Mapping, link: Link) -> LinkTarget:
    rule = rule_of(now, mapping, link.field)
    keys = keys_for(now, link, rule)
    tables = tuple(tables_of(store, now, mapping, link, rule, keys))
    unread = "site" in rule.looked_in and link.to not in ready_snapshots(store, now.item.site_id)
    one = singular(link.to).replace("_", " ")
    return LinkTarget(rule, link.to, one, keys, tables, link.many, unread, _making(store, now, mapping, link, rule))


def _making(store: Session, now: Opened, mapping: Mapping, link: Link, rule: LinkRule) -> Making | None:
    """How what a link finds nowhere is made, where it is."""
    kind = description_of(now.item).types.get(link.to)
    if rule.missing != "make" or kind is None:
        return None
    fields = {path: mapping.resolved(fed, path) for path, fed in rule.made.items() if fed.fed}
    file = kind.file_field if rule.of_files else None
    if file is not None and file.path not in fields:
        fields[file.path] = FieldMapping(columns=(OWN_VALUE,))
    up = kind.way_up if rule.parted_by else None
    shown = "" if takes_id(now, link) else link.by
    kept = ready_snapshots(store, now.item.site_id).get(link.to)
    taken = {path: on_site(kept.id, str(kept.as_of), Sought(link.by, (path,), on_paths=False, active=False))
             for path in fields if kept is not None and kind.record_type.field(path).unique}  # fmt: skip
    return Making(kind.record_type, fields, up.field if up else "", shown, taken)


def tables_of(
    store: Session, now: Opened, mapping: Mapping, link: Link, rule: LinkRule, keys: tuple[Field, ...]
) -> Iterator[KeyTable]:
    """Where a link is looked for, in order."""
    for look in rule.looked_in:
        if look == "site":
            for sought in _sought_on_site(store, now, rule, link):
                yield on_site(*sought)
        elif look == "sheet" and link.to == now.item.record_type:
            yield from _in_sheet(store, now, mapping, link, rule, keys)
        elif look == "imports":
            yield from _brought(store, now, link, rule, keys)
            yield from _made_by_others(store, now, link, rule, keys)


@lru_cache(maxsize=16)
def on_site(snapshot_id: int, _as_of: str, sought: Sought) -> KeyTable:
    """The records of a snapshot by a key; what stands for each is what the link takes of it."""
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        kind = description_of(kept).type(kept.record_type)
        own = kind.id_field or "id"
        keys = [_field(kind, path) for path in sought.keys]
        up = kind.way_up if sought.on_paths else None
        paths = [*sought.keys, sought.by, *([up.field, up.by] if up else [])]
        paths = [path for path in dict.fromkeys(paths) if path != own]
        parts = () if sought.on_paths else parts_with_key(kind, keys)
        says = said_active(kind) if sought.active else None
        columns = snapshots.columns_for((*paths, *parts)) if not says else None
        frames, within = [], []
        for chunk in snapshots.chunks(store, snapshot_id, columns):
            frames.append(_keyed(chunk, paths, says))
            within += [snapshots.inner_values(chunk, path) for path in parts]
    schema = {"id": pl.String, **dict.fromkeys(paths, pl.String), "\0active": pl.Boolean}
    frame = pl.concat(frames) if frames else pl.DataFrame(schema=schema)

    def of(path: str) -> pl.Series:
        return frame["id" if path == own else path]

    texts, values, active = compared(keys, list(map(of, sought.keys))), of(sought.by), frame["\0active"]
    if sought.on_paths:
        nothing = pl.repeat(None, frame.height, dtype=pl.String, eager=True)
        above = of(up.field) if up else nothing
        texts = walked(texts, of(up.by) if up else nothing, above.set((above == "0").fill_null(False), None))
    for one in within:
        # What is found by the key of a part of it is known by that key, where that is what the link takes.
        texts = texts.append(compared(keys, [one["value"]]))
        values = values.append(one["value" if sought.by == sought.keys[0] else "id"])
        active = active.append(pl.repeat(False, one.height, dtype=pl.Boolean, eager=True))
    return key_table("site", "on the site", texts, values, active=active)


def _field(kind: SiteType, path: str) -> Field:
    return next((field for field in kind.record_type.fields if field.path == path), Field(path=path, title=path))


def parts_with_key(kind: SiteType, keys: Sequence[Field]) -> tuple[str, ...]:
    """The fields in lists of a record that are keys of its parts: the SKU of a product's variants beside its own."""
    if len(keys) != 1:
        return ()
    return tuple(field.path for field in kind.fields if field.in_list and field.path.rpartition(".")[2] == keys[0].path)


def _keyed(frame: pl.DataFrame, paths: Sequence[str], says: tuple[str, frozenset[str]] | None) -> pl.DataFrame:
    values = {path: snapshots.key_values(frame, path) for path in paths if path != "id"}
    active = None if says is None else [str(at(orjson.loads(body), says[0])).lower() in says[1]
                                        for body in frame[snapshots.BODY]]  # fmt: skip
    return frame.select("id").with_columns(**values, **{"\0active": pl.Series(active, dtype=pl.Boolean)
                                                        if active is not None else pl.lit(False)})  # fmt: skip


def _in_sheet(
    store: Session, now: Opened, mapping: Mapping, link: Link, rule: LinkRule, keys: tuple[Field, ...]
) -> Iterator[KeyTable]:
    """The records of the sheet itself by a key that it feeds."""
    if _has_keys(now, mapping, keys):
        frame = _landed_keys(now, mapping, link, keys)
        yield key_table("sheet", "in this sheet", _texts_of(store, now, mapping, rule, keys, frame), frame["value"])


def _has_keys(now: Opened, mapping: Mapping, keys: tuple[Field, ...]) -> bool:
    """Whether the records of an import have some keys: fields that are fed, or columns of its sheet."""
    return all(
        field.path.removeprefix(COLUMN) in now.sheet.headers
        if field.path.startswith(COLUMN)
        else is_fed(mapping, field.path)
        for field in keys
    )


def _brought(
    store: Session, now: Opened, link: Link, rule: LinkRule, keys: tuple[Field, ...]
) -> Iterator[KeyTable]:  # fmt: skip
    """What other imports of the site bring or have brought, by a key that they feed. What an import of another
    migration is still to bring comes last: nobody says that it will ever be run."""
    others = others_bringing(store, now, link.to)
    later = comes_later(store, now.item) if others else frozenset()
    last: list[KeyTable] = []
    for number in others:
        other = open_import(store, number)
        if not _has_keys(other, other.mapping, keys):
            continue
        frame = _landed_keys(other, other.mapping, link, keys)
        texts = _texts_of(store, other, other.mapping, rule, keys, frame)
        brought = records_brought(store, number)
        known = frame.with_columns(texts.alias("\0text")).join(brought, on="record", how="left", maintain_order="left")
        texts, done = known["\0text"], known["record_id"].is_not_null()
        place = f"brought by {other.item.name}"
        values = known["record_id"] if takes_id(now, link) else known[link.by]
        yield key_table("imports", place, texts.filter(done), values.filter(done), of_import=number)
        if was_run(store, number):
            # What is not there by now was held, or refused.
            continue
        waiting = f"to be brought by {other.item.name}"
        rows = known["value"].str.replace(f"^({ROW_OF}-?\\d+)", f"${{1}}{OF_IMPORT}{number}")
        comes = ~done & known["record"].is_in(list(stays_behind(store, number))).not_()
        open_yet = key_table("imports", waiting, texts.filter(comes), rows.filter(comes), open=True, of_import=number,
                             later=number in later)  # fmt: skip
        together = now.item.migration_id is not None and other.item.migration_id == now.item.migration_id
        if together:
            yield open_yet
        else:
            last.append(open_yet)
    yield from last


def _made_by_others(
    store: Session, now: Opened, link: Link, rule: LinkRule, keys: tuple[Field, ...]
) -> Iterator[KeyTable]:  # fmt: skip
    """What imports before this one are to make of the same records for their own links, by their plans."""
    if rule.missing != "make" or len(keys) != 1 or rule.parted_by or not takes_id(now, link):
        return
    for number in makers_before(store, now.item, link.to):
        plan = latest_frozen(store, number)
        if plan is None or was_run(store, number) or plan.target.get("made", {}).get(link.to) != keys[0].path:
            continue
        made = plan_items.made(store, plan.id, link.to)
        items = pl.Series(list(made), dtype=pl.Int64)
        texts = compared(keys, [pl.Series(list(made.values()), dtype=pl.String)])
        rows = ROW_OF + items.cast(pl.String) + f"{OF_IMPORT}{number}"
        place = f"to be brought by {store.get_one(models.Import, number).name}"
        yield key_table("imports", place, texts, rows, open=True, of_import=number)


def _texts_of(
    store: Session, now: Opened, mapping: Mapping, rule: LinkRule, keys: tuple[Field, ...], frame: pl.DataFrame
) -> pl.Series:
    """What the records of a sheet are compared by: their keys, or their paths from the top of the tree."""
    own = compared(keys, [frame[field.path] for field in keys])
    if not rule.parted_by:
        return own
    up = description_of(now.item).type(now.item.record_type).way_up
    if up is None or not is_fed(mapping, up.field):
        return own
    beside = _landed_keys(now, mapping, up, (Field(path=up.field, title=up.field),)).unique("record")
    above = frame.select("record").join(beside, on="record", how="left", maintain_order="left")[up.field]
    by_path = rule_of(now, mapping, up.field).parted_by
    if by_path:
        # The one above is told by its path, which says all.
        before = path_keys(keys[0], above, by_path)
        return frame.select(pl.when(before.is_null()).then(own).otherwise(before + BETWEEN_PARTS + own)).to_series()
    target = _target(store, now, mapping, links_of(now)[up.field])
    return _below_the_site(store, now, up, keys, own, frame, resolved(target, above).value)


def _below_the_site(
    store: Session, now: Opened, up: Link, keys: tuple[Field, ...], own: pl.Series, frame: pl.DataFrame,
    above: pl.Series,
) -> pl.Series:  # fmt: skip
    """The paths of a sheet's records, of which some stand below records that the site has already."""
    refs = ROW_OF + frame["record"].cast(pl.String)
    # A reference to a row may say besides what the link takes of it.
    above = above.str.replace(f"^({ROW_OF}[^{ROW_OF[0]}]*).*$", "${1}")
    kept = ready_snapshots(store, now.item.site_id).get(up.to)
    if kept is not None:
        tops = on_site(kept.id, str(kept.as_of), Sought(up.by, (keys[0].path,), True, False)).frame
        own = own.append(tops["key"])
        refs = refs.append(tops["value"])
        above = above.append(pl.repeat(None, tops.height, dtype=pl.String, eager=True))
    return walked(own, refs, above).head(frame.height)


def _landed_keys(now: Opened, mapping: Mapping, link: Link, keys: tuple[Field, ...]) -> pl.DataFrame:
    """The keys of all records of a sheet that go on: a column each, that of the property that a link takes among them;
    ``record`` and the ``value`` that stands for it."""
    shown = "" if takes_id(now, link) else link.by
    paths = tuple(dict.fromkeys((*(field.path for field in keys), *([shown] if shown else []))))
    kind = description_of(now.item).types.get(link.to)
    parts = parts_with_key(kind, keys) if kind is not None else ()
    within = tuple(path for path in parts if is_fed(mapping, path))
    settings = mapping.model_dump_json()
    return _keys_of(now.source(mapping), settings, paths, shown, within, scope_of(now, mapping).person)


@lru_cache(maxsize=8)
def _keys_of(
    source: RecordSource, settings: str, paths: tuple[str, ...], shown: str, within: tuple[str, ...], _person: str
) -> pl.DataFrame:
    """``within``: the fields in lists that are keys of parts of a record, which stand for it too."""
    mapping = Mapping.model_validate_json(settings)
    with session() as store:
        now = open_import(store, source.import_id)
        scope = scope_of(now, mapping)
        records, selection = RecordRows(store, source), selection_of(store, now, mapping)
        parts = []
        for frame in records.parts():
            grains = records.made(chosen(records.shapes, frame, selection))
            numbers = grains.records[RECORD]
            landed = {path: _texts(mapping, path, grains.records, scope) for path in paths}
            value = ROW_OF + numbers.cast(pl.String)
            value = value + ROW_OF + landed[shown] if shown else value
            parts.append(pl.DataFrame({"record": numbers, "value": value, **landed}))
            for path in within:
                objects = grains.seen_from(now.record_type.field(path).in_list, mapping.fields[path].seen_columns())
                texts, of = _texts(mapping, path, objects, scope), objects[RECORD]
                value = ROW_OF + of.cast(pl.String)
                value = value + ROW_OF + texts if shown == paths[0] else value
                parts.append(pl.DataFrame({"record": of, "value": value, **dict.fromkeys(paths, texts)}))
        schema = {"record": pl.Int64, "value": pl.String, **dict.fromkeys(paths, pl.String)}
        return pl.concat(parts) if parts else pl.DataFrame(schema=schema)


def _texts(mapping: Mapping, path: str, frame: pl.DataFrame, scope: Scope) -> pl.Series:
    if path.startswith(COLUMN) and path.removeprefix(COLUMN) in frame.columns:
        return values_of(frame, path.removeprefix(COLUMN))
    if not is_fed(mapping, path):
        return pl.repeat(None, frame.height, dtype=pl.String, eager=True)
    return land(frame, mapping.resolved(mapping.fields[path], path), scope).values
