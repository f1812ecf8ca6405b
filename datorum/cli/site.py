"""``datorum site``: what an administrator connects, and what a document says of a site."""

from __future__ import annotations

import asyncio
import json
import re
from pathlib import Path
from typing import Annotated, Any

import typer

from datorum.cli.suggest import json_file
from datorum.settings import settings
from datorum.sites import SiteModel, fetch_document, understand

site = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)


@site.callback()
def _site() -> None:
    """Connect a site, or look at what a document says of one."""


@site.command()
def connect(
    name: Annotated[str, typer.Argument(help="What the site is called here.")],
    address: Annotated[str, typer.Argument(help="Where its OpenAPI document is.")],
    token: Annotated[str, typer.Option(envvar="DATORUM_SITE_TOKEN", prompt=True, hide_input=True, help="Its token.")],
    server: Annotated[
        str, typer.Option(help="Where its records are, if its description names another server and you mean that.")
    ] = "",
) -> None:
    """Connect a site, or connect it anew."""
    from datorum.cli.database import connected
    from datorum.stations.sites import connect_site

    with connected():
        made = asyncio.run(connect_site("terminal", name, address, token, server))
        print(f"Site {made.id}, {made.name}, is connected.")


@site.command()
def types(
    schema: Annotated[str, typer.Option(help="An OpenAPI document: a file, or where it is on the web.")],
    as_json: Annotated[bool, typer.Option("--json", help="All of it, as JSON.")] = False,
) -> None:
    """Print the record types that a document describes, with the requests that reach them."""
    model = understand(_document(schema))
    if as_json:
        print(json.dumps(model.model_dump(mode="json", by_alias=True), indent=2, ensure_ascii=False))
        return
    print(_told(model))


def _document(schema: str) -> Any:
    if re.match(r"(?i)https?://", schema):
        return asyncio.run(fetch_document(schema, "", allow_private=settings().allow_private_sites))
    return json_file(Path(schema))


def _told(model: SiteModel) -> str:
    lines = []
    for one in model.record_types:
        ways = [f"list {one.listing.path}", f"create {one.create.method.upper()}"]
        ways += [f"update {one.update.method.upper()} {one.update.path}"] if one.update else []
        ways += ["delete"] if one.delete else []
        lines.append(f"{one.name:30} {len(one.fields):3} fields  {', '.join(ways)}")
    lines += [f"not understood: {one.where}: {one.why}" for one in model.not_understood]
    return "\n".join(lines) or "It describes no list that records can be added to."
