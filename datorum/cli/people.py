"""``datorum person`` and the other commands about who may sign in."""

from __future__ import annotations

from typing import Annotated

import typer

from datorum.cli.database import connected
from datorum.store import people
from datorum.store.database import session


def person(
    name: Annotated[str, typer.Argument(help="The name to sign in with.")],
    role: Annotated[str, typer.Option(help="administrator, editor or viewer")] = "editor",
    password: Annotated[
        str, typer.Option(envvar="DATORUM_PASSWORD", prompt=True, hide_input=True, confirmation_prompt=True)
    ] = "",
) -> None:
    """Add somebody who may sign in."""
    if role not in people.ROLES:
        raise typer.BadParameter(f"a role is one of {', '.join(people.ROLES)}")
    with connected(), session() as store:
        people.add_person(store, name, password, role)
        people.record(store, "terminal", "person added", name, role=role)
    print(f"{name} may sign in as {role}.")


Name = Annotated[str, typer.Argument(help="The person's name.")]


def password(
    name: Name,
    password: Annotated[
        str, typer.Option(envvar="DATORUM_PASSWORD", prompt="New password", hide_input=True, confirmation_prompt=True)
    ] = "",
) -> None:
    """Give somebody another password, and sign them out everywhere."""
    with connected(), session() as store:
        people.set_password(store, name, password)
        people.record(store, "terminal", "password changed", name)
    print(f"{name} has another password, and is signed out everywhere.")


def sign_out(name: Name) -> None:
    """Sign somebody out everywhere."""
    with connected(), session() as store:
        ended = people.sign_out_everywhere(store, name)
        people.record(store, "terminal", "signed out everywhere", name)
    print(f"{name} is signed out of {ended:,} browser{'' if ended == 1 else 's'}.")


def remove_person(name: Name) -> None:
    """Let somebody sign in no more. What they did stays under their name."""
    with connected(), session() as store:
        people.remove_person(store, name)
        people.record(store, "terminal", "person removed", name)
    print(f"{name} may not sign in any more.")
