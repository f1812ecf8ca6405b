"""The command ``datorum``. Exit status: 0 all well, 1 rows held or failed, 2 could not run."""

from __future__ import annotations

import gc
import importlib
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import typer
import typer.core
from pydantic import ValidationError

from datorum.core.errors import DatorumError, fault_of

_COMMANDS = {
    "read": "datorum.cli.read:read",
    "suggest": "datorum.cli.suggest:suggest",
    "records": "datorum.cli.records:records",
    "formula": "datorum.cli.formula:formula",
    "import": "datorum.cli.stations:new_import",
    "check": "datorum.cli.stations:check",
    "rehearse": "datorum.cli.stations:rehearse",
    "run": "datorum.cli.stations:run",
    "verify": "datorum.cli.stations:verify",
    "undo": "datorum.cli.stations:undo",
    "site": "datorum.cli.site:site",
    "person": "datorum.cli.people:person",
    "password": "datorum.cli.people:password",
    "sign-out": "datorum.cli.people:sign_out",
    "remove-person": "datorum.cli.people:remove_person",
    "serve": "datorum.cli.serve:serve",
    "worker": "datorum.cli.worker:worker",
}


class _OnDemand(typer.core.TyperGroup):
    """Imports a command's module when it is called: looking at a file need not load a web server."""

    def list_commands(self, ctx: Any) -> list[str]:
        return list(_COMMANDS)

    def get_command(self, ctx: Any, cmd_name: str) -> Any:
        if cmd_name not in _COMMANDS:
            return None
        module, function = _COMMANDS[cmd_name].split(":")
        with _staying():
            found = getattr(importlib.import_module(module), function)
        if isinstance(found, typer.Typer):
            return typer.main.get_command(found)
        alone = typer.Typer(add_completion=False, pretty_exceptions_enable=False)
        alone.command(cmd_name)(found)
        return typer.main.get_command(alone)


@contextmanager
def _staying() -> Iterator[None]:
    """What is loaded meanwhile stays to the end. To look among it for what could be let go takes a third of the time
    that it takes to start, and comes back whenever much is asked of a server."""
    gc.disable()
    try:
        yield
    finally:
        gc.enable()
        settled()


def settled() -> None:
    """Have what is loaded by now stay to the end, and what could be let go looked for less often: of many records that
    are read at once nothing can, and looking takes as long as reading them."""
    gc.freeze()
    gc.set_threshold(_SINCE_THE_LAST_LOOK, 20, 50)


_SINCE_THE_LAST_LOOK = 20_000
"""As many things more that could be let go."""


app = typer.Typer(cls=_OnDemand, add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)


@app.callback()
def datorum() -> None:
    """Maps the columns of a sheet onto a site's record fields, checks, rehearses, runs and verifies the import."""


def main() -> None:
    """Run a command; a domain error is one line on stderr and exit status 2."""
    try:
        app()
    except DatorumError as error:
        print(f"datorum: {_place(error)}{error.sentence()}", file=sys.stderr)
        sys.exit(2)
    except ValidationError as error:
        where, said = fault_of(error.errors()[0])
        print(f"datorum: {where}: {said}", file=sys.stderr)
        sys.exit(2)
    except BrokenPipeError:
        # The reader of a pipe has seen enough.
        sys.stderr.close()
        sys.exit(0)


def _place(error: DatorumError) -> str:
    place = error.place
    parts = [place.file, f"row {place.row}" if place.row else None, place.column, place.field]
    line = ", ".join(part for part in parts if part)
    return f"{line}: " if line else ""
