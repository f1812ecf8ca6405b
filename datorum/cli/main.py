"""The command ``datorum``. Exit status: 0 all well, 1 rows held or failed, 2 could not run."""

from __future__ import annotations

import sys

import typer
from pydantic import ValidationError

from datorum.cli import people, read, serve, stations
from datorum.core.errors import DatorumError

app = typer.Typer(
    no_args_is_help=True,
    pretty_exceptions_enable=False,
    help="Maps the columns of a sheet onto a site's record fields, checks, rehearses, runs and verifies the import.",
)
app.command("read")(read.read)
app.command("import")(stations.new_import)
app.command("check")(stations.check)
app.command("rehearse")(stations.rehearse)
app.command("run")(stations.run)
app.command("verify")(stations.verify)
app.command("site")(people.site)
app.command("person")(people.person)
app.command("serve")(serve.serve)
app.command("worker")(serve.worker)


def main() -> None:
    """Run a command; a domain error is one line on stderr and exit status 2."""
    try:
        app()
    except DatorumError as error:
        print(f"datorum: {_place(error)}{error.sentence()}", file=sys.stderr)
        sys.exit(2)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(part) for part in first["loc"])
        print(f"datorum: {where}: {first['msg']}", file=sys.stderr)
        sys.exit(2)
    except BrokenPipeError:
        # The reader of a pipe has seen enough.
        sys.stderr.close()
        sys.exit(0)


def _place(error: DatorumError) -> str:
    place = error.place
    parts = [place.file, f"row {place.row}" if place.row else None, place.column, place.field]
    told = ", ".join(part for part in parts if part)
    return f"{told}: " if told else ""
