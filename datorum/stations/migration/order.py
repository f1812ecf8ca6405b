"""The order of a migration's imports, as the links of their records demand it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from typing import NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.layers import Layers, layers
from datorum.stations.imports import Opened, open_imports
from datorum.stations.links import keys_for, links_fed, rule_of, types_addressed
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
    """An import with its links. ``titles``: of its fields by path; ``makes``: the record types of which its links have
    records made; ``leads``: those to which addresses in its texts lead."""

    import_id: int
    record_type: str
    links: tuple[FedLink, ...]
    titles: dict[str, str]
    makes: frozenset[str] = frozenset()
    leads: frozenset[str] = frozenset()


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
    makes = frozenset(
        link.to for path, link in links_fed(now, now.mapping).items()
        if rule_of(now, now.mapping, path).missing == "make"
    )  # fmt: skip
    leads = frozenset(types_addressed(now)) - {now.item.record_type}
    return Linked(now.item.id, now.item.record_type, tuple(links), now.titles, makes, leads)


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


def in_layers(between: Iterable[Between], imports: Collection[Linked]) -> Layers:
    """Some imports in layers, each behind those that bring what its records mean. Where that makes no circle it is
    behind those that bring what its texts lead to as well, and behind those before it that make records of the same
    types: what these make is found by it."""
    needs: dict[int, set[int]] = {one.import_id: set() for one in imports}
    firm: set[tuple[int, int]] = set()
    for one in between:
        needs[one.import_id] |= set(one.to)
        firm |= {(one.import_id, other) for other in one.to if one.link.firm}
    for mine, other in ((mine, other) for mine in imports for other in imports if mine is not other):
        follows = other.record_type in mine.leads or (mine.makes & other.makes and other.import_id < mine.import_id)
        if follows and not _needs(needs, other.import_id, mine.import_id):
            needs[mine.import_id].add(other.import_id)
    return layers(needs, firm)


def _needs(needs: Mapping[int, set[int]], one: int, other: int) -> bool:
    """Whether one import is behind another, be it by way of others."""
    seen: set[int] = set()
    open_now = [one]
    while open_now:
        number = open_now.pop()
        if number == other:
            return True
        further = needs.get(number, set()) - seen
        seen |= further
        open_now += further
    return False


def makers_before(store: Session, item: models.Import, record_type: str) -> list[int]:
    """The imports of the same migration that make records of a type for their links before an import does."""
    if item.migration_id is None:
        return []
    order = order_of(store, item.migration_id)
    own = order.layer.get(item.id, 0)
    return [number for number, layer in order.layer.items()
            if layer < own and record_type in order.makes.get(number, frozenset())]  # fmt: skip


class Order(NamedTuple):
    """The order of a migration's imports, with the record types that each makes for its links."""

    later: frozenset[tuple[int, int]]
    layer: dict[int, int]
    makes: dict[int, frozenset[str]]

    def before(self, import_id: int) -> frozenset[int]:
        """The imports that go before one. Those of a layer go side by side, but for such as bring records of the same
        type, which go one after the other."""
        places = {one: (layer, one) for one, layer in self.layer.items()}
        own = places.get(import_id)
        return frozenset(one for one, place in places.items() if own is not None and place < own)

    def behind(self, import_id: int) -> frozenset[int]:
        """The imports that come behind one though its records mean what they bring, since both mean each other: what
        it means of them is put right by a second pass."""
        return frozenset(other for one, other in self.later if one == import_id)


def comes_later(store: Session, item: models.Import) -> frozenset[int]:
    """The imports of the same migration that come behind one though its records mean what they bring."""
    return order_of(store, item.migration_id).behind(item.id) if item.migration_id is not None else frozenset()


def order_of(store: Session, migration_id: int) -> Order:
    """The order of the imports of a migration. It is remembered until a mapping changes."""
    of, version = models.Import, models.MappingVersion
    asked = select(of.id, func.max(version.version)).join(version, version.import_id == of.id)
    mine = asked.where(of.migration_id == migration_id, of.archived_at.is_(None)).group_by(of.id).order_by(of.id)
    versions = tuple(tuple(row) for row in store.execute(mine))
    return _ORDERS.get(migration_id, versions, lambda: _order_of(store, [number for number, _ in versions]))


_ORDERS: Remembered[Order] = Remembered(64)


def _order_of(store: Session, imports: Sequence[int]) -> Order:
    opened = [linked(one) for one in open_imports(store, imports).values()]
    found = in_layers(links_between(opened), opened)
    return Order(frozenset(found.later), dict(found.layer), {one.import_id: one.makes for one in opened})
