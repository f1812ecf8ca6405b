"""The links of an import's records: which fields point to other records, by which keys, and whom they find."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import lru_cache

import polars as pl
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidMapping, Place
from datorum.core.formula import Scope
from datorum.core.link import KeyTable, LinkTarget, key_table
from datorum.core.link.keys import ROW_OF, compared
from datorum.core.model import Field, LinkRule, Mapping
from datorum.core.shape.grains import RECORD
from datorum.core.shape.whole import chosen
from datorum.core.steps.landing import land
from datorum.sites import SiteType, singular
from datorum.sites.rest.model import Link
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import scope_of, selection_of
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, snapshots
from datorum.store.database import session
from datorum.store.records import RecordRows, RecordSource

_ID = Field(path="id", title="id")


def links_of(now: Opened) -> dict[str, Link]:
    """The links of an import's record type, by the paths of their fields."""
    return {link.field: link for link in description_of(now.item).type(now.item.record_type).links}


def links_fed(now: Opened, mapping: Mapping) -> dict[str, Link]:
    """The links that anything feeds, by path."""
    return {path: link for path, link in links_of(now).items() if _feeds(mapping, path)}


def link_paths(now: Opened) -> frozenset[str]:
    """The paths of the fields that say which other record is meant."""
    return frozenset(links_of(now))


def rule_of(now: Opened, mapping: Mapping, path: str) -> LinkRule:
    """How a link is resolved; by the site's own id where nobody said otherwise."""
    return mapping.links.get(path) or LinkRule()


def keys_for(now: Opened, link: Link, rule: LinkRule) -> tuple[Field, ...]:
    """The fields of the other record by which a link looks for it. Raises InvalidMapping where it has none of that
    name."""
    kind = description_of(now.item).types.get(link.to)
    if not rule.by:
        by = link.by if kind is not None else "id"
        known = [field for field in (kind.fields if kind else ()) if field.path == by]
        return (known[0] if known else _ID,)
    if kind is None:
        raise InvalidMapping(
            f"The site does not describe {link.to}.", remedy="Take the link's key out.", place=Place(field=link.field)
        )
    return tuple(kind.record_type.field(path) for path in rule.by)


def must_be_found(now: Opened, mapping: Mapping) -> None:
    """Raises InvalidMapping where a link is to be looked for by a field that the other record has not."""
    for path, link in links_of(now).items():
        keys_for(now, link, rule_of(now, mapping, path))


def targets(store: Session, now: Opened, mapping: Mapping | None = None) -> dict[str, LinkTarget]:
    """Whom the fed links of an import mean, by path."""
    whole = mapping or now.mapping
    found = {}
    for path, link in links_fed(now, whole).items():
        rule = rule_of(now, whole, path)
        keys = keys_for(now, link, rule)
        tables = tuple(_tables(store, now, whole, link, rule, keys))
        unread = "site" in rule.look and link.to not in ready_snapshots(store, now.item.site_id)
        one = singular(link.to).replace("_", " ")
        found[path] = LinkTarget(rule, link.to, one, keys, tables, link.many, unread)
    return found


def _tables(
    store: Session, now: Opened, mapping: Mapping, link: Link, rule: LinkRule, keys: tuple[Field, ...]
) -> Iterator[KeyTable]:
    """Where a link is looked for, in order."""
    for look in rule.look:
        if look == "site":
            kept = ready_snapshots(store, now.item.site_id).get(link.to)
            if kept is not None:
                yield on_site(kept.id, str(kept.as_of), link.by, keys)
        elif look == "sheet" and link.to == now.item.record_type:
            yield from _in_sheet(store, now, mapping, link, keys)
        elif look == "imports":
            yield from _brought(store, now, link, keys)


@lru_cache(maxsize=16)
def on_site(snapshot_id: int, _as_of: str, by: str, keys: tuple[Field, ...]) -> KeyTable:
    """The records of a snapshot by a key; what stands for each is what the link takes of it."""
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        kind = description_of(kept).type(kept.record_type)
        own = kind.id_field or "id"
        paths = tuple(dict.fromkeys(path for path in (*(field.path for field in keys), by) if path != own))
        parts = parts_with_key(kind, keys)
        columns = snapshots.columns_for((*paths, *parts))
        frames, within = [], []
        for chunk in snapshots.chunks(store, snapshot_id, columns):
            frames.append(_keyed(chunk, paths))
            within += [snapshots.inner_values(chunk, path) for path in parts]
    frame = pl.concat(frames) if frames else pl.DataFrame(schema={"id": pl.String, **dict.fromkeys(paths, pl.String)})
    texts = compared(keys, [frame["id" if field.path == own else field.path] for field in keys])
    values = frame["id" if by == own else by]
    for one in within:
        # What is found by the key of a part of it is known by that key, where that is what the link takes.
        texts = texts.append(compared(keys, [one["value"]]))
        values = values.append(one["value" if by == keys[0].path else "id"])
    return key_table("site", "on the site", texts, values)


def parts_with_key(kind: SiteType, keys: Sequence[Field]) -> tuple[str, ...]:
    """The fields in lists of a record that are keys of its parts: the SKU of a product's variants beside its own."""
    if len(keys) != 1:
        return ()
    return tuple(field.path for field in kind.fields if field.in_list and field.path.rpartition(".")[2] == keys[0].path)


def _keyed(frame: pl.DataFrame, paths: Sequence[str]) -> pl.DataFrame:
    values = {path: snapshots.key_values(frame, path) for path in paths if path != "id"}
    return frame.select("id").with_columns(**values)


