"""A link looked at: whom its references find, by name, and what is found nowhere."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from functools import lru_cache
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel
from rapidfuzz import fuzz, process
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidMapping, Place
from datorum.core.link import resolved
from datorum.core.model import Field, FieldMapping, FieldType, LinkRule, Mapping
from datorum.core.model.link_rule import BETWEEN_PARTS
from datorum.core.profile import profile
from datorum.core.shape.grains import own_columns
from datorum.core.suggest import suggest
from datorum.core.suggest.names import tokens
from datorum.core.table import FLAG, ROW
from datorum.core.typed import typed
from datorum.sites import singular
from datorum.sites.rest.model import Link
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened
from datorum.stations.landings import beginning, landed_counts
from datorum.stations.link_targets import parts_with_key, targets
from datorum.stations.links import keys_for, links_of, rule_of, said_active
from datorum.stations.other_imports import others_bringing
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, snapshots
from datorum.store.database import session
from datorum.store.sheets import drawn_on, load_profiles


class LinkPlace(BaseModel):
    """How many references were found in one place; ``awaited``: it is an import that is to be run first."""

    place: str
    count: int
    awaited: bool = False


class NearMiss(BaseModel):
    """A key that is found nowhere, how often it stands there, and the known key that is most like it."""

    value: str
    count: int
    near: str | None = None


class LinkKeyView(BaseModel):
    """A way in which a link can be looked for: the fields of the other record, or a column of the sheet that brings
    it."""

    by: tuple[str, ...]
    title: str
    column: str = ""


class FieldToFeed(BaseModel):
    """A field that a record has which is made where none is found."""

    path: str
    title: str
    required: bool


class LinkView(BaseModel):
    """A link as a join: whom it means, how it is looked for, and how all references fared, ``total`` of them.
    ``in_tree``: its records have paths; ``active``: what says which of them are active; ``makes``: what can be fed of
    one that is made; none where it cannot be."""

    to: str
    one: str
    many: bool
    rule: LinkRule
    title: str
    keys: list[LinkKeyView]
    further: list[LinkKeyView]
    """Any field by which a record may be told apart together with another."""
    steps: dict[str, list[str]]
    """In words what is done to what feeds the fields of a record that is made."""
    in_tree: bool
    has_file: bool
    """Whether its records have a file each."""
    active: str | None
    makes: list[FieldToFeed]
    total: int
    places: list[LinkPlace]
    blank: int
    missing: int
    several: int
    unread: bool
    distinct_missing: int
    misses: list[NearMiss]
    doubles: list[NearMiss]


_SHOWN, _NEAR_AMONG, _ALIKE = 9, 50_000, 0.75


def inspect_link(store: Session, now: Opened, path: str, mapping: Mapping) -> LinkView:
    """A link under a mapping that need not be saved. Raises InvalidMapping where the field is no link."""
    link = _link(now, path)
    rule = rule_of(now, mapping, path)
    target = targets(store, now, mapping).get(path)
    field, fed = now.record_type.field(path), mapping.fields.get(path) or FieldMapping()
    counts = landed_counts(now, mapping, field, fed, path) if target is not None else pl.DataFrame()
    if link.many and target is not None:
        counts, target = _each_item(field, counts), replace(target, many=False)
    found = resolved(target, counts["value"]) if target is not None else None
    frame = counts.with_columns(state=found.state, place=found.place) if found is not None else _NOTHING
    blank = int(frame.filter(pl.col("state") == "blank")["count"].sum())
    missing = frame.filter(pl.col("state").is_in(["missing", "left blank", "fixed", "made", "unread"]))
    several = frame.filter(pl.col("state") == "several")
    places = (
        frame.filter(pl.col("state").is_in(["found", "awaited"]))
        .group_by("place", "state", maintain_order=True)
        .agg(pl.col("count").sum())
    )
    kind = description_of(now.item).types.get(link.to)
    says = said_active(kind) if kind is not None else None
    known = [key for table in (target.tables if target else ()) for key in table.frame["key"].head(_NEAR_AMONG)]
    return LinkView(
        to=link.to,
        one=singular(link.to).replace("_", " "),
        many=link.many,
        rule=rule,
        title=" and ".join(one.title for one in keys_for(now, link, rule)),
        keys=[*_ways(now, link), *_columns(store, now, link)],
        further=_further(now, link),
        steps={path: [step.sentence() for step in fed.steps] for path, fed in rule.made.items()},
        in_tree=kind is not None and kind.way_up is not None,
        has_file=kind is not None and kind.file_field is not None,
        active=kind.record_type.field(says[0]).title if kind is not None and says else None,
        makes=_fields_to_feed(now, link, rule),
        total=int(frame["count"].sum()),
        places=[LinkPlace(place=place or "", count=count, awaited=state == "awaited")
                for place, state, count in places.select("place", "state", "count").iter_rows()],
        blank=blank,
        missing=int(missing["count"].sum()),
        several=int(several["count"].sum()),
        unread=target.unread if target is not None else False,
        distinct_missing=missing.height,
        misses=_misses(missing, known),
        doubles=_misses(several, []),
    )  # fmt: skip


def _fields_to_feed(now: Opened, link: Link, rule: LinkRule) -> list[FieldToFeed]:
    """The fields of a record that a link makes, but for those of its key, and the one that says what is above it."""
    kind = description_of(now.item).types.get(link.to)
    if kind is None or kind.out_of_reach:
        return []
    up = kind.way_up
    besides = {key.path for key in keys_for(now, link, rule)} | ({up.field} if up and rule.parted_by else set())
    fields = [field for field in kind.record_type.writable if not field.in_list and field.path not in besides]
    told = [FieldToFeed(path=one.path, title=one.title, required=one.required and not one.nullable) for one in fields]
    return sorted(told, key=lambda one: not one.required)


def suggested_for_made(store: Session, now: Opened, path: str) -> dict[str, FieldMapping]:
    """What could feed the records that a link makes, by the columns that stand beside it. Raises InvalidMapping where
    the field is no link."""
    link = _link(now, path)
    kind = description_of(now.item).types.get(link.to)
    wanted = {one.path for one in _fields_to_feed(now, link, rule_of(now, now.mapping, path))}
    if kind is None or not wanted:
        return {}
    grains, in_list = beginning(now), now.record_type.field(path).in_list
    columns = dict.fromkeys([*own_columns(grains.of(in_list)), *own_columns(grains.records)])
    frame = grains.seen_from(in_list, columns)
    own = now.mapping.fields[path].seen_columns() if path in now.mapping.fields else set()
    used = now.mapping.used_columns()
    left = frame.select(ROW, pl.lit(None, dtype=pl.String).alias(FLAG), *(one for one in columns if one not in own))
    found = suggest(kind.record_type, left, profile(left))
    linked = {one.field for one in kind.links}
    return {one: fed for one, fed in found.fields.items()
            if one in wanted - linked and fed.fed and (fed.score or 0.0) >= _SURE
            # What has its place already may well say what is required, and hardly what is not.
            and (kind.record_type.field(one).required or not used.intersection(fed.columns))}  # fmt: skip


def _link(now: Opened, path: str) -> Link:
    link = links_of(now).get(path)
    if link is None:
        raise InvalidMapping(
            f"{now.titles.get(path, path)} means no other record.",
            remedy="Correct the site's description where it does.",
            place=Place(field=path),
        )
    return link


def _each_item(field: Field, counts: pl.DataFrame) -> pl.DataFrame:
    """How often each item stands in some lists."""
    each = counts.with_columns(typed(field, counts["value"]).values.alias("value")).explode("value")
    return each.group_by("value", maintain_order=True).agg(pl.col("count").sum())


_SURE = 0.5
_NOTHING = pl.DataFrame(schema={"value": pl.String, "count": pl.UInt32, "state": pl.String, "place": pl.String})


_NAMING = {"name", "title", "number", "code", "slug", "sku", "email", "username", "reference", "id", "phone"}
"""What a field may be that is not said to be unique, and that a person still tells records apart by."""


def _ways(now: Opened, link: Link) -> list[LinkKeyView]:
    """The keys by which a link can be looked for, that which the site takes first."""
    kind = description_of(now.item).types.get(link.to)
    if kind is None:
        return [LinkKeyView(by=(), title=f"{link.by}, as the site takes it")]
    called = next((field.title for field in kind.fields if field.path == link.by), link.by)
    own = LinkKeyView(by=(), title=f"{called}, as the site takes it")
    unique = [path for path in kind.unique if path != link.by]
    others = [field.path for field in kind.record_type.fields
              if field.type in (FieldType.TEXT, FieldType.INTEGER) and not field.in_list and not field.enum
              and field.path not in (*unique, link.by) and _NAMING.intersection(tokens(field.path))]  # fmt: skip
    titles = {field.path: field.title for field in kind.record_type.fields}
    together = [LinkKeyView(by=one, title=" and ".join(titles.get(path, path) for path in one))
                for one in kind.unique_together]  # fmt: skip
    alone = [LinkKeyView(by=(path,), title=titles.get(path, path)) for path in (*unique, *others)]
    return [own, *alone[: len(unique)], *together, *alone[len(unique) :]]


def _columns(store: Session, now: Opened, link: Link) -> list[LinkKeyView]:
    found = told_apart_by(store, now, link.to)
    return [LinkKeyView(by=(), column=name, title=f"{name}, a column of {file}") for name, file in found.items()]


def told_apart_by(store: Session, now: Opened, record_type: str) -> dict[str, str]:
    """The columns by which rows of the sheets are told apart that bring records of a type, each with its file."""
    numbers = others_bringing(store, now, record_type)
    own = [now.sheet] if record_type == now.item.record_type else []
    found: dict[str, str] = {}
    for sheet in [*own, *(drawn_on(store, number) for number in numbers)]:
        for name, profiled in load_profiles(store, sheet.id).items():
            if profiled.filled > 1 and profiled.distinct >= _APART * profiled.filled:
                found.setdefault(name, sheet.original.filename)
    return found


_APART = 0.98


def _further(now: Opened, link: Link) -> list[LinkKeyView]:
    kind = description_of(now.item).types.get(link.to)
    fields = kind.record_type.writable if kind is not None else ()
    return [LinkKeyView(by=(field.path,), title=field.title) for field in fields
            if field.type is not FieldType.LIST and not field.in_list]  # fmt: skip


def _misses(frame: pl.DataFrame, known: list[str]) -> list[NearMiss]:
    """The commonest of some keys, each with the known one that is most like it."""
    top = frame.sort(["count", "value"], descending=[True, False]).head(_SHOWN)
    return [
        NearMiss(value=value.replace(BETWEEN_PARTS, " · "), count=count, near=_nearest(value, known))
        for value, count in top.select("value", "count").iter_rows()
    ]


def _nearest(value: str, known: list[str]) -> str | None:
    """The known key that is most like a value, where any is."""
    if not known or len(value) < 3:
        return None
    found = process.extractOne(value, known, scorer=fuzz.ratio, score_cutoff=100 * _ALIKE, processor=str.lower)
    return found[0] if found else None


class Label(NamedTuple):
    """What a person calls a record of the site, and the address of its page."""

    text: str
    page: str | None


def labels_of(store: Session, now: Opened, link: Link, values: Sequence[str]) -> dict[str, Label]:
    """What the records are called that some values of a link mean, as far as the site's records are known."""
    kept = ready_snapshots(store, now.item.site_id).get(link.to)
    if kept is None or not values:
        return {}
    return _labels(kept.id, str(kept.as_of), link.by, tuple(sorted(set(values))))


