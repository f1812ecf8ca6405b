"""The rules a landed value is held to. Adding one is one entry in ``RULES``."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation
from typing import Any

import jsonschema_rs
import polars as pl

from datorum.core.check.demands import form_of
from datorum.core.check.formats import FORMATS, each_distinct
from datorum.core.model import Field, FieldType
from datorum.core.patterns import UnusablePattern, pattern
from datorum.core.said import said
from datorum.core.values import to_json

LINEAR = jsonschema_rs.RegexOptions()
"""Patterns of schemas by an engine whose time grows with the text only."""


@dataclass(frozen=True)
class Rule:
    """One rule over one field.

    ``applies`` tells whether the field has such a constraint; ``breaks`` gives a Boolean series, true where a String
    series of landed values (null is blank) breaks it; ``says`` is the predicate of a sentence about one value.
    """

    name: str
    title: str
    applies: Callable[[Field], bool]
    breaks: Callable[[Field, pl.Series], pl.Series]
    says: Callable[[Field, str], str]
    remedy: str
    blocks: bool = True
    acceptable: bool = True


_TYPE_SHAPES = {
    # As the standards have it, 3.0 is a whole number; tools that know no blank among numbers write all of them so.
    FieldType.INTEGER: (r"^[+-]?[0-9]{1,300}(\.0{1,300})?$", "a whole number"),
    FieldType.NUMBER: (r"^[+-]?[0-9]{1,300}(\.[0-9]{1,300})?([eE][+-]?[0-9]{1,3})?$", "a number"),
    FieldType.BOOLEAN: (r"^(true|false)$", "yes or no"),
    FieldType.LIST: (r"^\[.*\]$", "a list"),
}


def _not_of_type(field: Field, values: pl.Series) -> pl.Series:
    shaped = values.str.contains(_TYPE_SHAPES[field.type][0])
    if field.type is not FieldType.NUMBER:
        return ~shaped
    # What no float can hold, no site can take as a number.
    return ~(shaped & values.cast(pl.Float64, strict=False).is_finite().fill_null(False))


def _out_of_range(field: Field, values: pl.Series) -> pl.Series:
    numbers = values.cast(pl.Float64, strict=False)
    broken = pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)
    for bound, breaks in (
        (field.minimum, pl.Series.__lt__),
        (field.maximum, pl.Series.__gt__),
        (field.above, pl.Series.__le__),
        (field.below, pl.Series.__ge__),
    ):
        if bound is not None:
            broken = broken | breaks(numbers, bound).fill_null(False)
    return broken


def _range_in_words(field: Field) -> str:
    low = f"{field.minimum:,.12g}" if field.minimum is not None else None
    high = f"{field.maximum:,.12g}" if field.maximum is not None else None
    if low and high:
        return f"is not between {low} and {high}"
    if low:
        return f"is less than {low}"
    if high:
        return f"is more than {high}"
    return (
        f"is not more than {field.above:,.12g}" if field.above is not None else f"is not less than {field.below:,.12g}"
    )


def _pattern_breaks(field: Field, values: pl.Series) -> pl.Series:
    try:
        return ~pattern(field.pattern or "").found_in(values)
    except UnusablePattern:
        # The site itself will judge.
        return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)


def _not_valid(schema: dict[str, Any], values: pl.Series, as_json: Callable[[str], Any]) -> pl.Series:
    """Where values break a schema; nowhere for a schema that is none, which the site itself will judge."""
    try:
        validator = jsonschema_rs.Draft202012Validator(schema, pattern_options=LINEAR)
    except (ValueError, jsonschema_rs.ValidationError):
        return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)
    return ~each_distinct(values, lambda text: validator.is_valid(as_json(text)))


def _not_multiple(field: Field, values: pl.Series) -> pl.Series:
    step = Decimal(str(field.multiple_of))
    return ~each_distinct(values, lambda text: step == 0 or _decimal(text) % step == 0)


def _decimal(text: str) -> Decimal:
    try:
        return Decimal(text)
    except InvalidOperation:
        return Decimal(0)


def items_of(text: str) -> list[Any]:
    """The items of a landed list; none where it is no list."""
    try:
        items = json.loads(text)
    except (ValueError, RecursionError):
        return []
    return items if isinstance(items, list) else []


def _count_breaks(field: Field, values: pl.Series) -> pl.Series:
    least, most = field.min_items or 0, field.max_items
    return ~each_distinct(values, lambda text: least <= (n := len(items_of(text))) and (most is None or n <= most))


def _repeats(field: Field, values: pl.Series) -> pl.Series:
    def distinct(text: str) -> bool:
        items = [json.dumps(item, sort_keys=True) for item in items_of(text)]
        return len(items) == len(set(items))

    return ~each_distinct(values, distinct)


def _item_breaks(field: Field, values: pl.Series) -> pl.Series:
    """Where any item of a list breaks a rule of the items."""
    assert field.items is not None
    lists = values.drop_nulls().unique()
    rows = [(at, _spelled(item)) for at, text in enumerate(lists) for item in items_of(text)]
    items = pl.Series([item for _, item in rows], dtype=pl.String)
    owner = pl.Series([at for at, _ in rows], dtype=pl.Int64)
    broken: set[int] = set()
    for rule in RULES:
        if rule.name != "required" and rule.applies(field.items) and len(items):
            broken |= set(owner.filter(rule.breaks(field.items, items).fill_null(False)))
    bad = [text for at, text in enumerate(lists) if at in broken]
    return values.is_in(bad)


def _spelled(item: Any) -> str:
    if isinstance(item, str):
        return item
    return ("true" if item else "false") if isinstance(item, bool) else json.dumps(item)


def _rest_breaks(field: Field, values: pl.Series) -> pl.Series:
    def as_json(text: str) -> Any:
        try:
            return to_json(field, text)
        except (ValueError, ArithmeticError):
            return text

    return _not_valid(field.other_keywords or {}, values, as_json)


RULES: tuple[Rule, ...] = (
    Rule(
        "required",
        "is blank",
        lambda field: field.required and not field.nullable,
        lambda field, values: values.is_null(),
        lambda field, value: "is blank, and the site requires it",
        "Feed the field from another column or a constant, or correct the rows.",
    ),
    Rule(
        "type",
        "is of another type",
        lambda field: field.type in _TYPE_SHAPES,
        _not_of_type,
        lambda field, value: f"is not {_TYPE_SHAPES[field.type][1]}",
        "Add a step that reads the value, such as read as a number or read as yes or no.",
        acceptable=False,
    ),
    Rule(
        "enum",
        "is not a value the site accepts",
        lambda field: bool(field.enum),
        lambda field, values: ~values.is_in(list(field.enum)),
        lambda field, value: "is not among the values the site accepts",
        "Set the value in the field's value table.",
    ),
    Rule(
        "format",
        "is not in the site's format",
        lambda field: field.format in FORMATS,
        lambda field, values: ~FORMATS[field.format or ""][1](values),
        lambda field, value: f"is not {FORMATS[field.format or ''][0]}",
        "Add a step that brings the value into this form, or correct the rows.",
    ),
    Rule(
        "longest",
        "is too long",
        lambda field: field.max_length is not None,
        lambda field, values: values.str.len_chars() > field.max_length,
        lambda field, value: f"has {len(value):,} characters; the site takes {field.max_length:,} at most",
        "Correct the rows, or feed the field from a shorter column.",
    ),
    Rule(
        "shortest",
        "is too short",
        lambda field: bool(field.min_length),
        lambda field, values: values.str.len_chars() < field.min_length,
        lambda field, value: f"has {len(value):,} characters; the site wants {field.min_length:,} at least",
        "Correct the rows.",
    ),
    Rule(
        "pattern",
        "is not of the site's form",
        lambda field: field.pattern is not None,
        _pattern_breaks,
        lambda field, value: f"is not of the form that the site wants: {form_of(field.pattern or '')}",
        "Add a step that brings the value into this form, or correct the rows.",
    ),
    Rule(
        "range",
        "is out of range",
        lambda field: any(bound is not None for bound in (field.minimum, field.maximum, field.above, field.below)),
        _out_of_range,
        lambda field, value: _range_in_words(field),
        "Correct the rows, or look whether the decimal mark is read right.",
    ),
    Rule(
        "multiple",
        "is not a multiple",
        lambda field: field.multiple_of is not None,
        _not_multiple,
        lambda field, value: f"is not a multiple of {field.multiple_of:,.12g}",
        "Add a step that rounds, or correct the rows.",
    ),
    Rule(
        "number of items",
        "has too few or too many items",
        lambda field: field.min_items is not None or field.max_items is not None,
        _count_breaks,
        lambda field, value: f"has {len(items_of(value)):,} items; the site takes {_items_in_words(field)}",
        "Correct the rows, or look whether the list is split at the right mark.",
    ),
    Rule(
        "items twice",
        "has an item twice",
        lambda field: field.unique_items,
        _repeats,
        lambda field, value: "has an item twice",
        "Correct the rows.",
    ),
    Rule(
        "items",
        "has an item the site does not accept",
        lambda field: field.type is FieldType.LIST and field.items is not None,
        _item_breaks,
        lambda field, value: "has an item that the site does not accept",
        "Correct the rows, or look whether the list is split at the right mark.",
    ),
    Rule(
        "site's rule",
        "breaks a rule of the site",
        lambda field: field.other_keywords is not None,
        _rest_breaks,
        lambda field, value: f"breaks the site's rule ({', '.join(field.other_keywords or ())})",
        "Look at what the site's description says of this field, and correct the rows.",
    ),
)

for _rule in RULES:
    said(_rule.name, _rule.title, _rule.remedy, acceptable=_rule.acceptable, demanded=True)


def _items_in_words(field: Field) -> str:
    if field.min_items is not None and field.max_items is not None:
        return f"{field.min_items:,} to {field.max_items:,}"
    return f"{field.min_items:,} at least" if field.min_items is not None else f"{field.max_items:,} at most"
