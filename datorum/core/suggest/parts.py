"""Several columns that make one field, and one column that makes several fields."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import NamedTuple

from datorum.core.model import Field, FieldType
from datorum.core.profile import ColumnProfile
from datorum.core.steps import AnyStep, TakePart, Trim
from datorum.core.suggest.names import tokens
from datorum.core.suggest.steps import surname_first

_PARTS = ("given", "family")
_BLANKS = {"of", "the", "customer", "user", "order", "s"}


class Join(NamedTuple):
    """Columns that together feed a field."""

    columns: tuple[str, ...]
    score: float
    reasons: tuple[str, ...]


class Split(NamedTuple):
    """A part of a column that feeds a field."""

    path: str
    column: str
    steps: tuple[AnyStep, ...]
    score: float
    reasons: tuple[str, ...]


def joins(field: Field, profiles: Mapping[str, ColumnProfile]) -> Iterator[Join]:
    """First name and surname for a whole name, street and house number for a street."""
    if field.type is not FieldType.TEXT or field.enum:
        return
    *above, last = field.path.split(".")
    wants = set(tokens(last))
    side = (set(tokens(" ".join(above))) | wants) & {"billing", "shipping"}
    by_concept: dict[str, list[str]] = {}
    for name in profiles:
        concepts = set(tokens(name)) - _BLANKS
        if concepts & {"billing", "shipping"} != side and concepts & {"billing", "shipping"}:
            continue
        plain = concepts - {"billing", "shipping", "author", "address"}
        if len(plain) == 1:
            by_concept.setdefault(plain.pop(), []).append(name)
    if "name" in wants and not wants & {"company", "display", "login", "product", "given", "family"}:
        given, family = by_concept.get("given"), by_concept.get("family")
        if given and family:
            middle = by_concept.get("middle", [])[:1]
            yield Join((given[0], *middle, family[0]), 0.9, ("first name and surname make a name",))
    if "street" in wants and "second" not in wants:
        street, house = by_concept.get("street"), by_concept.get("housenumber")
        if street and house:
            yield Join((street[0], house[0]), 0.9, ("street and house number make a line of an address",))


def splits(fields: list[Field], profiles: Mapping[str, ColumnProfile]) -> Iterator[Split]:
    """A whole name for first name and surname; “City, Postcode” for both."""
    by_concept: dict[frozenset[str], Field] = {}
    for field in fields:
        if field.type is FieldType.TEXT:
            concepts = frozenset(tokens(field.path.replace(".", " "))) - _BLANKS - {"address"}
            by_concept.setdefault(concepts, field)
    for name, profile in profiles.items():
        concepts = frozenset(tokens(name)) - _BLANKS - {"address"}
        side = concepts & {"billing", "shipping"}
        plain = concepts - side
        if plain in ({"name"}, {"name", "author"}) and _share(profile, " ") > 0.6:
            parts = {
                part: by_concept[frozenset({part}) | side] for part in _PARTS if frozenset({part}) | side in by_concept
            }
            yield from name_parts(name, profile, parts, ("a whole name holds it",))
        elif plain == {"postcode", "city"}:
            yield from _place(name, profile, by_concept, side)


def names_a_person(field: Field) -> str | None:
    """Whether a text field is the ``name`` of a person, or its ``given`` or ``family`` part; None where it is not."""
    said = set(tokens(field.path)) - _BLANKS
    # Of who wrote something, the name says who.
    concepts = {"name"} if said == {"author"} else said - {"author"}
    return (
        next(iter(concepts)) if field.type is FieldType.TEXT and concepts in ({"name"}, {"given"}, {"family"}) else None
    )


def name_parts(
    column: str, profile: ColumnProfile, fields: Mapping[str, Field], why: tuple[str, ...]
) -> Iterator[Split]:
    """First name and surname from a column of whole names, where ``fields`` has both, under “given” and “family”."""
    given, family = fields.get("given"), fields.get("family")
    if given is None or family is None:
        return
    if surname_first(profile):
        yield Split(given.path, column, (TakePart(separator=",", part="all but first"), Trim()), 0.8, why)
        yield Split(family.path, column, (TakePart(separator=",", part="first"), Trim()), 0.8, why)
        return
    yield Split(given.path, column, (Trim(), TakePart(separator=" ", part="all but last")), 0.8, why)
    yield Split(family.path, column, (Trim(), TakePart(separator=" ", part="last")), 0.8, why)


def _place(
    column: str, profile: ColumnProfile, fields: dict[frozenset[str], Field], side: frozenset[str]
) -> Iterator[Split]:
    city, postcode = fields.get(frozenset({"city"}) | side), fields.get(frozenset({"postcode"}) | side)
    if city is None or postcode is None:
        return
    separator = next((mark for mark in (",", ";", "/", " ") if _share(profile, mark) > 0.8), " ")
    first_is_code = sum(value.strip()[:1].isdigit() for value, _ in profile.top) > len(profile.top) / 2
    why = ("the column holds postcode and city",)
    code, rest = ("first", "all but first") if first_is_code else ("last", "all but last")
    yield Split(
        postcode.path, column, (Trim(), TakePart.model_validate({"separator": separator, "part": code})), 0.85, why
    )
    yield Split(city.path, column, (Trim(), TakePart.model_validate({"separator": separator, "part": rest})), 0.85, why)


def _share(profile: ColumnProfile, mark: str) -> float:
    values = [value.strip() for value, _ in profile.top]
    return sum(mark in value for value in values) / len(values) if values else 0.0