def _in_sheet(store: Session, now: Opened, mapping: Mapping, link: Link, keys: tuple[Field, ...]) -> Iterator[KeyTable]:
    """The records of the sheet itself by a key that it feeds."""
    if all(_feeds(mapping, field.path) for field in keys):
        frame = _landed_keys(now, mapping, link, keys)
        texts = compared(keys, [frame[field.path] for field in keys])
        yield key_table("sheet", "in this sheet", texts, frame["value"])


def _brought(store: Session, now: Opened, link: Link, keys: tuple[Field, ...]) -> Iterator[KeyTable]:
    """What other imports of the site bring or have brought, by a key that they feed."""
    kept = models.Import
    asked = select(kept.id).where(
        kept.site_id == now.item.site_id,
        kept.record_type == link.to,
        kept.id != now.item.id,
        kept.archived_at.is_(None),
    )
    for number in store.scalars(asked.order_by(kept.id)):
        other = open_import(store, number)
        if not all(_feeds(other.mapping, field.path) for field in keys):
            continue
        frame = _landed_keys(other, other.mapping, link, keys)
        brought = _records_brought(store, number)
        known = frame.join(brought, on="record", how="left", maintain_order="left")
        texts = compared(keys, [known[field.path] for field in keys])
        done = known["record_id"].is_not_null()
        place = f"brought by {other.item.name}"
        values = known["record_id"] if _takes_id(now, link) else known[link.by]
        yield key_table("imports", place, texts.filter(done), values.filter(done))
        if _was_run(store, number):
            # What is not there by now was held, or refused.
            continue
        waiting = f"to be brought by {other.item.name}"
        yield key_table("imports", waiting, texts.filter(~done), known["value"].filter(~done), open=True)


def _was_run(store: Session, import_id: int) -> bool:
    """Whether the latest plan of an import was carried out to its end."""
    plan, run = models.Plan, models.Run
    asked = select(run.state).join(plan, plan.id == run.plan_id).where(plan.import_id == import_id)
    return store.scalar(asked.order_by(plan.id.desc()).limit(1)) in ("done", "failed", "ended")


def _records_brought(store: Session, import_id: int) -> pl.DataFrame:
    """The id map of an import: the record on the site that each of its rows became."""
    row, plan = models.StoredPlanRow, models.Plan
    last = select(plan.id).where(plan.import_id == import_id).order_by(plan.id.desc()).limit(1).scalar_subquery()
    asked = select(row.row, row.record_id).where(row.plan_id == last, row.record_id.is_not(None))
    return pl.DataFrame(store.execute(asked).all(), schema={"record": pl.Int64, "record_id": pl.String}, orient="row")


def _feeds(mapping: Mapping, path: str) -> bool:
    fed = mapping.fields.get(path)
    return fed is not None and fed.fed


def _takes_id(now: Opened, link: Link) -> bool:
    """Whether a link takes the id that the site itself gives a record."""
    kind = description_of(now.item).types.get(link.to)
    return kind is None or link.by == (kind.id_field or "id")


def _landed_keys(now: Opened, mapping: Mapping, link: Link, keys: tuple[Field, ...]) -> pl.DataFrame:
    """The keys of all records of a sheet that go on: a column each, that of the property that a link takes among them;
    ``record`` and the ``value`` that stands for it."""
    paths = tuple(dict.fromkeys((*(field.path for field in keys), *(() if _takes_id(now, link) else (link.by,)))))
    shown = "" if _takes_id(now, link) else link.by
    kind = description_of(now.item).types.get(link.to)
    parts = parts_with_key(kind, keys) if kind is not None else ()
    within = tuple(path for path in parts if _feeds(mapping, path))
    settings = mapping.model_dump_json()
    return _keys_of(now.source(mapping), settings, paths, shown, within, scope_of(now, mapping).person)


@lru_cache(maxsize=8)
def _keys_of(
    source: RecordSource, settings: str, paths: tuple[str, ...], shown: str, within: tuple[str, ...], _person: str
) -> pl.DataFrame:
    """``within``: the fields in lists that are keys of parts of a record, which stand for it too."""
    mapping = Mapping.model_validate_json(settings)
    with session() as store:
        sheet = store.get_one(models.StoredSheet, source.sheet_id)
        now = open_import(store, sheet.import_id)
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
    if not _feeds(mapping, path):
        return pl.repeat(None, frame.height, dtype=pl.String, eager=True)
    return land(frame, mapping.resolved(mapping.fields[path], path), scope).values


def linked_types(now: Opened) -> list[SiteType]:
    """The record types that fed links point to and that are looked for on the site, each once."""
    types = description_of(now.item).types
    wanted = [
        link.to
        for path, link in links_fed(now, now.mapping).items()
        if "site" in rule_of(now, now.mapping, path).look and link.to in types
    ]
    return [types[name] for name in dict.fromkeys(wanted)]


def link_hint(now: Opened, mapping: Mapping, field: Field) -> str:
    """Whom a link means and by what it is found, in a few words; empty where the field is none."""
    link = links_of(now).get(field.path)
    if link is None:
        return ""
    one = (link.to if link.many else singular(link.to)).replace("_", " ").replace("-", " ")
    article = "" if link.many else "an " if one[:1] in "aeiou" else "a "
    by = " and ".join(key.title for key in keys_for(now, link, rule_of(now, mapping, field.path)))
    return f"{article}{one}, found by {by.lower() if not by.isupper() else by}"


def judged_as(now: Opened, mapping: Mapping, field: Field) -> Field:
    """A field as what is supplied for it is held to: a link by the form of the key by which it is looked for."""
    link = links_of(now).get(field.path)
    if link is None:
        return field
    rule = rule_of(now, mapping, field.path)
    return LinkTarget(rule, link.to, "", keys_for(now, link, rule), (), link.many).judged(field)
