"""The order of a migration's imports, as the links of their records demand it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.layers import Layers, layers
from datorum.stations.imports import Opened, open_import
from datorum.stations.links import keys_for, links_fed, rule_of
from datorum.stations.remembered import Remembered
from datorum.store import models


class FedLink(NamedTuple):
    """A link that is fed: to records of what type, ``by`` the titles of which fields, and whether it is looked for
    among what other imports bring; ``firm``: the site takes no record without it."""

    path: str
    to_type: str
    by: tuple[str, ...]
    among_imports: bool
    firm: bool


class Linked(NamedTuple):
    """An import with its links. ``titles``: of its fields by path."""

    import_id: int
    record_type: str
    links: tuple[FedLink, ...]
    titles: dict[str, str]


class Between(NamedTuple):
    """A link of the records of one import to those of others: to none where no import brings what they mean."""

    import_id: int
    title: str
    link: FedLink
    to: tuple[int, ...]


def linked(now: Opened) -> Linked:
    """An import with the links that its mapping feeds."""
    links = []
    for path, link in links_fed(now, now.mapping).items():
        rule = rule_of(now, now.mapping, path)
        by = tuple(key.title for key in keys_for(now, link, rule))
        field = now.record_type.field(path)
        firm = field.required or field.in_list is not None
        links.append(FedLink(path, link.to, by, "imports" in rule.looked_in, firm))
    return Linked(now.item.id, now.item.record_type, tuple(links), now.titles)


def links_between(imports: Sequence[Linked]) -> list[Between]:
    """The links of some imports, each with those of them that bring what it means."""
    brings: dict[str, list[int]] = {}
    for one in imports:
        brings.setdefault(one.record_type, []).append(one.import_id)
    found = []
    for one in imports:
        for link in one.links:
            others = brings.get(link.to_type, []) if link.among_imports else []
            to = tuple(other for other in others if other != one.import_id)
            found.append(Between(one.import_id, one.titles.get(link.path, link.path), link, to))
    return found


def in_layers(between: Iterable[Between], imports: Iterable[int]) -> Layers:
    """Some imports in layers, each behind those that bring what its records mean."""
    needs: dict[int, set[int]] = {number: set() for number in imports}
    firm: set[tuple[int, int]] = set()
    for one in between:
        needs[one.import_id] |= set(one.to)
        firm |= {(one.import_id, other) for other in one.to if one.link.firm}
    return layers(needs, firm)


def comes_later(store: Session, item: models.Import) -> frozenset[int]:
    """The imports of the same migration that come behind one though its records mean what they bring, since both mean
    each other: what it means of them is put right by a second pass."""
    if item.migration_id is None:
        return frozenset()
    of, version = models.Import, models.MappingVersion
    asked = select(of.id, func.max(version.version)).join(version, version.import_id == of.id)
    mine = asked.where(of.migration_id == item.migration_id, of.archived_at.is_(None)).group_by(of.id).order_by(of.id)
    versions = tuple(tuple(row) for row in store.execute(mine))
    order = _ORDERS.get(item.migration_id, versions, lambda: _order_of(store, [number for number, _ in versions]))
    return frozenset(other for one, other in order.later if one == item.id)


_ORDERS: Remembered[Layers] = Remembered(64)


def _order_of(store: Session, imports: Sequence[int]) -> Layers:
    return in_layers(links_between([linked(open_import(store, number)) for number in imports]), imports)
