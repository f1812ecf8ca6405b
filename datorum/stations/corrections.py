"""What people know better of a site than its document says, and imports that go on with a newer description."""

from __future__ import annotations

from typing import Any, NamedTuple

from sqlalchemy import select
from sqlalchemy.orm import Session

from datorum.core.errors import Conflict
from datorum.core.model import kept_mapping
from datorum.sites import (
    EXTENSION,
    Correction,
    SiteType,
    checked,
    corrected,
    must_be_agreed,
    overlay_with,
    path_of,
    way_called,
)
from datorum.stations.at_rest import must_be_at_rest, site_must_be_at_rest
from datorum.stations.descriptions import (
    Told,
    description_of,
    differences,
    keep_description,
    rest_on_latest,
    version_of,
)
from datorum.stations.feeds_of_files import not_worked_on
from datorum.stations.imports import get_import, latest_mapping
from datorum.stations.read import suggest_anew
from datorum.stations.sites import get_site, no_such_site
from datorum.store import models
from datorum.store.people import record


def correct_type(store: Session, by: str, site_id: int, name: str, correction: Correction) -> models.StoredDescription:
    """Keep what a person says of one record type. Raises NotFound, InvalidOverlay, SiteUnavailable where nothing could
    be made of the site any more, Conflict while a run goes to it."""
    site = get_site(store, site_id)
    path = description_of(site).any_type(name).listing.path
    overlay = overlay_with(version_of(store, site).overlay, site.name, path, correction)
    record(store, by, "site corrected", site.name, record_type=name, **correction.model_dump(mode="json"))
    return _keep(store, by, site_id, overlay)


def replace_overlay(store: Session, by: str, site_id: int, overlay: dict[str, Any] | None) -> models.StoredDescription:
    """Lay other corrections over a site's document: those that were downloaded elsewhere; none, with None. Raises as
    ``correct_type`` does."""
    if overlay is not None:
        checked(overlay)
    record(store, by, "site corrections replaced", get_site(store, site_id).name)
    return _keep(store, by, site_id, overlay)


def overlay_of(store: Session, site_id: int) -> dict[str, Any]:
    """The corrections of a site as an OpenAPI Overlay; one without actions where there are none."""
    site = get_site(store, site_id)
    kept = version_of(store, site).overlay or {"overlay": "1.0.0", "info": _info(site), "actions": []}
    return {**kept, "extends": site.address}


def _info(site: models.Site) -> dict[str, str]:
    return {"title": f"Corrections to {site.name}", "version": "1"}


def _keep(store: Session, by: str, site_id: int, overlay: dict[str, Any] | None) -> models.StoredDescription:
    site = store.get(models.Site, site_id, with_for_update=True)
    if site is None:
        raise no_such_site(site_id)
    site_must_be_at_rest(store, site)
    document = version_of(store, site).document
    if document is None:
        raise Conflict("The site's document was not kept when it was connected.", remedy="Try the site again first.")
    before = description_of(site)
    description = way_called(site.way).describe(corrected(document, overlay), site.address)
    # No correction leads to a server that nobody has agreed to.
    must_be_agreed(description, site.address, before.origins)
    kept = keep_description(store, by, site, Told(document, overlay, description))
    for item in imports_left_behind(store, site):
        if not_worked_on(store, item.id) and item.record_type in description.usable:
            _suggested_by_latest(store, item)
    return kept


class News(NamedTuple):
    """One thing that a site says otherwise than the description that an import rests on: of which field, with its
    title, what, and whether the mapping feeds it."""

    field: str
    title: str
    what: str
    fed: bool


def what_is_new(store: Session, item: models.Import) -> list[News]:
    """What the site's latest description says otherwise of an import's records than the one that it rests on."""
    if item.site.description_id == item.description_id:
        return []
    mapping = kept_mapping(latest_mapping(store, item.id).body)
    fed = {path for path, one in mapping.fields.items() if one.fed}
    before, after = description_of(item), description_of(item.site)
    kinds = [one.usable[item.record_type].record_type for one in (before, after) if item.record_type in one.usable]
    titles = {field.path: field.title for kind in kinds for field in kind.fields}
    return [
        News(one.field, titles.get(one.field, ""), one.what, one.field in fed)
        for one in differences(before, after, item.record_type)
    ]


def go_on_with_latest(store: Session, by: str, import_id: int) -> None:
    """Have an import rest on the site's latest description. Raises NotFound where the site keeps no such records any
    more, Conflict while a run of it is not over."""
    item = get_import(store, import_id)
    must_be_at_rest(store, item)
    if not_worked_on(store, item.id):
        _suggested_by_latest(store, item)
    else:
        rest_on_latest(store, by, item, item.site)
    record(store, by, "description renewed", f"import {import_id}", version=version_of(store, item).version)


def _suggested_by_latest(store: Session, item: models.Import) -> None:
    """Have an import whose mapping nobody has put a hand to rest on the site's latest description, and be suggested
    anew by it. Raises NotFound where the site keeps no such records any more."""
    description_of(item.site).type(item.record_type)
    item.description_id = item.site.description_id
    store.flush()
    store.refresh(item)
    suggest_anew(store, item)


def imports_left_behind(store: Session, site: models.Site) -> list[models.Import]:
    """The imports of a site that rest on an earlier description than its latest."""
    kept = models.Import
    asked = select(kept).where(kept.site_id == site.id, kept.description_id != site.description_id).order_by(kept.id)
    return list(store.scalars(asked))


def said_of(overlay: dict[str, Any] | None) -> dict[str, Correction]:
    """What an overlay says of record types, by the paths of their lists."""
    found: dict[str, Correction] = {}
    for action in (overlay or {}).get("actions") or []:
        said = (action.get("update") or {}).get(EXTENSION) if isinstance(action.get("update"), dict) else None
        path = path_of(action.get("target", ""))
        if said and path is not None:
            found[path] = Correction.model_validate(said)
    return found


def correctable(one: SiteType) -> dict[str, str | None]:
    """What was understood of a record type and can be corrected, by the names that corrections have for it."""
    listing, paging = one.listing, one.listing.paging
    return {
        "title": one.title,
        "id_field": one.id_field,
        "items_at": listing.items_at,
        "entry": listing.entry,
        "total_at": listing.total_at,
        "answer_at": one.item.answer_at if one.item else None,
        "body_at": one.create.body_at,
        "page": paging.page,
        "offset": paging.offset,
        "cursor": paging.cursor,
        "size": paging.size,
        "size_most": str(paging.size_most) if paging.size_most else None,
        "next_at": paging.next_at,
        "next_token_at": paging.next_token_at,
        "first": str(paging.first),
        "page_field": one.page_field,
        "silences_mail": one.mails[0].name if one.mails else None,
    }
