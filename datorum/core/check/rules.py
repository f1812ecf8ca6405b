"""The rules a landed value is held to. Adding one is one entry in ``RULES``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal, InvalidOperation

import jsonschema_rs
import polars as pl

from datorum.core.check.demands import form_of
from datorum.core.check.formats import FORMATS, each_distinct
from datorum.core.model import Field, FieldType
from datorum.core.patterns import UnusablePattern, pattern
from datorum.core.said import said
from datorum.core.typed import TYPES, Typed, as_json, one_as_json, typed

LINEAR = jsonschema_rs.RegexOptions()
"""Patterns of schemas by an engine whose time grows with the text only."""


@dataclass(frozen=True)
class Rule:
    """One rule over one field.

    ``applies`` tells whether the field has such a constraint; ``breaks`` gives a Boolean series, true where one of some
    landed values (null is blank) breaks it; ``says`` is the predicate of a sentence about one value's text.
    """

    name: str
    title: str
    applies: Callable[[Field], bool]
    breaks: Callable[[Field, Typed], pl.Series]
    says: Callable[[Field, str], str]
    remedy: str
    blocks: bool = True
    acceptable: bool = True


def _out_of_range(field: Field, given: Typed) -> pl.Series:
    numbers = given.values
    broken = pl.repeat(False, len(numbers), dtype=pl.Boolean, eager=True)
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


def _pattern_breaks(field: Field, given: Typed) -> pl.Series:
    try:
        return ~pattern(field.pattern or "").found_in(given.texts)
    except UnusablePattern:
        # The site itself will judge.
        return pl.repeat(False, len(given.texts), dtype=pl.Boolean, eager=True)


def _rest_breaks(field: Field, given: Typed) -> pl.Series:
    """Where values break what else a schema says; nowhere for a schema that is none, which the site itself will
    judge."""
    try:
        validator = jsonschema_rs.Draft202012Validator(field.other_keywords or {}, pattern_options=LINEAR)
    except (ValueError, jsonschema_rs.ValidationError):
        return pl.repeat(False, len(given.texts), dtype=pl.Boolean, eager=True)
    values = zip(given.values.is_null(), as_json(field, given), strict=True)
    return ~pl.Series([blank or validator.is_valid(value) for blank, value in values], dtype=pl.Boolean)


def _not_multiple(field: Field, given: Typed) -> pl.Series:
    step = Decimal(str(field.multiple_of))
    # Decimals are compared as they are written, which floats cannot be.
    return ~each_distinct(given.texts, lambda text: step == 0 or _decimal(text) % step == 0)


def _decimal(text: str) -> Decimal:
    try:
        return Decimal(text)
    except InvalidOperation:
        return Decimal(0)


def _count_breaks(field: Field, given: Typed) -> pl.Series:
    count = given.values.list.len()
    few = count < (field.min_items or 0)
    return few if field.max_items is None else few | (count > field.max_items)


def _repeats(field: Field, given: Typed) -> pl.Series:
    return given.values.list.n_unique() < given.values.list.len()


def _item_breaks(field: Field, given: Typed) -> pl.Series:
    """Where any item of a list breaks a rule of the items."""
    assert field.items is not None
    lists = pl.DataFrame({"item": given.values}).with_row_index("at").drop_nulls().filter(pl.col("item").list.len() > 0)
    each = lists.explode("item")
    items = typed(field.items, each["item"])
    broken = pl.repeat(False, each.height, dtype=pl.Boolean, eager=True)
    for rule in RULES:
        if rule.name != "required" and rule.applies(field.items):
            broken = broken | rule.breaks(field.items, items).fill_null(False)
    bad = each["at"].filter(broken)
    return pl.int_range(len(given.values), dtype=pl.UInt32, eager=True).is_in(bad.implode())


RULES: tuple[Rule, ...] = (
    Rule(
        "required",
        "is blank",
        lambda field: field.required and not field.nullable,
        lambda field, given: given.texts.is_null(),
        lambda field, value: "is blank, and the site requires it",
        "Feed the field from another column or a constant, or correct the rows.",
    ),
    Rule(
        "type",
        "is of another type",
        lambda field: field.type in TYPES,
        lambda field, given: given.of_another_type,
        lambda field, value: f"is not {TYPES[field.type]}",
        "Add a step that reads the value, such as read as a number or read as yes or no.",
        acceptable=False,
    ),
    Rule(
        "enum",
        "is not a value the site accepts",
        lambda field: bool(field.enum),
        lambda field, given: ~given.texts.is_in(list(field.enum)),
        lambda field, value: "is not among the values the site accepts",
        "Set the value in the field's value table.",
    ),
    Rule(
        "format",
        "is not in the site's format",
        lambda field: field.format in FORMATS,
        lambda field, given: ~FORMATS[field.format or ""][1](given.texts),
        lambda field, value: f"is not {FORMATS[field.format or ''][0]}",
        "Add a step that brings the value into this form, or correct the rows.",
    ),
    Rule(
        "longest",
        "is too long",
        lambda field: field.max_length is not None,
        lambda field, given: given.texts.str.len_chars() > field.max_length,
        lambda field, value: f"has {len(value):,} characters; the site takes {field.max_length:,} at most",
        "Correct the rows, or feed the field from a shorter column.",
    ),
    Rule(
        "shortest",
        "is too short",
        lambda field: bool(field.min_length),
        lambda field, given: given.texts.str.len_chars() < field.min_length,
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
        lambda field, value: f"has {_count(field, value):,} items; the site takes {_items_in_words(field)}",
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


def _count(field: Field, text: str) -> int:
    return len(one_as_json(field, text) or ())


def _items_in_words(field: Field) -> str:
    if field.min_items is not None and field.max_items is not None:
        return f"{field.min_items:,} to {field.max_items:,}"
    return f"{field.min_items:,} at least" if field.min_items is not None else f"{field.max_items:,} at most"
