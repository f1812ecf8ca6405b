"""Which records of a site point at others that are to be deleted."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterable, Mapping

from sqlalchemy.orm import Session

from datorum.core.json_text import loads
from datorum.core.model import SiteRecord
from datorum.core.values import all_at, at
from datorum.sites import SiteDescription
from datorum.sites.rest.model import Link
from datorum.stations.descriptions import description_of
from datorum.stations.snapshots import ready_snapshots
from datorum.store import models, snapshots


def types_pointing(description: SiteDescription, names: Collection[str]) -> list[str]:
    """The record types of a site whose records link to those of some others."""
    return [
        name
        for name, kind in description.usable.items()
        if kind.translates is None and any(link.to in names for link in kind.links)
    ]


def pointers(
    store: Session, site_id: int, description: SiteDescription, going: Mapping[str, Mapping[str, SiteRecord]]
) -> dict[tuple[str, str], Counter[str]]:
    """How many records of which types point at records that are ``going``, by their types and ids; those that go
    themselves are not counted, nor those of types that were not read."""
    found: dict[tuple[str, str], Counter[str]] = {}
    ready = ready_snapshots(store, site_id)
    for name in types_pointing(description, going.keys()):
        if name not in ready:
            continue
        links = {link.field: (link.to, _by_key(description, link, going[link.to]))
                 for link in description.usable[name].links if link.to in going}  # fmt: skip
        own = going.get(name, {})
        for chunk in snapshots.chunks(store, ready[name].id, [snapshots.ID, snapshots.BODY]):
            for record_id, body in chunk.select(snapshots.ID, snapshots.BODY).iter_rows():
                if record_id in own:
                    continue
                read = loads(body)
                meant = {(to, ids[str(value)]) for path, (to, ids) in links.items() for value in all_at(read, path)
                         if str(value) in ids}  # fmt: skip
                for one in meant:
                    found.setdefault(one, Counter())[name] += 1
    return found


def said_of_pointers(store: Session, item: models.Import, going: Iterable[SiteRecord]) -> dict[str, str]:
    """Who points at records of an import's type that would be deleted, by their ids, in words."""
    own, description = item.record_type, description_of(item.site)
    if own not in description.usable or not types_pointing(description, [own]):
        return {}
    found = pointers(store, item.site_id, description, {own: {one.id: one for one in going}})
    return {record_id: in_words(counts) for (_, record_id), counts in found.items()}


def _by_key(description: SiteDescription, link: Link, going: Mapping[str, SiteRecord]) -> dict[str, str]:
    """The ids of records by what a link says of them."""
    if link.by == description.usable[link.to].id_field:
        return {record_id.rpartition("/")[2]: record_id for record_id in going}
    return {str(value): record_id for record_id, record in going.items()
            if (value := at(record.body, link.by)) is not None}  # fmt: skip


def in_words(counts: Mapping[str, int]) -> str:
    """Who points at a record, as a phrase."""
    parts = [f"{count:,} of the site’s {name}" for name, count in sorted(counts.items())]
    return f"{' and '.join(parts)} point{'s' if sum(counts.values()) == 1 else ''} at it"
