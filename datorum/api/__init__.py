"""The web API: thin routers that parse, call a station and answer."""

from datorum.api.app import create_app

__all__ = ["create_app"]
