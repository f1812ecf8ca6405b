"""``datorum site``: what an administrator connects."""

from __future__ import annotations

import asyncio
from typing import Annotated

import typer

from datorum.cli.database import connected
from datorum.stations.sites import connect_site


def site(
    name: Annotated[str, typer.Argument(help="What the site is called here.")],
    address: Annotated[str, typer.Argument(help="Where its OpenAPI document is.")],
    token: Annotated[str, typer.Option(envvar="DATORUM_SITE_TOKEN", prompt=True, hide_input=True, help="Its token.")],
    server: Annotated[
        str, typer.Option(help="Where its records are, if its description names another server and you mean that.")
    ] = "",
) -> None:
    """Connect a site, or connect it anew."""
    with connected():
        made = asyncio.run(connect_site("terminal", name, address, token, server))
        print(f"Site {made.id}, {made.name}, is connected.")
