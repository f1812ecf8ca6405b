"""What the records that were read of a site say of it: whether keys tell them apart, what fields point at, and which
names its open parts use."""

from __future__ import annotations

import datetime as dt
import re
from collections import Counter
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field
from typing import Any, NamedTuple

import orjson
import polars as pl
from sqlalchemy.orm import Session

from datorum.core.model import Field, FieldType
from datorum.core.plan import at
from datorum.core.values import all_at, instant
from datorum.sites import SiteType, singular
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models
from datorum.store.snapshots import BODY, ID, chunks, key_column

_SAMPLE = 5_000
"""As many records of a type are looked into; those of keys are looked at in all."""
_FEWEST, _FEWEST_POINTING = 20, 5
_MOST_NAMES = 200
_NEARLY_ALL = 0.95
_LONGEST_KEY = 120
_TELLING = (FieldType.TEXT, FieldType.INTEGER)
_HELD = (FieldType.TEXT, FieldType.NUMBER, FieldType.INTEGER)
_POINTING = (FieldType.TEXT, FieldType.INTEGER, FieldType.LIST)


@dataclass(frozen=True)
class KeySample:
    """Whether fields tell records apart: so many ``shared`` values of them stand more than once. ``stated``: the
    description has them as a key."""

    fields: tuple[str, ...]
    records: int
    shared: int
    stated: bool
    example: str = ""


@dataclass(frozen=True)
class LinkSample:
    """How many of the distinct ``values`` of a field stand in the key ``by`` of records of type ``to``. ``stated``: the
    description has it as a link."""

    field: str
    to: str
    by: str
    values: int
    found: int
    stated: bool


class NameUsed(NamedTuple):
    """A name that so many records use in an open part."""

    name: str
    records: int


@dataclass(frozen=True)
class TypeSample:
    """What was seen of one record type. ``names``: by the path of an open part, those that records use there, the
    commonest first."""

    record_type: str
    records: int
    keys: list[KeySample] = field(default_factory=list)
    links: list[LinkSample] = field(default_factory=list)
    names: dict[str, list[NameUsed]] = field(default_factory=dict)


def samples_of(store: Session, site_id: int) -> list[TypeSample]:
    """What the snapshot of a site says, of each record type that was read. Raises NotFound."""
    description = description_of(get_site(store, site_id))
    ready = {name: one for name, one in ready_snapshots(store, site_id).items() if name in description.usable}
    seen = {name: list(_sampled(store, one)) for name, one in ready.items()}
    tables = [table for name, one in ready.items() for table in _key_tables(store, one, description.type(name))]
    found = []
    for name, one in ready.items():
        kind = description.type(name)
        names = {part.path: _names(seen[name], part.path) for part in kind.open_fields}
        links = list(_links(kind, seen[name], tables))
        pointing = {link.field for link in links} | {link.field for link in kind.links}
        keys = [*_stated_keys(kind, tables), *_other_keys(kind, seen[name], one.records_read, pointing)]
        found.append(TypeSample(name, one.records_read, keys, links, names))
    return found


def values_held(store: Session, item: models.Import) -> dict[str, frozenset[str]]:
    """Values that the site's records have, as far as they were read, by the paths of the fields of an import's records;
    nothing, where none were."""
    one = ready_snapshots(store, item.site_id).get(item.record_type)
    usable = description_of(item).usable
    if one is None or item.record_type not in usable:
        return {}
    seen = list(_sampled(store, one))
    fields = [field for field in usable[item.record_type].record_type.writable if field.type in _HELD]
    return {field.path: frozenset(_values(field, seen)) for field in fields if not field.enum}


