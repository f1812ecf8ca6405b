"""The ways to reach a site: one line each."""

from __future__ import annotations

from collections.abc import Callable
from contextlib import AbstractAsyncContextManager
from dataclasses import dataclass
from typing import Any, Protocol

from datorum.core.errors import NotFound
from datorum.sites.limits import Pace
from datorum.sites.protocol import Site
from datorum.sites.rest import SiteDescription, describe, fetch_document, open_rest_site
from datorum.sites.sign_in import SignIn


class Fetches(Protocol):
    async def __call__(self, address: str, sign_in: SignIn, *, allow_private: bool) -> Any:
        """What a site says of itself, as it says it. Raises SiteUnavailable, SiteRefused."""
        ...


class Opens(Protocol):
    def __call__(
        self,
        description: SiteDescription,
        name: str,
        sign_in: SignIn,
        *,
        allow_private: bool,
        connections: int,
        pace: Pace,
        answer_seconds: float,
    ) -> AbstractAsyncContextManager[Site]:
        """One record type of a described site, for as long as the block lasts. What changes something is waited for no
        longer than ``answer_seconds``."""
        ...


@dataclass(frozen=True)
class Way:
    """``title``: what a person calls a site of this kind. ``fetch`` asks for its description, ``describe`` understands
    it, and ``open`` reaches one of its record types."""

    title: str
    fetch: Fetches
    describe: Callable[[Any, str], SiteDescription]
    open: Opens


WAYS = {"rest": Way("a REST API with an OpenAPI document", fetch_document, describe, open_rest_site)}


def way_called(name: str) -> Way:
    """Raises NotFound where this version of Datorum has no such way."""
    if name not in WAYS:
        raise NotFound(f"There is no way “{name}” to reach a site.", remedy=f"There are these: {', '.join(WAYS)}.")
    return WAYS[name]
