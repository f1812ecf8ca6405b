"""Where the records that links mean are looked for: tables of keys of the site, this sheet, and other imports."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import NamedTuple

import orjson
import polars as pl
from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.check import is_fed
from datorum.core.formula import Scope
from datorum.core.in_order import in_order
from datorum.core.link import KeyTable, LinkTarget, Making, key_table, resolved
from datorum.core.link.addresses import AddressTarget, Leading
from datorum.core.link.keys import OF_IMPORT, ROW_OF, compared
from datorum.core.link.paths import path_keys, walked
from datorum.core.model import Field, FieldMapping, LinkRule, Mapping
from datorum.core.model.link_rule import BETWEEN_PARTS, COLUMN, OWN_VALUE
from datorum.core.model.text_addresses import TextAddresses
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
    addresses_fed,
    keys_for,
    link_of_address,
    links_fed,
    links_of,
    rule_of,
    said_active,
    takes_id,
)
from datorum.stations.migration.order import comes_later, makers_before
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, plan_items, snapshots
from datorum.store.database import session
from datorum.store.records import RecordRows, RecordSource


class _Sought(NamedTuple):
    """What a link looks for: what it takes of a record (``by``), the paths of the ``keys``, whether these are paths
    from the top of a tree, and whether it matters which records are active."""

    by: str
    keys: tuple[str, ...]
    on_paths: bool
    active: bool

    @classmethod
    def of(cls, link: Link, rule: LinkRule, keys: Sequence[Field]) -> _Sought:
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


def _sought_on_site(store: Session, now: Opened, rule: LinkRule, link: Link) -> Iterator[tuple[int, str, _Sought]]:
    """What a link looks for in the snapshot of the site, where it looks there and there is one."""
    kept = ready_snapshots(store, now.item.site_id).get(link.to) if "site" in rule.looked_in else None
    if kept is not None:
        yield kept.id, str(kept.as_of), _Sought.of(link, rule, keys_for(now, link, rule))


def still_to_bring(store: Session, now: Opened) -> frozenset[int]:
    """The imports among whose records fed links of an import look, and that have not been run."""
    meant = [
        *targets(store, now).values(),
        *(one.target for rule in leadings(store, now).values() for one in rule.targets),
    ]
    tables = (table for target in meant for table in target.tables)
    return frozenset(table.of_import for table in tables if table.open and table.of_import is not None)


def types_unread(store: Session, now: Opened) -> list[str]:
    """The record types that fed links, and addresses in texts, look for on the site, and that have not been read."""
    sought = {link.to for path, link in links_fed(now, now.mapping).items()
              if "site" in rule_of(now, now.mapping, path).looked_in}  # fmt: skip
    sought |= {one.record_type for rule in addresses_fed(now, now.mapping).values() for one in rule.to}
    return sorted(sought - ready_snapshots(store, now.item.site_id).keys()) if sought else []


def leadings(store: Session, now: Opened, mapping: Mapping | None = None) -> dict[str, Leading]:
    """Where addresses in the texts of an import lead, by the paths of its fields."""
    whole = mapping or now.mapping
    return {path: leading_by(store, now, whole, path, rule) for path, rule in addresses_fed(now, whole).items()}


def leading_by(store: Session, now: Opened, mapping: Mapping, path: str, rule: TextAddresses) -> Leading:
    """Where addresses in the texts of a field lead by a rule."""
    types, kept = description_of(now.item).types, ready_snapshots(store, now.item.site_id)
    targets: list[AddressTarget] = []
    unread: list[str] = []
    for one in rule.to:
        kind = types.get(one.record_type)
        if kind is None or kind.address_at is None:
            continue
        link, by = link_of_address(now, path, one)
        keys = keys_for(now, link, by)
        tables = tuple(_tables(store, now, mapping, link, by, keys))
        snapshot = kept.get(one.record_type)
        if snapshot is None:
            unread.append(one.record_type)
        sought = _Sought(kind.address_at, (kind.id_field or "id",), on_paths=False, active=False)
        addresses = on_site(snapshot.id, str(snapshot.as_of), sought) if snapshot is not None else None
        called = singular(one.record_type).replace("_", " ")
        targets.append(AddressTarget(LinkTarget(by, one.record_type, called, keys, tables), addresses, one.under))
    return Leading(rule, tuple(targets), tuple(dict.fromkeys(unread)))


def _target(store: Session, now: Opened, mapping: Mapping, link: Link) -> LinkTarget:
    rule = rule_of(now, mapping, link.field)
    keys = keys_for(now, link, rule)
    tables = tuple(_tables(store, now, mapping, link, rule, keys))
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
    taken = {path: on_site(kept.id, str(kept.as_of), _Sought(link.by, (path,), on_paths=False, active=False))
             for path in fields if kept is not None and kind.record_type.field(path).unique}  # fmt: skip
    return Making(kind.record_type, fields, up.field if up else "", shown, taken)


def _tables(
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
def on_site(snapshot_id: int, _as_of: str, sought: _Sought) -> KeyTable:
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


def others_bringing(store: Session, now: Opened, record_type: str) -> list[int]:
    """The other imports to the site of an import that bring records of a type."""
    kept = models.Import
    asked = select(kept.id).where(
        kept.site_id == now.item.site_id,
        kept.record_type == record_type,
        kept.id != now.item.id,
        kept.archived_at.is_(None),
    )
    return list(store.scalars(asked.order_by(kept.id)))


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
    """What other imports of the site bring or have brought, by a key that they feed."""
    others = others_bringing(store, now, link.to)
    later = comes_later(store, now.item) if others else frozenset()
    for number in others:
        other = open_import(store, number)
        if not _has_keys(other, other.mapping, keys):
            continue
        frame = _landed_keys(other, other.mapping, link, keys)
        texts = _texts_of(store, other, other.mapping, rule, keys, frame)
        brought = _records_brought(store, number)
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
        yield key_table("imports", waiting, texts.filter(comes), rows.filter(comes), open=True, of_import=number,
                        later=number in later)  # fmt: skip


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


def latest_frozen(store: Session, import_id: int) -> models.Plan | None:
    """The latest plan of an import that is frozen."""
    plan = models.Plan
    asked = select(plan).where(plan.import_id == import_id, plan.kind == "main", plan.frozen_at.is_not(None))
    return store.scalar(asked.order_by(plan.id.desc()).limit(1))


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
        tops = on_site(kept.id, str(kept.as_of), _Sought(up.by, (keys[0].path,), True, False)).frame
        own = own.append(tops["key"])
        refs = refs.append(tops["value"])
        above = above.append(pl.repeat(None, tops.height, dtype=pl.String, eager=True))
    return walked(own, refs, above).head(frame.height)


def was_run(store: Session, import_id: int) -> bool:
    """Whether the latest plan of an import was carried out to its end."""
    plan, run = models.Plan, models.Run
    asked = (
        select(run.state)
        .join(plan, plan.id == run.plan_id)
        .where(plan.import_id == import_id, plan.kind == "main", run.kind == "main")
    )
    return store.scalar(asked.order_by(run.id.desc()).limit(1)) in ("done", "failed", "ended")


def stays_behind(store: Session, import_id: int) -> set[int]:
    """The records of an import that was not run which it is not to bring: those that are held or left out, by its plan
    or, before there is one, by its check."""
    plan, item = models.Plan, models.PlanItem
    latest = select(func.max(plan.id)).where(
        plan.import_id == import_id, plan.kind == "main", plan.frozen_at.is_not(None)
    )
    number = store.scalar(latest)
    if number is not None:
        asked = select(item.item).where(item.plan_id == number, item.action.in_(("held", "left out")))
        return set(store.scalars(asked))
    finding, check = models.StoredFinding, models.CheckResult
    held = (
        select(finding.record)
        .join(check, check.id == finding.check_id)
        .where(check.import_id == import_id, finding.blocks, ~finding.accepted, finding.record.is_not(None))
    )
    return {record for record in store.scalars(held.distinct()) if record is not None}


def _records_brought(store: Session, import_id: int) -> pl.DataFrame:
    """The id map of an import: the record on the site that each of its rows became."""
    item, plan = models.PlanItem, models.Plan
    last = select(plan.id).where(plan.import_id == import_id, plan.kind == "main").order_by(plan.id.desc()).limit(1)
    # What was taken back has no record any more.
    asked = select(item.item, item.record_id).where(
        item.plan_id == last.scalar_subquery(), item.record_id.is_not(None), item.state != "undone"
    )
    return pl.DataFrame(store.execute(asked).all(), schema={"record": pl.Int64, "record_id": pl.String}, orient="row")


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
