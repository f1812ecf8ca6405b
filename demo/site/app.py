"""The new site: its REST API and its plain pages."""

from __future__ import annotations

from dataclasses import dataclass, field

from fastapi import FastAPI
from fastapi.exceptions import RequestValidationError

from demo.site.access import Refusal, invalid, refused
from demo.site.actions import actions
from demo.site.behaviour import Behaviour, Misbehaving
from demo.site.kinds import KINDS
from demo.site.pages import pages
from demo.site.routes import routes_of
from demo.store import open_pool, pool_of


@dataclass(frozen=True)
class SiteSettings:
    """Where the site's data lie, the token it takes, and its mail server."""

    database_url: str
    token: str
    smtp_port: int
    behaviour: Behaviour = field(default_factory=Behaviour)


def create_app(settings: SiteSettings) -> FastAPI:
    """The site over its own database."""
    app = FastAPI(
        title="Quillmoss",
        version="2.0",
        description="The new site of the Quillmoss seed co-operative.",
        lifespan=pool_of,
        separate_input_output_schemas=False,
    )
    app.state.settings = settings
    app.state.pool = open_pool(settings.database_url)
    app.state.misbehaving = settings.behaviour
    app.add_middleware(Misbehaving, behaviour=settings.behaviour)
    for kind in KINDS.values():
        app.include_router(routes_of(kind))
    app.include_router(actions)
    app.include_router(pages)
    app.add_exception_handler(Refusal, refused)
    app.add_exception_handler(RequestValidationError, invalid)
    return app
