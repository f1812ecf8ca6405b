"""What a site's document says that a request has to carry."""

from __future__ import annotations

from datorum.sites.rest.model import Credential, Needs
from datorum.sites.rest.parts import Operations, plain
from datorum.sites.rest.schema import Json


def needs_of(operation: Json, operations: Operations) -> Needs | None:
    """What an operation asks for, its own or the whole document's: alternatives, of which an empty one asks for
    nothing. None where the document says nothing of it."""
    asked = operation.get("security", operations.document.get("security"))
    if not isinstance(asked, list):
        return None
    schemes = operations.part("components", "securitySchemes")
    return tuple(
        tuple(_credential(operations.follow(schemes.get(name)), scopes) for name, scopes in together.items())
        for together in asked
        if isinstance(together, dict)
    )


def _credential(scheme: Json, scopes: object) -> Credential:
    kind = str(scheme.get("type"))
    if kind == "http":
        return Credential(kind=str(scheme.get("scheme", "")).lower())
    if kind == "apiKey":
        return Credential(kind=kind, within=_text(scheme.get("in")), name=_text(scheme.get("name")))
    if kind == "oauth2":
        flow = plain(plain(scheme.get("flows")).get("clientCredentials"))
        asked = tuple(str(scope) for scope in scopes) if isinstance(scopes, list) else ()
        return Credential(kind=kind, token_url=_text(flow.get("tokenUrl")), scopes=asked)
    return Credential(kind=kind)


def _text(part: object) -> str | None:
    return part if isinstance(part, str) else None