def _sampled(store: Session, one: models.Snapshot) -> Iterator[dict[str, Any]]:
    """Records from all over a snapshot."""
    every = max(1, one.records_read // _SAMPLE)
    for chunk in chunks(store, one.id, [BODY]):
        yield from map(orjson.loads, chunk[BODY].gather_every(every))


@dataclass(frozen=True)
class _KeyTable:
    """All values of what tells the records of a type apart."""

    of: str
    by: tuple[str, ...]
    values: pl.Series
    shared: pl.Series
    records: int

    @property
    def is_dense(self) -> bool:
        """Whether the values are whole numbers one after the other, which any count is among."""
        numbers = self.values.cast(pl.Int64, strict=False)
        return not numbers.null_count()


def _key_tables(store: Session, one: models.Snapshot, kind: SiteType) -> Iterator[_KeyTable]:
    stated = [(path,) for path in kind.unique] + list(kind.unique_together)
    columns = list(dict.fromkeys([ID, *(key_column(path) for together in stated for path in together)]))
    # Those that the description had when it was read.
    parts = [frame.select(column for column in columns if column in frame.columns) for frame in chunks(store, one.id)]
    whole = pl.concat(parts, how="diagonal") if parts else pl.DataFrame({ID: []}, {ID: pl.String})
    named: dict[tuple[str, ...], list[str]] = {(kind.id_field,): [ID]} if kind.id_field else {}
    named |= {paths: [key_column(path) for path in paths] for paths in stated}
    for paths, names in named.items():
        if not set(names) <= set(whole.columns):
            continue
        full = whole.select(names).drop_nulls()
        text = full.select(pl.concat_str(pl.all(), separator=" · ").alias("text")).to_series()
        shared = text.value_counts().filter(pl.col("count") > 1)["text"]
        yield _KeyTable(kind.name, paths, text.unique(), shared, full.height)


def _stated_keys(kind: SiteType, tables: list[_KeyTable]) -> Iterator[KeySample]:
    for table in tables:
        if table.of == kind.name and (table.by != (kind.id_field,) or kind.id_field in kind.unique):
            example = str(table.shared[0]) if len(table.shared) else ""
            yield KeySample(table.by, table.records, len(table.shared), stated=True, example=example)


def _other_keys(kind: SiteType, seen: list[dict[str, Any]], records: int, pointing: set[str]) -> Iterator[KeySample]:
    """Fields whose values all differ, though nothing says that they must."""
    stated = {*kind.unique, kind.id_field}
    for one in kind.record_type.writable:
        if one.path in stated | pointing or one.in_list or one.enum or one.type not in _TELLING:
            continue
        values = [str(value) for body in seen if (value := at(body, one.path)) not in (None, "")]
        if len(values) < max(_FEWEST, _NEARLY_ALL * len(seen)) or len(set(values)) < len(values):
            continue
        # Moments mostly differ, and tell nothing apart.
        if max(map(len, values)) <= _LONGEST_KEY and not isinstance(instant(values[0]), dt.datetime):
            yield KeySample((one.path,), records, 0, stated=False)


def _links(kind: SiteType, seen: list[dict[str, Any]], tables: list[_KeyTable]) -> Iterator[LinkSample]:
    stated = {link.field: link for link in kind.links}
    single = [table for table in tables if len(table.by) == 1 and len(table.values)]
    for one in kind.record_type.fields:
        if one.type not in _POINTING or one.enum or one.format in ("date", "date-time", "uri", "binary"):
            continue
        link = stated.get(one.path)
        own = one.path in kind.unique or one.path == kind.id_field
        if own and link is None:
            continue
        values = pl.Series(list(_values(one, seen)), dtype=pl.String).unique()
        if len(values) < (1 if link else _FEWEST_POINTING):
            continue
        if link is not None:
            table = next((t for t in single if t.of == link.to and t.by == (link.by,)), None)
            if table is not None:
                yield _seen_link(one, table, values, stated=True)
            continue
        likely = [table for table in single if not table.is_dense or _is_called_after(one, table.of)]
        looked = (_seen_link(one, table, values, stated=False) for table in likely)
        best = max(looked, key=lambda link: link.found, default=None)
        if best is not None and best.found >= _NEARLY_ALL * best.values:
            yield best


def _seen_link(one: Field, table: _KeyTable, values: pl.Series, *, stated: bool) -> LinkSample:
    found = int(values.is_in(table.values.implode()).sum())
    return LinkSample(one.path, table.of, table.by[0], len(values), found, stated)


def _is_called_after(one: Field, kind: str) -> bool:
    """Whether a field is called like a record of a type or like its id. Any number is among ids, and “orders” is as
    often how many there are."""
    stem = singular(kind)
    last = re.sub(r"[^a-z0-9]", "", one.path.rpartition(".")[2].lower())
    if one.type is FieldType.LIST:
        return stem in last
    return bool(re.search(rf"{re.escape(stem)}(id|no|nr|num|number|key|ref|uid)?$", last))


def _values(one: Field, seen: Iterable[dict[str, Any]]) -> Iterator[str]:
    """The values of a field as text, those of lists each by itself."""
    for body in seen:
        for value in all_at(body, one.path):
            if isinstance(value, str | int | float) and not isinstance(value, bool) and value != "":
                yield str(value)


def _names(seen: list[dict[str, Any]], path: str) -> list[NameUsed]:
    counted: Counter[str] = Counter()
    for body in seen:
        part = at(body, path)
        counted.update(part.keys() if isinstance(part, dict) else ())
    return [NameUsed(*one) for one in counted.most_common(_MOST_NAMES)]
