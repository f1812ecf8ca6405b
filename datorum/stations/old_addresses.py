"""Addresses of the site that is left within the texts of an import: where they lead, and what they may lead to."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator
from functools import lru_cache, partial
from typing import NamedTuple

import polars as pl
from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.check import is_fed
from datorum.core.link.addresses import hold_addresses, host_of, keys_in, led_to, own_addresses, path_of
from datorum.core.link.keys import ROW_OF
from datorum.core.model import Field, FieldMapping, FieldType, Mapping
from datorum.core.model.text_addresses import AddressKey, TextAddresses
from datorum.core.shape.grains import own_columns
from datorum.core.shape.shape import values_of
from datorum.sites import SiteType
from datorum.stations.descriptions import description_of
from datorum.stations.feeds_of_files import not_worked_on
from datorum.stations.imports import Opened, latest_mapping, open_import
from datorum.stations.landings import landed_field
from datorum.stations.leading import leading_by
from datorum.stations.link_view import told_apart_by
from datorum.stations.other_imports import others_bringing
from datorum.stations.proof import site_keys
from datorum.stations.remembered import Remembered
from datorum.stations.snapshots import ready_snapshots
from datorum.store.database import session
from datorum.store.sheets import first_rows

_SHOWN, _MOST, _MOST_PLACES, _MOST_KEYS = 9, 3_000, 12, 24
_MOSTLY = 0.5


class AddressHost(BaseModel):
    """A server that addresses name, none where they name none, and how often."""

    host: str
    count: int


class AddressWay(BaseModel):
    """Records that addresses may lead to, and what of such a record may stand in its old address."""

    record_type: str
    by: str
    column: str
    title: str


class LedAddress(BaseModel):
    """An address in a text, how often it stands there, and the one that it becomes; none where it leads nowhere, and
    none yet where its record is still to be made."""

    address: str
    count: int
    becomes: str | None = None
    waits: bool = False


class AddressesView(BaseModel):
    """The addresses in the first texts of a field. ``rule``: what is done with them; ``suggested``: a rule by which
    most lead somewhere, where there is one. ``total`` of them are of the site that is left, of which ``led`` lead to
    records."""

    hosts: list[AddressHost]
    ways: list[AddressWay]
    rule: TextAddresses | None
    suggested: TextAddresses | None
    total: int
    led: int
    examples: list[LedAddress]
    nowhere: list[LedAddress]
    unread: list[str]


def inspect_addresses(store: Session, now: Opened, path: str, mapping: Mapping) -> AddressesView:
    """The addresses in the texts of a field under a mapping that need not be saved. Raises InvalidMapping where there
    is no such field."""
    found = _addresses(now, mapping, now.record_type.field(path))
    rule = mapping.addresses.get(path)
    suggested = _suggested(store, now, mapping, path, found) if found.height else None
    tried = rule or suggested
    hosts = Counter[str]()
    for address, count in found.iter_rows():
        hosts[host_of(address)] += count
    ways = [*_keys(now), *(AddressKey(record_type=kind.name, column=name) for kind in _led_types(now)
                           for name in told_apart_by(store, now, kind.name))] if found.height else []  # fmt: skip
    view = AddressesView(
        hosts=[AddressHost(host=host, count=count) for host, count in hosts.most_common(_SHOWN)],
        ways=[AddressWay(**one.model_dump(exclude={"under"}), title=_called(now, one)) for one in ways],
        rule=rule, suggested=suggested, total=0, led=0, examples=[], nowhere=[], unread=[],
    )  # fmt: skip
    if tried is None:
        return view
    leading = leading_by(store, now, mapping, path, tried)
    is_old = [tried.is_old(one, host_of(one)) for one in found["address"]]
    own = found.filter(pl.Series(is_old, dtype=pl.Boolean))
    led = led_to(own["address"].to_list(), leading.targets)
    counted = [LedAddress(address=address, count=count, waits=led.get(address, "").startswith(ROW_OF),
                          becomes=led.get(address) if not led.get(address, ROW_OF).startswith(ROW_OF) else None)
               for address, count in own.iter_rows()]  # fmt: skip
    lead = [one for one in counted if one.address in led]
    return view.model_copy(update={
        "total": sum(one.count for one in counted), "led": sum(one.count for one in lead), "examples": lead[:_SHOWN],
        "nowhere": [one for one in counted if one.address not in led][:_SHOWN], "unread": list(leading.unread),
    })  # fmt: skip


def lead_to_records(store: Session, import_ids: Iterable[int]) -> None:
    """Have the old addresses in the texts of imports that nobody has worked on lead to records, as far as these are
    known. What has been read is committed: it is looked at as others see it."""
    store.commit()
    for number in import_ids:
        if not_worked_on(store, number):
            _lead(store, number)


def _lead(store: Session, import_id: int) -> None:
    now = open_import(store, import_id)
    columns = _WITH_ADDRESSES.get(now.sheet.id, None, lambda: _with_addresses(store, now))
    rules = {}
    for field in _texts(now, now.mapping):
        if not columns & now.mapping.fields[field.path].seen_columns() and not now.mapping.shape:
            continue
        found = _addresses(now, now.mapping, field)
        rule = _suggested(store, now, now.mapping, field.path, found) if found.height else None
        if rule is not None:
            rules[field.path] = rule
    if rules and rules != now.mapping.addresses:
        changed = now.mapping.model_copy(update={"addresses": rules})
        latest_mapping(store, import_id).body = changed.model_dump(mode="json")
        store.flush()


_WITH_ADDRESSES: Remembered[frozenset[str]] = Remembered(64)


def _with_addresses(store: Session, now: Opened) -> frozenset[str]:
    """The columns of a sheet that have any addresses in their first rows."""
    frame = first_rows(store, now.sheet)
    return frozenset(name for name in own_columns(frame) if hold_addresses(values_of(frame, name)))


def _texts(now: Opened, mapping: Mapping) -> Iterator[Field]:
    """The fed fields whose texts may have addresses in them: no keys, no choices."""
    for field in now.record_type.writable:
        plain = field.type is FieldType.TEXT and not field.enum and not field.unique and field.path not in mapping.keys
        if plain and is_fed(mapping, field.path):
            yield field


def _addresses(now: Opened, mapping: Mapping, field: Field) -> pl.DataFrame:
    fed = mapping.fields.get(field.path) or FieldMapping()
    if not fed.fed or field.type is not FieldType.TEXT:
        return pl.DataFrame(schema={"address": pl.String, "count": pl.UInt32})
    own = host_of(now.item.site.address)
    values = landed_field(now, mapping, field, fed).values
    return own_addresses(values, lambda one: host_of(one) != own and not one.lower().startswith(_NO_PAGES))


_NO_PAGES = ("mailto:", "tel:", "data:", "javascript:")


def _led_types(now: Opened) -> list[SiteType]:
    return [kind for kind in description_of(now.item).usable.values() if kind.address_at is not None]


def _keys(now: Opened) -> list[AddressKey]:
    """What of records of the site may stand in an address: what the site keeps unique, texts first."""
    found = []
    for kind in _led_types(now):
        fields = [field for field in kind.record_type.fields
                  if field.path in kind.unique and field.type in (FieldType.TEXT, FieldType.INTEGER)]  # fmt: skip
        fields.sort(key=lambda field: field.type is not FieldType.TEXT)
        found += [AddressKey(record_type=kind.name, by=field.path) for field in fields]
    return found


def _called(now: Opened, key: AddressKey) -> str:
    if key.column:
        return f"{key.column}, a column of their sheet"
    return description_of(now.item).types[key.record_type].record_type.field(key.by).title


def _may_lead(store: Session, now: Opened, key: AddressKey, wanted: set[str]) -> bool:
    """Whether records have any of some keys, as far as a glance tells: on the site, or in the first rows of the sheets
    that bring them. To join all of them takes much longer."""
    kept = ready_snapshots(store, now.item.site_id).get(key.record_type)
    if kept is not None and not wanted.isdisjoint(_on_site(kept.id, kept.content, key.by)):
        return True
    own = [now.item.id] if key.record_type == now.item.record_type else []
    for number in (*own, *others_bringing(store, now, key.record_type)):
        version = latest_mapping(store, number)
        state = (version.version, version.body)
        if not wanted.isdisjoint(_GLANCED.get((number, key.by), state, partial(_glanced, store, number, key.by))):
            return True
    return False


_GLANCED: Remembered[frozenset[str]] = Remembered(256)


def _glanced(store: Session, import_id: int, path: str) -> frozenset[str]:
    """What a field lands in the first rows of an import."""
    now = open_import(store, import_id)
    if not is_fed(now.mapping, path):
        return frozenset()
    values = landed_field(now, now.mapping, now.record_type.field(path), now.mapping.fields[path]).values
    return frozenset(value.casefold() for value in values.drop_nulls())


@lru_cache(maxsize=64)
def _on_site(snapshot_id: int, _content: str, path: str) -> frozenset[str]:
    with session() as store:
        return frozenset(value.casefold() for value in site_keys(store, snapshot_id, path).drop_nulls())


class _Place(NamedTuple):
    """What addresses of one server have in common: the first part of their paths, where more follow."""

    host: str
    under: str


def _place_of(address: str) -> _Place:
    parts = [part for part in path_of(address).split("/") if part]
    return _Place(host_of(address), parts[0] if len(parts) > 1 else "")


def _suggested(
    store: Session, now: Opened, mapping: Mapping, path: str, found: pl.DataFrame
) -> TextAddresses | None:  # fmt: skip
    """For the addresses of each place the records to which most of them lead."""
    places: dict[_Place, list[str]] = {}
    for address in found["address"].head(_MOST):
        places.setdefault(_place_of(address), []).append(address)
    commonest = sorted(places, key=lambda place: -len(places[place]))[:_MOST_PLACES]
    wanted = {key.casefold() for place in commonest for address in places[place] for key in keys_in(address)}
    keys = [one for one in _keys(now)[:_MOST_KEYS] if commonest and _may_lead(store, now, one, wanted)]
    if not keys:
        return None
    every = TextAddresses(to=tuple(keys))
    leading = leading_by(store, now, mapping, path, every)
    to: dict[AddressKey, None] = {}
    hosts: dict[str, None] = {}
    for place in commonest:
        counts = {at: len(led_to(places[place], [one])) for at, one in enumerate(leading.targets)}
        best = max(counts, key=lambda at: counts[at], default=None)
        if best is not None and counts[best] >= _MOSTLY * len(places[place]):
            to[keys[best].model_copy(update={"under": place.under})] = None
            hosts[place.host] = None
    if not to:
        return None
    return TextAddresses(hosts=tuple(host for host in hosts if host), to=tuple(to))
