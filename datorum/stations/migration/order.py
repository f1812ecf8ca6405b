"""The order of a migration's imports, as the links of their records demand it."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import NamedTuple

from datorum.core.layers import Layers, layers
from datorum.stations.imports import Opened
from datorum.stations.links import keys_for, links_fed, rule_of


class FedLink(NamedTuple):
    """A link that is fed: to records of what type, ``by`` the titles of which fields, and whether it is looked for
    among what other imports bring."""

    path: str
    to_type: str
    by: tuple[str, ...]
    among_imports: bool


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
        links.append(FedLink(path, link.to, by, "imports" in rule.looked_in))
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
    for one in between:
        needs[one.import_id] |= set(one.to)
    return layers(needs)
