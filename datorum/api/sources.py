"""The sources of a site."""

from __future__ import annotations

from fastapi import APIRouter

from datorum.api.access import Store, Viewer
from datorum.api.numbers import Id
from datorum.stations import sources

router = APIRouter(prefix="/api/sites/{site_id}/sources", tags=["sources"])


@router.get("")
def list_sources(store: Store, _: Viewer, site_id: Id) -> list[sources.SourceView]:
    """The sources of a site, the latest first, with the sheets in them and the imports that draw on them."""
    return sources.sources_of(store, site_id)
