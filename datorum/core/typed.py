"""Landed texts parsed once to the type of their field, for rules, sums and what a site is sent."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any, NamedTuple

import polars as pl

from datorum.core.model import Field, FieldType

# As the standards have it, 3.0 is a whole number; tools that know no blank among numbers write all of them so.
_WHOLE = r"^[+-]?[0-9]{1,300}(\.0{1,300})?$"
_NUMBER = r"^[+-]?[0-9]{1,300}(\.[0-9]{1,300})?([eE][+-]?[0-9]{1,3})?$"
_YES_NO = {"true": True, "false": False}

TYPES = {
    FieldType.INTEGER: "a whole number",
    FieldType.NUMBER: "a number",
    FieldType.BOOLEAN: "yes or no",
    FieldType.LIST: "a list",
}
"""The types that not every text is of, in words."""


class Typed(NamedTuple):
    """Some landed values of one field, two series of equal length: their ``texts``, null for blank, and their
    ``values``, null where a text is none of the field's type: Float64, Boolean, List of the texts of the items, or the
    text itself."""

    texts: pl.Series
    values: pl.Series

    @property
    def of_another_type(self) -> pl.Series:
        """Where a text stands that is no value of the type."""
        return self.texts.is_not_null() & self.values.is_null()


def typed(field: Field, texts: pl.Series) -> Typed:
    """Some landed texts, of type String, as values of a field."""
    match field.type:
        case FieldType.INTEGER:
            return Typed(texts, _numbers(texts, _WHOLE))
        case FieldType.NUMBER:
            return Typed(texts, _numbers(texts, _NUMBER))
        case FieldType.BOOLEAN:
            return Typed(texts, texts.replace_strict(_YES_NO, default=None, return_dtype=pl.Boolean))
        case FieldType.LIST:
            lists = [_items(text) for text in texts]
            return Typed(texts, pl.Series(lists, dtype=pl.List(pl.String)))
    return Typed(texts, texts)


def _numbers(texts: pl.Series, shape: str) -> pl.Series:
    numbers = texts.cast(pl.Float64, strict=False)
    # What no float can hold, no site can take as a number.
    return numbers.set(~(texts.str.contains(shape) & numbers.is_finite()).fill_null(False), None)


def _items(text: str | None) -> list[str] | None:
    found = _parsed(text)
    return [_spelled(item) for item in found] if isinstance(found, list) else None


def _parsed(text: str | None) -> Any:
    try:
        return None if text is None else json.loads(text)
    except (ValueError, RecursionError):
        return None


def _spelled(item: Any) -> str:
    return item if isinstance(item, str) else json.dumps(item, sort_keys=True)


def as_json(field: Field, given: Typed) -> list[Any]:
    """What a site is sent of each value; None where there is none. Whole numbers stay exact, however long."""
    match field.type:
        case FieldType.INTEGER:
            pairs = zip(given.texts, given.values, strict=True)
            return [None if value is None else int(text.partition(".")[0]) for text, value in pairs]
        case FieldType.NUMBER:
            return [_exact(text, value) for text, value in zip(given.texts, given.values, strict=True)]
        case FieldType.LIST if field.items is not None:
            return _lists(field.items, given.values)
        case FieldType.LIST:
            pairs = zip(given.texts, given.values, strict=True)
            return [None if value is None else _parsed(text) for text, value in pairs]
    return given.values.to_list()


def _exact(text: str, value: float | None) -> int | float | None:
    if value is None or "." in text or not value.is_integer():
        return value
    return int(Decimal(text))


def _lists(items: Field, lists: pl.Series) -> list[Any]:
    each = iter(as_json(items, typed(items, lists.explode(empty_as_null=False, keep_nulls=False))))
    return [None if count is None else [next(each) for _ in range(count)] for count in lists.list.len()]


def one_as_json(field: Field, text: str | None) -> Any:
    """What a site is sent of one landed text."""
    return as_json(field, typed(field, pl.Series([text], dtype=pl.String)))[0]
