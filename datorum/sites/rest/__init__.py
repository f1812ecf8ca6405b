"""REST sites: described by their OpenAPI document, reached by aiohttp."""

from datorum.sites.rest.client import fetch_description, fetch_document, open_rest_site
from datorum.sites.rest.description import SiteDescription, describe, record_type_of
from datorum.sites.rest.model import SiteModel
from datorum.sites.rest.understand import understand

__all__ = [
    "SiteDescription",
    "SiteModel",
    "describe",
    "fetch_description",
    "fetch_document",
    "open_rest_site",
    "record_type_of",
    "understand",
]
