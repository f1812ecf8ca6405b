"""REST sites: described by their OpenAPI document, reached by aiohttp."""

from datorum.sites.rest.client import fetch_document, must_be_agreed, open_rest_site
from datorum.sites.rest.description import SiteDescription, describe, keys_of_links, link_keys, record_type_of
from datorum.sites.rest.model import Credential, SiteModel, SiteType
from datorum.sites.rest.overlay import EXTENSION, Correction, checked, corrected, overlay_with, path_of
from datorum.sites.rest.parts import singular
from datorum.sites.rest.understand import understand

__all__ = [
    "EXTENSION",
    "Correction",
    "Credential",
    "SiteDescription",
    "SiteModel",
    "SiteType",
    "checked",
    "corrected",
    "describe",
    "fetch_document",
    "keys_of_links",
    "link_keys",
    "must_be_agreed",
    "open_rest_site",
    "overlay_with",
    "path_of",
    "record_type_of",
    "singular",
    "understand",
]
