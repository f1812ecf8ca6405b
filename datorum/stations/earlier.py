"""What was decided on in earlier imports of the same kind of record, to be used again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from pydantic import BaseModel
from sqlalchemy import select
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidMapping
from datorum.core.mapping import Difference, differences
from datorum.core.model import Mapping, kept_mapping
from datorum.core.suggest import Chosen
from datorum.stations.imports import Opened
from datorum.store import models
from datorum.store.sheets import latest_sheet

_IMPORTS_REMEMBERED = 50
_ALIKE = 0.7
"""A sheet is like an earlier one where they share at least this part of all their columns."""


class Earlier(BaseModel):
    """An earlier import whose file had much the same columns, and its mapping as it would be for this one.

    ``new`` are the columns of this sheet alone, ``gone`` those of the earlier one alone; ``differences`` are what that
    mapping says otherwise than the one that stands.
    """

    import_id: int
    name: str
    filename: str
    by: str
    at: dt.datetime
    new: list[str]
    gone: list[str]
    differences: list[Difference]
    mapping: Mapping


def earlier_like(store: Session, now: Opened) -> Earlier | None:
    """The earlier import that is most like this one, the latest of equals; None where none is, where its mapping says
    nothing otherwise, or where somebody has changed this one's already."""
    if now.mapping_version > 1:
        return None
    best: tuple[models.MappingVersion, models.StoredSheet] | None = None
    alike = _ALIKE
    for version in _versions_before(store, now.item):
        sheet = latest_sheet(store, version.import_id)
        both, either = set(sheet.headers) & set(now.sheet.headers), set(sheet.headers) | set(now.sheet.headers)
        share = len(both) / max(len(either), 1)
        if share > alike or (best is None and share == alike):
            best, alike = (version, sheet), share
    return _offer(store, now, *best) if best else None


def _offer(store: Session, now: Opened, version: models.MappingVersion, sheet: models.StoredSheet) -> Earlier | None:
    mapping = _onto(kept_mapping(version.body), now)
    found = differences(now.mapping, mapping)
    if not found:
        return None
    return Earlier(
        import_id=version.import_id,
        name=store.get_one(models.Import, version.import_id).name,
        filename=sheet.original.filename,
        by=version.created_by,
        at=version.created_at,
        new=_missing_in(sheet.headers, now.sheet.headers),
        gone=_missing_in(now.sheet.headers, sheet.headers),
        differences=found,
        mapping=mapping,
    )


def _onto(mapping: Mapping, now: Opened) -> Mapping:
    """A mapping of the same kind of record without what this site's has not."""
    there = {field.path for field in now.record_type.writable}
    fields = {path: fed for path, fed in mapping.fields.items() if path in there}
    return mapping.model_copy(
        update={"fields": fields, "match_key": mapping.match_key if mapping.match_key in there else None}
    )


def _missing_in(headers: list[str], others: list[str]) -> list[str]:
    """The headers of ``others`` that ``headers`` lacks."""
    return [name for name in others if name not in headers]


def chosen_before(store: Session, item: models.Import) -> Chosen:
    """What fed each field in the team's latest imports of the same kind of record."""
    return Chosen(_mappings_before(store, item))


def _mappings_before(store: Session, item: models.Import) -> Iterator[Mapping]:
    for version in _versions_before(store, item):
        yield kept_mapping(version.body)


def _versions_before(store: Session, item: models.Import) -> Iterator[models.MappingVersion]:
    """The mappings that people had a hand in, of other imports of the same kind of record, the latest first."""
    latest = (
        select(models.MappingVersion)
        .join(models.Import, models.Import.id == models.MappingVersion.import_id)
        .where(models.Import.record_type == item.record_type, models.Import.id != item.id)
        .where(models.MappingVersion.version > 1)
        .ext(distinct_on(models.MappingVersion.import_id))
        .order_by(models.MappingVersion.import_id.desc(), models.MappingVersion.version.desc())
        .limit(_IMPORTS_REMEMBERED)
    )
    yield from store.scalars(latest)


def pairs_before(store: Session, item: models.Import, path: str) -> dict[str, str]:
    """The pairs that the team's latest imports of the same kind of record have for a field; the latest decision
    counts."""
    pairs: dict[str, str] = {}
    for mapping in _mappings_before(store, item):
        fed = mapping.fields.get(path)
        try:
            table = mapping.resolved(fed).value_table if fed else None
        except InvalidMapping:
            continue
        for value, site_value in (table.pairs if table else {}).items():
            pairs.setdefault(value, site_value)
    return pairs
