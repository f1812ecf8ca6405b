"""The ways to reach a site. Nothing above this package knows which one it is."""

from datorum.sites.protocol import Answer, Outcome, Site
from datorum.sites.rest import (
    SiteDescription,
    SiteModel,
    describe,
    fetch_description,
    fetch_document,
    open_rest_site,
    record_type_of,
    understand,
)

__all__ = [
    "Answer",
    "Outcome",
    "Site",
    "SiteDescription",
    "SiteModel",
    "describe",
    "fetch_description",
    "fetch_document",
    "open_rest_site",
    "record_type_of",
    "understand",
]
