"""What was decided on in earlier imports of the same kind of record, to be used again."""

from __future__ import annotations

import datetime as dt
from collections.abc import Iterator

from pydantic import BaseModel
from sqlalchemy import func, select, true
from sqlalchemy.dialects.postgresql import distinct_on
from sqlalchemy.orm import Session

from datorum.core.errors import InvalidMapping
from datorum.core.mapping import Difference, differences
from datorum.core.model import Mapping, kept_mapping, keys_of
from datorum.core.suggest import Chosen, Decided, refused_in
from datorum.stations.imports import Opened
from datorum.store import models
from datorum.store.people import record
from datorum.store.sheets import drawn_on

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
        sheet = drawn_on(store, version.import_id)
        share = _share_in_common(set(sheet.headers), set(now.sheet.headers))
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
    # Where addresses lead is of that site.
    kept = {"fields": fields, "addresses": now.mapping.addresses}
    return mapping.model_copy(update={**kept, **keys_of(mapping.match_key, mapping.key_with, there)})


def _missing_in(headers: list[str], others: list[str]) -> list[str]:
    """The headers of ``others`` that ``headers`` lacks."""
    return [name for name in others if name not in headers]


def chosen_before(store: Session, item: models.Import) -> Chosen:
    """What fed each field in the team's latest imports of the same kind of record. What was decided of sheets from the
    same source counts before what was of others, and what was for the same site before what was for others."""
    decided = list(_decided(store, item.record_type, item.id))
    near = _nearness(store, item, [version.import_id for version, _ in decided])
    # The latest of equally near ones first, as they come.
    decided.sort(key=lambda one: -near[one[0].import_id])
    return Chosen(one for _, one in decided)


def _nearness(store: Session, item: models.Import, others: list[int]) -> dict[int, int]:
    """Of imports, 2 where their sheet has much the same columns as that of this one, which one source gives, and 1 more
    where they are for its site."""
    wanted = [item.id, *others]
    drawn = models.DrawnSheet
    rows = store.execute(
        select(models.Import.id, models.Import.site_id, models.StoredSheet.headers)
        .join(drawn, drawn.import_id == models.Import.id)
        .join(models.StoredSheet, models.StoredSheet.id == drawn.sheet_id)
        .where(models.Import.id.in_(wanted), drawn.role == "")
    )
    sheets = {import_id: (site_id, set(headers)) for import_id, site_id, headers in rows}
    own = sheets.get(item.id, (item.site_id, set()))[1]
    return {
        one: 2 * (_share_in_common(own, headers) >= _ALIKE) + (site == item.site_id)
        for one in others
        for site, headers in [sheets.get(one, (0, set()))]
    }


def _share_in_common(one: set[str], other: set[str]) -> float:
    """What part of all columns of two sheets both have, 0 to 1."""
    return len(one & other) / max(len(one | other), 1)


def _decided(
    store: Session, record_type: str, but: int | None = None
) -> Iterator[tuple[models.MappingVersion, Decided]]:
    """The mappings that people had a hand in, each with what had been suggested at first."""
    versions = list(_versions(store, record_type, but))
    first = select(models.MappingVersion).where(
        models.MappingVersion.version == 1,
        models.MappingVersion.import_id.in_(version.import_id for version in versions),
    )
    suggested = {one.import_id: kept_mapping(one.body) for one in store.scalars(first)}
    for version in versions:
        yield version, Decided(kept_mapping(version.body), suggested.get(version.import_id, Mapping()))


def _versions_before(store: Session, item: models.Import) -> Iterator[models.MappingVersion]:
    """Those of other imports of the same kind of record, the latest first."""
    return _versions(store, item.record_type, item.id)


def _versions(store: Session, record_type: str, but: int | None) -> Iterator[models.MappingVersion]:
    """The mappings that people had a hand in, of imports of a kind of record but one, the latest first; those that what
    was learnt has been cleared since are left out."""
    cleared = select(models.LearningCleared.at).where(models.LearningCleared.record_type == record_type)
    since = store.scalar(cleared)
    latest = (
        select(models.MappingVersion)
        .join(models.Import, models.Import.id == models.MappingVersion.import_id)
        .where(models.Import.record_type == record_type, models.Import.id != (but or 0))
        .where(models.MappingVersion.version > 1)
        .where(models.MappingVersion.created_at > since if since else true())
        .ext(distinct_on(models.MappingVersion.import_id))
        .order_by(models.MappingVersion.import_id.desc(), models.MappingVersion.version.desc())
        .limit(_IMPORTS_REMEMBERED)
    )
    yield from store.scalars(latest)


def pairs_before(store: Session, item: models.Import, path: str) -> dict[str, str]:
    """The pairs that the team's latest imports of the same kind of record have for a field; the latest decision
    counts."""
    pairs: dict[str, str] = {}
    for version in _versions_before(store, item):
        mapping = kept_mapping(version.body)
        fed = mapping.fields.get(path)
        try:
            table = mapping.resolved(fed).value_table if fed else None
        except InvalidMapping:
            continue
        for value, site_value in (table.pairs if table else {}).items():
            pairs.setdefault(value, site_value)
    return pairs


class Learnt(BaseModel):
    """One thing that people decided in an import, which suggestions go by since: that columns feed a field, by steps,
    or that they do not. Of cells nothing is kept but the pairs of a value table, which somebody wrote."""

    columns: list[str]
    field: str
    steps: list[str]
    refused: bool
    import_id: int
    import_name: str
    by: str
    at: dt.datetime


def learnt(store: Session, record_type: str) -> list[Learnt]:
    """What is gone by for a kind of record, the latest first; of what was decided several times, the latest."""
    found: dict[tuple[str, tuple[str, ...]], Learnt] = {}
    for version, (mapping, suggested) in _decided(store, record_type):
        item = store.get_one(models.Import, version.import_id)
        told = {
            "import_id": item.id, "import_name": item.name, "by": version.created_by, "at": version.created_at,
        }  # fmt: skip
        for path, fed in mapping.fields.items():
            if fed.columns:
                steps = [step.sentence() for step in fed.steps]
                one = Learnt(columns=list(fed.columns), field=path, steps=steps, refused=False, **told)
                found.setdefault((path, tuple(name.strip().lower() for name in fed.columns)), one)
        for path, columns in refused_in(mapping, suggested):
            one = Learnt(columns=list(columns), field=path, steps=[], refused=True, **told)
            found.setdefault((path, columns), one)
    return list(found.values())


def clear_learnt(store: Session, by: str, record_type: str) -> None:
    """Go by nothing that was decided for a kind of record until now. The imports keep their mappings."""
    kept = store.get(models.LearningCleared, record_type) or models.LearningCleared(record_type=record_type)
    kept.by, kept.at = by, func.clock_timestamp()
    store.add(kept)
    record(store, by, "learning cleared", record_type)
