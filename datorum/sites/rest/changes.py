"""How a list tells what has changed since a moment, by the names of its parameters and of its records' fields."""

from __future__ import annotations

import re

from datorum.core.model import Field, FieldType
from datorum.sites.rest.parts import bare, plain
from datorum.sites.rest.schema import Json

_CHANGED = r"(updated|modified|changed|last_?modified|last_?updated|last_?changed|date_?modified|date_?updated)"
_SINCE = re.compile(
    rf"(?i)^({_CHANGED}[_-]?(at|on|date|time)?[_.\[-]*(since|after|from|min|gte?|start)\]?"
    rf"|(min|since|after|from|if)[_-]?{_CHANGED}([_-]?(at|on|date|time|since))?)$"
)
_AT = re.compile(
    r"(?i)^(_?(meta|metadata|attributes|audit|timestamps|system|sys)\.)?"
    rf"({_CHANGED}[_-]?(at|on|date|time|gmt)?|(update|change|modification)[_-]?(d|time|date))$"
)
_SORT = re.compile(r"(?i)^(sort|sort_?by|order_?by|ordering|orderby|order|sort_?key|sort_?field)$")
_DIRECTION = re.compile(r"(?i)^(order|sort_?order|sort_?dir(ection)?|direction|dir|order_?dir(ection)?)$")


def changed_at(fields: tuple[Field, ...]) -> str | None:
    """The field in which a record says when it was changed last."""
    given = (field for field in fields if field.read_only and field.type is FieldType.DATE_TIME and not field.in_list)
    return next((field.path for field in given if _AT.match(field.path)), None)


def changed_since(parameters: dict[str, Json], fields: tuple[Field, ...]) -> str | None:
    """The parameter that asks for what was changed at a moment or after it."""
    if changed_at(fields) is None:
        return None
    return next((name for name in parameters if _SINCE.match(re.sub(r"(?<=[a-z])(?=[A-Z])", "_", name))), None)


def newest_first(parameters: dict[str, Json], fields: tuple[Field, ...]) -> dict[str, str]:
    """The parameters that have first what was changed last, where the values that they take say so."""
    at = changed_at(fields)
    if at is None:
        return {}
    for name in parameters:
        if not _SORT.match(name):
            continue
        for value in _values(parameters[name]):
            field = re.sub(r"(?i)^[-+]|[\s:,._-]+(desc|descending|asc)$", "", value)
            if bare(field) != bare(at):
                continue
            if value.startswith("-") or re.search(r"(?i)desc(ending)?$", value):
                return {name: value}
            for other in parameters:
                down = next((one for one in _values(parameters[other]) if re.match(r"(?i)desc", one)), None)
                if other != name and _DIRECTION.match(other) and down:
                    return {name: value, other: down}
    return {}


def _values(parameter: Json) -> list[str]:
    schema = plain(parameter.get("schema"))
    schema = plain(schema.get("items")) or schema
    return [str(one) for one in schema["enum"]] if isinstance(schema.get("enum"), list) else []
