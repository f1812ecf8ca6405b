"""What holds between the fields of a record, told by what their descriptions say and by the concepts of their names."""

from __future__ import annotations

import re
from collections.abc import Iterator
from itertools import product

from datorum.core.model import Field, FieldType, Relation, RelationKind
from datorum.core.model.record import SAYS_SHARE
from datorum.core.suggest.names import tokens

_TOLD, _NAMED, _SUMMED = 0.95, 0.85, 0.75
_AFTER = re.compile(
    r"(?i)\b(?:not before|no earlier than|not earlier than|on or after|after|later than) [`'“\"]?(?P<other>\w+)"
)
_BELOW = re.compile(r"(?i)\b(?:below|less than|lower than|smaller than|under) (?:the |its )?[`'“\"]?(?P<other>\w+)")
_DATES = (FieldType.DATE, FieldType.DATE_TIME)
_AMOUNTS = (FieldType.NUMBER, FieldType.INTEGER)


def relations_of(fields: tuple[Field, ...]) -> tuple[Relation, ...]:
    """What is thought to hold between fields that an import can feed, surest first for each pair."""
    writable = [field for field in fields if not field.read_only]
    found: dict[tuple[str, ...], Relation] = {}
    for one in (*_told(writable), *_periods(writable), *_prices(writable), *_shares(writable), *_sums(writable)):
        found.setdefault((one.kind, *sorted(one.parts.values())), one)
    return tuple(found.values())


def _told(fields: list[Field]) -> Iterator[Relation]:
    for field in fields:
        for kinds, pattern, kind, own, theirs in (
            (_DATES, _AFTER, RelationKind.IN_ORDER, "last", "first"),
            (_AMOUNTS, _BELOW, RelationKind.BELOW, "less", "more"),
        ):
            said = pattern.search(field.description) if field.type in kinds else None
            other = said and next((one for one in _beside(field, fields) if _called(one, said["other"])), None)
            if said and other is not None and other.type in kinds:
                why = f"the description of {field.path} says “{said[0]}”"
                yield Relation(kind=kind, parts={own: field.path, theirs: other.path}, confidence=_TOLD, why=why)


def _called(field: Field, name: str) -> bool:
    last = field.path.rpartition(".")[2]
    return re.sub(r"[^a-z0-9]", "", last.lower()) == re.sub(r"[^a-z0-9]", "", name.lower())


def _beside(field: Field, fields: list[Field]) -> Iterator[Field]:
    """The other fields of the same object."""
    around = field.path.rpartition(".")[0]
    return (one for one in fields if one is not field and one.path.rpartition(".")[0] == around)


def _periods(fields: list[Field]) -> Iterator[Relation]:
    dates = [field for field in fields if field.type in _DATES]
    called = _pairs(dates, frozenset({"start"}), frozenset({"end"}))
    for start, end in dict.fromkeys((*called, *_bounds(dates))):
        if start.type is end.type:
            why = f"{start.path} is called like the start of what {end.path} is called like the end of"
            parts = {"first": start.path, "last": end.path}
            yield Relation(kind=RelationKind.IN_ORDER, parts=parts, confidence=_NAMED, why=why)


_STARTS = ("start", "begin", "from", "open", "first", "since")
_ENDS = ("end", "finish", "stop", "to", "until", "till", "thru", "through", "close", "expire", "last")
_SAY_NOTHING = {"at", "on", "date", "time", "day", "datetime", "utc", "valid", "is", "s", "ing"}


def _bounds(dates: list[Field]) -> Iterator[tuple[Field, Field]]:
    """Dates of one object of which one is called the start of something and one its end: there is but one of each."""
    starts: dict[tuple[str, frozenset[str]], list[Field]] = {}
    ends: dict[tuple[str, frozenset[str]], list[Field]] = {}
    for field in dates:
        around, _, last = field.path.rpartition(".")
        words = re.findall(r"[a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", last).lower())
        stems = [re.sub(r"(?<=[a-z]{3})(s|ing|ed|d|es)$", "", word) for word in words]
        left = frozenset(stem for stem in stems if stem not in (*_STARTS, *_ENDS, *_SAY_NOTHING))
        for bounds, found in ((_STARTS, starts), (_ENDS, ends)):
            if any(stem in bounds for stem in stems):
                found.setdefault((around, left), []).append(field)
    for key in starts.keys() & ends.keys():
        if len(starts[key]) == len(ends[key]) == 1 and starts[key] != ends[key]:
            yield starts[key][0], ends[key][0]


