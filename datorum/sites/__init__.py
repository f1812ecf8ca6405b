"""The ways to reach a site. Nothing above this package knows which one it is."""

from datorum.sites.protocol import Answer, Outcome, Site
from datorum.sites.rest import SiteDescription, describe, fetch_description, open_rest_site, record_type_of

__all__ = [
    "Answer",
    "Outcome",
    "Site",
    "SiteDescription",
    "describe",
    "fetch_description",
    "open_rest_site",
    "record_type_of",
]
