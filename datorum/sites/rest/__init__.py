"""REST sites: described by their OpenAPI document, reached by aiohttp."""

from datorum.sites.rest.client import fetch_description, open_rest_site
from datorum.sites.rest.description import SiteDescription, describe, record_type_of

__all__ = ["SiteDescription", "describe", "fetch_description", "open_rest_site", "record_type_of"]