def _prices(fields: list[Field]) -> Iterator[Relation]:
    amounts = [field for field in fields if field.type in _AMOUNTS]
    for other in (frozenset({"regular"}), frozenset[str]()):
        for sale, price in _pairs(amounts, frozenset({"sale"}), other):
            why = f"{sale.path} is called like what is asked in a sale in place of {price.path}"
            parts = {"less": sale.path, "more": price.path}
            yield Relation(kind=RelationKind.BELOW, parts=parts, confidence=_NAMED, why=why)


_WORTH = ("amount", "discount", "value", "worth", "reduction", "rebate", "total", "price")


def _shares(fields: list[Field]) -> Iterator[Relation]:
    """An amount beside a field that says whether it is so many of a hundred."""
    for kind in (field for field in fields if any(re.search(SAYS_SHARE, value) for value in field.enum)):
        amounts = [one for one in _beside(kind, fields) if one.type in _AMOUNTS and _is_worth(one)]
        if len(amounts) == 1:
            why = f"{kind.path} may say that {amounts[0].path} is a share"
            parts = {"amount": amounts[0].path, "kind": kind.path}
            yield Relation(kind=RelationKind.SHARE, parts=parts, confidence=_NAMED, why=why)


def _is_worth(field: Field) -> bool:
    words = re.findall(r"[a-z]+", re.sub(r"(?<=[a-z])(?=[A-Z])", " ", field.path.rpartition(".")[2]).lower())
    return bool(words) and words[-1] in _WORTH and not {"minimum", "min", "maximum", "max"} & set(words)


def _pairs(fields: list[Field], first: frozenset[str], second: frozenset[str]) -> Iterator[tuple[Field, Field]]:
    """Fields of the same object whose names differ in just one concept."""
    for one, other in product(fields, fields):
        a, b = set(tokens(one.path.replace(".", " "))), set(tokens(other.path.replace(".", " ")))
        same_object = one.path.rpartition(".")[0] == other.path.rpartition(".")[0]
        if same_object and one.path != other.path and first <= a and second <= b and a - first == b - second:
            yield one, other


_SUM_PARTS = {
    "total": ({"total"},), "quantity": ({"line", "quantity"},), "price": ({"line", "price"},),
    "shipping": ({"shipping", "cost"}, {"shipping"}, {"shipping", "price"}, {"shipping", "total"}),
    "tax": ({"tax"}, {"tax", "total"}), "discount": ({"discount"}, {"discount", "total"}),
}  # fmt: skip


def _sums(fields: list[Field]) -> Iterator[Relation]:
    """A total beside the lines that make it."""
    by_concepts: dict[frozenset[str], str] = {}
    for field in fields:
        concepts = set(tokens(field.path.rsplit(".", 1)[-1]))
        if field.in_list:
            concepts.add("line")
        if field.type in _AMOUNTS:
            by_concepts.setdefault(frozenset(concepts), field.path)
    parts = {}
    for part, names in _SUM_PARTS.items():
        found = (by_concepts[frozenset(concepts)] for concepts in names if frozenset(concepts) in by_concepts)
        path = next(found, None)
        if path is not None:
            parts[part] = path
    currency = next(
        (field.path for field in fields if not field.in_list and tokens(field.path)[-1:] == ("currency",)), ""
    )
    if currency:
        parts["currency"] = currency
    if parts.keys() >= set(RelationKind.SUM.parts):
        why = f"{parts['total']} is called like the sum of what {parts['quantity']} and {parts['price']} make"
        yield Relation(kind=RelationKind.SUM, parts=parts, confidence=_SUMMED, why=why)
