"""The order of a migration's imports, as the links of their records demand it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

from datorum.core.layers import Layers, layers
from datorum.stations.imports import Opened
from datorum.stations.links import keys_for, links_fed, rule_of


class Between(NamedTuple):
    """A link of the records of one import to those of another, or to those of none: ``by`` the titles of the fields by
    which they are looked for."""

    import_id: int
    path: str
    title: str
    to_type: str
    to: tuple[int, ...]
    by: tuple[str, ...]


def links_between(opened: Sequence[Opened]) -> list[Between]:
    """The links that are fed, with the imports that bring what they mean."""
    brings: dict[str, list[int]] = {}
    for one in opened:
        brings.setdefault(one.item.record_type, []).append(one.item.id)
    found = []
    for one in opened:
        for path, link in links_fed(one, one.mapping).items():
            rule = rule_of(one, one.mapping, path)
            others = brings.get(link.to, []) if "imports" in rule.look else []
            found.append(
                Between(
                    one.item.id, path, one.titles.get(path, path), link.to,
                    tuple(other for other in others if other != one.item.id),
                    tuple(key.title for key in keys_for(one, link, rule)),
                )
            )  # fmt: skip
    return found


def in_layers(opened: Sequence[Opened]) -> Layers:
    """The imports in layers, each behind those that bring what its records mean."""
    needs: dict[int, set[int]] = {one.item.id: set() for one in opened}
    for link in links_between(opened):
        needs[link.import_id] |= set(link.to)
    return layers(needs)
