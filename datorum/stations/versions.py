"""The versions of an import's mapping, what changed from one to the next, and the way back."""

from __future__ import annotations

import datetime as dt

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import NotFound
from datorum.core.mapping import Difference, Drift, differences, drift
from datorum.core.model import Mapping, kept_mapping
from datorum.stations.imports import Opened, get_import, mapping_version
from datorum.store import models
from datorum.store.sheets import load_profiles

_MOST = 200


class Version(BaseModel):
    """One state of a mapping with what was changed to come to it."""

    version: int
    by: str
    at: dt.datetime
    changes: list[Difference]


def versions_of(store: Session, import_id: int) -> list[Version]:
    """The latest versions, the newest first; the first of all has no changes."""
    get_import(store, import_id)
    kept = models.MappingVersion
    asked = select(kept).where(kept.import_id == import_id).order_by(kept.version.desc()).limit(_MOST + 1)
    found = list(store.scalars(asked))
    mappings = [kept_mapping(one.body) for one in found]
    return [
        Version(
            version=one.version,
            by=one.created_by,
            at=one.created_at,
            changes=differences(mappings[at + 1], mappings[at]) if at + 1 < len(mappings) else [],
        )
        for at, one in enumerate(found[:_MOST])
    ]


def version_of(store: Session, import_id: int, version: int) -> Mapping:
    """The mapping as it was. Raises NotFound."""
    found = mapping_version(store, import_id, version)
    if found is None:
        raise NotFound(f"The mapping has no version {version}.", remedy="Look at the list of versions.")
    return found


def since(store: Session, now: Opened, version: int) -> list[Difference]:
    """What the mapping says now otherwise than in an earlier version."""
    return differences(version_of(store, now.item.id, version), now.mapping)


def drift_of(store: Session, now: Opened) -> Drift:
    """How the sheet's columns differ from those that the mapping was made for."""
    return drift(now.record_type, now.mapping, load_profiles(store, now.sheet.id))
