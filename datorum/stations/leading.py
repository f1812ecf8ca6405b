"""Where addresses in the texts of an import lead: the records that they may lead to, and the addresses of those."""

from __future__ import annotations

from collections.abc import Collection

from sqlalchemy.orm import Session

from datorum.core.link import LinkTarget
from datorum.core.link.addresses import AddressTarget, Leading
from datorum.core.model import Mapping
from datorum.core.model.text_addresses import TextAddresses
from datorum.sites import singular
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened
from datorum.stations.link_targets import Sought, on_site, tables_of, targets
from datorum.stations.links import addresses_fed, keys_for, link_of_address, links_fed, rule_of
from datorum.stations.snapshots import ready_snapshots


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
        tables = tuple(tables_of(store, now, mapping, link, by, keys))
        snapshot = kept.get(one.record_type)
        if snapshot is None:
            unread.append(one.record_type)
        sought = Sought(kind.address_at, (kind.id_field or "id",), on_paths=False, active=False)
        addresses = on_site(snapshot.id, str(snapshot.as_of), sought) if snapshot is not None else None
        called = singular(one.record_type).replace("_", " ")
        targets.append(AddressTarget(LinkTarget(by, one.record_type, called, keys, tables), addresses, one.under))
    return Leading(rule, tuple(targets), tuple(dict.fromkeys(unread)))


def still_to_bring(store: Session, now: Opened) -> frozenset[int]:
    """The imports among whose records fed links of an import look, and that have not been run."""
    led = (one.target for leading in leadings(store, now).values() for one in leading.targets)
    tables = (table for target in (*targets(store, now).values(), *led) for table in target.tables)
    return frozenset(table.of_import for table in tables if table.open and table.of_import is not None)


def types_unread(now: Opened, read: Collection[str]) -> list[str]:
    """The record types that fed links, and addresses in texts, look for on the site, and that are not among those
    that have been ``read``."""
    sought = {link.to for path, link in links_fed(now, now.mapping).items()
              if "site" in rule_of(now, now.mapping, path).looked_in}  # fmt: skip
    sought |= {one.record_type for rule in addresses_fed(now, now.mapping).values() for one in rule.to}
    return sorted(sought.difference(read))
