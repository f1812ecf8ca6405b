"""What a person gives so that a site lets Datorum in."""

from __future__ import annotations

from pydantic import BaseModel


class SignIn(BaseModel, frozen=True, extra="forbid"):
    """As much of it as a site asks for: a token; a user with a password; keys by the names that the site has for them;
    a client's own id and secret, for which it gives tokens. Never shown again, never logged."""

    token: str = ""
    user: str = ""
    password: str = ""
    keys: dict[str, str] = {}
    client_id: str = ""
    client_secret: str = ""

    def __repr__(self) -> str:
        return "SignIn(…)"

    __str__ = __repr__