def _labels(snapshot_id: int, as_of: str, by: str, values: tuple[str, ...]) -> dict[str, Label]:
    named = _named(snapshot_id, as_of, by)
    known = pl.DataFrame({"key": values}, schema={"key": pl.String}).join(named, on="key", how="inner")
    found = {key: Label(label or key, page) for key, label, page in known.select("key", "label", "page").rows()}
    owners = _owners(snapshot_id, as_of, by)
    parts = {value: owners[value] for value in values if value in owners and value not in found}
    of_owners = named.filter(pl.col("id").is_in(list(parts.values()))).select("id", "label", "page").rows()
    called = {number: (label, page) for number, label, page in of_owners}
    return found | {
        value: Label(called[owner][0] or value, called[owner][1]) for value, owner in parts.items() if owner in called
    }


@lru_cache(maxsize=8)
def _named(snapshot_id: int, _as_of: str, by: str) -> pl.DataFrame:
    """All records of a snapshot: ``id``, ``key`` by which links mean them, ``label`` and ``page``."""
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        kind = description_of(kept).type(kept.record_type)
        own = by == (kind.id_field or "id")
        called = kind.called_at
        columns = ["id", "page", snapshots.LABEL, *([] if own else [snapshots.key_column(by)])]
        parts = []
        for number, chunk in enumerate(snapshots.chunks(store, snapshot_id, columns)):
            if snapshots.LABEL not in chunk.columns or (not own and snapshots.key_column(by) not in chunk.columns):
                # It was read before such things were kept beside the records.
                whole = snapshots.chunk_at(store, snapshot_id, number)
                chunk = whole.with_columns(label=snapshots.key_values(whole, called or ""))
            key = chunk["id"] if own else snapshots.key_values(chunk, by)
            parts.append(chunk.select("id", key.alias("key"), "label", "page"))
    schema = dict.fromkeys(("id", "key", "label", "page"), pl.String)
    return pl.concat(parts) if parts else pl.DataFrame(schema=schema)


@lru_cache(maxsize=4)
def _owners(snapshot_id: int, _as_of: str, by: str) -> dict[str, str]:
    """The records whose parts have a key, by that key."""
    found: dict[str, str] = {}
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        kind = description_of(kept).type(kept.record_type)
        for path in parts_with_key(kind, [kind.record_type.field(by)]):
            for chunk in snapshots.chunks(store, snapshot_id, ["id", "body"]):
                found |= dict(snapshots.inner_values(chunk, path).select("value", "id").iter_rows())
    return found
