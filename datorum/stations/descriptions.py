"""What sites say of themselves: each version kept, with what changed, and which imports rest on which."""

from __future__ import annotations

from itertools import pairwise
from typing import Any, NamedTuple

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from datorum.core.model import of_fields
from datorum.sites import SiteDescription, SiteType
from datorum.store import models
from datorum.store.database import session

_MOST = 64
_READ: dict[int, SiteDescription] = {}
"""By their numbers; a large one takes a while to be read."""


def description_of(rests_on: models.Site | models.Import | models.Snapshot) -> SiteDescription:
    """What an import or a snapshot rests on, or what a site said of itself when it was last asked."""
    number = rests_on.description_id
    if number not in _READ:
        with session() as store:
            return _read(store, number)
    return _READ[number]


def _read(store: Session, number: int) -> SiteDescription:
    if number not in _READ:
        _remember(number, SiteDescription.model_validate(store.get_one(models.StoredDescription, number).description))
    return _READ[number]


def _remember(number: int, description: SiteDescription) -> None:
    if len(_READ) > _MOST:
        _READ.clear()
    _READ[number] = description


def version_of(store: Session, rests_on: models.Site | models.Import) -> models.StoredDescription:
    """The version of a description that a site or an import has."""
    return store.get_one(models.StoredDescription, rests_on.description_id)


class Told(NamedTuple):
    """What a site said, and what was made of it: the document, the corrections of it, and what both describe."""

    document: dict[str, Any]
    overlay: dict[str, Any] | None
    description: SiteDescription


def keep_description(store: Session, by: str, site: models.Site, told: Told) -> models.StoredDescription:
    """Keep what a site says as its latest description, a version of its own where it is another than before.

    Imports of the site go on with it where their record type is as it was, or the old one leads to another server;
    the others rest on what they rested on until somebody has them go on.
    """
    before = store.get(models.StoredDescription, site.description_id) if site.description_id else None
    site.described_at = func.now()
    if before is not None and (before.document, before.overlay, description_of(site)) == told:
        return before
    kept = models.StoredDescription(
        site_id=site.id,
        version=before.version + 1 if before else 1,
        address=site.address,
        document=told.document,
        overlay=told.overlay,
        description=told.description.model_dump(mode="json"),
        by=by,
    )
    store.add(kept)
    store.flush()
    _remember(kept.id, told.description)
    site.description_id = kept.id
    for item in store.scalars(select(models.Import).where(models.Import.site_id == site.id)):
        rested_on = description_of(item)
        moved = rested_on.base_url != told.description.base_url and item.record_type in told.description.usable
        if moved or not differences(rested_on, told.description, item.record_type):
            rest_on_latest(store, by, item, site)
    store.flush()
    return kept


def rest_on_latest(store: Session, by: str, item: models.Import, site: models.Site) -> None:
    """Have an import rest on the latest description of its site, its mapping without the feeds of fields that are no
    longer there. Raises NotFound where the site keeps no such records any more."""
    kind = description_of(site).type(item.record_type).record_type
    item.description_id = site.description_id
    versions = select(models.MappingVersion).where(models.MappingVersion.import_id == item.id)
    latest = store.scalars(versions.order_by(models.MappingVersion.version.desc()).limit(1)).first()
    if latest is None:
        return
    body = of_fields(latest.body, kind)
    if body != latest.body:
        store.add(models.MappingVersion(import_id=item.id, version=latest.version + 1, body=body, created_by=by))


class Difference(NamedTuple):
    """One thing that a description says otherwise: of which record type, of which field if of one, and what, as a
    sentence without its end."""

    record_type: str
    field: str
    what: str


def differences(before: SiteDescription, after: SiteDescription, only: str | None = None) -> list[Difference]:
    """What two descriptions say otherwise, of all record types or of one."""
    names = [only] if only else list(dict.fromkeys([*before.usable, *after.usable]))
    found: list[Difference] = []
    for name in names:
        one, other = before.usable.get(name), after.usable.get(name)
        if one is None or other is None:
            gone = "is no longer there" if other is None else "is new"
            found += [Difference(name, "", gone)] if one != other else []
        else:
            found += _between(one, other)
    return found


_ATTRIBUTES = {
    "type": "is {after}, no longer {before}", "required": "is {after}", "read_only": "is {after}",
    "unique": "is {after}", "enum": "takes other values", "format": "has another form",
    "pattern": "has another pattern", "min_length": "is of another length", "max_length": "is of another length",
    "minimum": "has other bounds", "maximum": "has other bounds",
}  # fmt: skip
_YES_NO = {
    ("required", True): "demanded", ("required", False): "no longer demanded",
    ("read_only", True): "no longer taken", ("read_only", False): "taken",
    ("unique", True): "unique", ("unique", False): "no longer unique",
}  # fmt: skip


def _between(one: SiteType, other: SiteType) -> list[Difference]:
    before = {field.path: field for field in one.record_type.fields}
    after = {field.path: field for field in other.record_type.fields}
    found = [Difference(one.name, path, "is new") for path in after.keys() - before.keys()]
    found += [Difference(one.name, path, "is no longer there") for path in before.keys() - after.keys()]
    for path in before.keys() & after.keys():
        said = []
        for name, sentence in _ATTRIBUTES.items():
            was, now = getattr(before[path], name), getattr(after[path], name)
            if was != now:
                words = [_YES_NO.get((name, value), str(value)) for value in (was, now)]
                said.append(sentence.format(before=words[0], after=words[1]))
        if not said and before[path] != after[path]:
            said.append("is described otherwise")
        found += [Difference(one.name, path, what) for what in dict.fromkeys(said)]
    changed = [what for what, names in _WAYS.items() if any(_way(one, name) != _way(other, name) for name in names)]
    return sorted(found + [Difference(one.name, "", what) for what in changed])


_WAYS = {
    "is listed otherwise": ("listing",),
    "is written otherwise": ("create", "update", "delete"),
    "points at other records": ("links",),
    "asks for another sign-in": ("auth",),
    "is silenced otherwise": ("mails",),
    "has another id": ("id_field",),
    "is reached otherwise": ("item", "etag_at", "server"),
}


def _way(one: SiteType, name: str) -> Any:
    """A part of a record type; what can be written is told field by field."""
    part = getattr(one, name)
    if name not in ("create", "update") or part is None:
        return part
    return part.model_copy(update={"fields": (), "not_taken": (), "closed": {}, "required": (), "lacks": ()})


def history_of(
    store: Session, site: models.Site, most: int = 10
) -> list[tuple[models.StoredDescription, list[Difference]]]:
    """The latest versions of a site's description, the newest first, each with what it says otherwise than the one
    before."""
    kept = models.StoredDescription
    newest = select(kept).where(kept.site_id == site.id).order_by(kept.version.desc()).limit(most + 1)
    versions = list(store.scalars(newest))
    read = [_read(store, one.id) for one in versions]
    told = [differences(before, after) for after, before in pairwise(read)]
    return list(zip(versions, [*told, []], strict=False))[:most]
