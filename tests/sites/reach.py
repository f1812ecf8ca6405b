"""A site as a person connects it, without keeping it."""

from __future__ import annotations

from collections.abc import Collection

from datorum.sites import SignIn, SiteDescription, describe, fetch_document, must_be_agreed


async def described(address: str, sign_in: SignIn, servers: Collection[str] = ()) -> SiteDescription:
    """What a site says of itself, where it sends requests nowhere that was not agreed to."""
    found = describe(await fetch_document(address, sign_in, allow_private=True), address)
    must_be_agreed(found, address, servers)
    return found
