"""Records that a site gives and takes in the language that a request asks for: each language is a record type of its
own, of the same records."""

from __future__ import annotations

from collections.abc import Iterator

from datorum.core.formula.codes import language_code
from datorum.sites.rest.model import SiteType
from datorum.sites.rest.parts import Operations, plain

_ASKS = ("lang", "language", "locale", "hl", "lng")


def in_each_language(one: SiteType, operations: Operations) -> Iterator[SiteType]:
    """A record type in each language that its list can be asked for in and its records can be changed in, but for the
    one that a request gets that asks for none."""
    listed = operations.of(one.listing.path).get("get", {})
    asked = _asked(one.listing.path, "get", operations)
    if asked is None or one.update is None or one.item is None:
        return
    if _asked(one.update.path, one.update.method, operations) != asked:
        return
    schema = plain(operations.parameters(one.listing.path, listed)[asked].get("schema"))
    first = schema.get("default")
    # What cannot be asked for in a language is not made in one.
    creates = _asked(one.create.path, one.create.method, operations) == asked
    for code in _codes(schema):
        if code != first:
            yield _in_language(one, asked, code, creates=creates)


def _asked(path: str, method: str, operations: Operations) -> str | None:
    """The query parameter of an operation that says a language."""
    found = operations.parameters(path, operations.of(path).get(method, {}))
    return next((name for name, one in found.items()
                 if name.lower() in _ASKS and len(_codes(plain(one.get("schema")))) > 1), None)  # fmt: skip


def _codes(schema: dict[str, object]) -> list[str]:
    values = schema.get("enum")
    return (
        [value for value in values if isinstance(value, str) and language_code(value)]
        if isinstance(values, list)
        else []
    )


def _in_language(one: SiteType, asked: str, code: str, *, creates: bool) -> SiteType:
    said = {asked: code}
    assert one.item is not None
    assert one.update is not None
    create = one.create.model_copy(update={"constants": one.create.constants | said}) if creates else one.create
    # A translation is of a record that is there, and has all that it must have.
    fields = one.fields if creates else tuple(field.model_copy(update={"required": False}) for field in one.fields)
    return one.model_copy(update={
        "name": f"{one.name}-{code.lower()}",
        "title": f"{one.title} in {code}",
        "language": code,
        "translates": one.name,
        "creates": creates,
        "listing": one.listing.model_copy(update={"constants": one.listing.constants | said}),
        "item": one.item.model_copy(update={"constants": one.item.constants | said}),
        "update": one.update.model_copy(update={"constants": one.update.constants | said}),
        "create": create,
        # To delete it in one language would be to delete it in all.
        "delete": None, "bulk": (), "actions": (), "upload": None,
        "fields": fields,
        "record_rules": one.record_rules if creates else None,
    })  # fmt: skip
