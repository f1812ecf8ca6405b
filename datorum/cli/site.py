"""``datorum site``: what an administrator connects, and what a document says of a site."""

from __future__ import annotations

import asyncio
import json
import re
from pathlib import Path
from typing import Annotated, Any

import typer
from pydantic import ValidationError

from datorum.cli.suggest import json_file
from datorum.core.errors import UnreadableFile
from datorum.settings import settings
from datorum.sites import SignIn, SiteModel, fetch_document, understand

site = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)


@site.callback()
def _site() -> None:
    """Connect a site, or look at what a document says of one."""


@site.command()
def connect(
    name: Annotated[str, typer.Argument(help="What the site is called here.")],
    address: Annotated[str, typer.Argument(help="Where its OpenAPI document is.")],
    token: Annotated[
        str, typer.Option(envvar="DATORUM_SITE_TOKEN", help="Its token or key; asked for where nothing else is given.")
    ] = "",
    sign_in: Annotated[
        Path | None,
        typer.Option(help="A JSON file with token, user, password, keys, client_id or client_secret, as it asks for."),
    ] = None,
    server: Annotated[
        list[str], typer.Option(help="A server that its description names beside its own, and that you mean.")
    ] = [],  # noqa: B006 (typer reads it)
) -> None:
    """Connect a site, or connect it anew."""
    from datorum.cli.database import connected
    from datorum.stations.sites import connect_site

    given = _sign_in(sign_in) if sign_in else SignIn(token=token or typer.prompt("Token", hide_input=True))
    with connected():
        made = asyncio.run(connect_site("terminal", name, address, given, server))
        print(f"Site {made.id}, {made.name}, is connected.")


@site.command()
def types(
    schema: Annotated[str, typer.Option(help="An OpenAPI document: a file, or where it is on the web.")],
    as_json: Annotated[bool, typer.Option("--json", help="All of it, as JSON.")] = False,
) -> None:
    """Print the record types that a document describes, with the requests that reach them."""
    model = understand(_document(schema))
    if as_json:
        print(json.dumps(model.told(), indent=2, ensure_ascii=False))
        return
    print(_told(model))


def _sign_in(file: Path) -> SignIn:
    try:
        return SignIn.model_validate(json_file(file))
    except ValidationError as error:
        where = ".".join(str(part) for part in error.errors()[0]["loc"]) or "the file"
        raise UnreadableFile(
            f"{file} is no sign-in: {where}: {error.errors()[0]['msg']}.",
            remedy="Give an object with token, user, password, keys, client_id or client_secret.",
        ) from None


def _document(schema: str) -> Any:
    if re.match(r"(?i)https?://", schema):
        return asyncio.run(fetch_document(schema, SignIn(), allow_private=settings().allow_private_sites))
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
