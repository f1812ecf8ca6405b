"""The ways to reach a site. Nothing above this package knows which one it is."""

from datorum.sites.protocol import Answer, Outcome, Site
from datorum.sites.rest import (
    EXTENSION,
    Correction,
    Credential,
    SiteDescription,
    SiteModel,
    SiteType,
    checked,
    corrected,
    describe,
    fetch_document,
    must_be_agreed,
    open_rest_site,
    overlay_with,
    path_of,
    record_type_of,
    understand,
)
from datorum.sites.sign_in import SignIn

__all__ = [
    "EXTENSION",
    "Answer",
    "Correction",
    "Credential",
    "Outcome",
    "SignIn",
    "Site",
    "SiteDescription",
    "SiteModel",
    "SiteType",
    "checked",
    "corrected",
    "describe",
    "fetch_document",
    "must_be_agreed",
    "open_rest_site",
    "overlay_with",
    "path_of",
    "record_type_of",
    "understand",
]
