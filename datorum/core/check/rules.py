"""The rules a landed value is held to. Adding one is one entry in ``RULES``."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import polars as pl

from datorum.core.check.formats import FORMATS
from datorum.core.model import Field, FieldType


@dataclass(frozen=True)
class Rule:
    """One rule over one field.

    ``applies`` tells whether the field has such a constraint; ``breaks`` gives a Boolean series, true where a String
    series of landed values (null is blank) breaks it; ``says`` is the predicate of a sentence about one value.
    """

    name: str
    applies: Callable[[Field], bool]
    breaks: Callable[[Field, pl.Series], pl.Series]
    says: Callable[[Field, str], str]
    remedy: str
    blocks: bool = True


_TYPE_SHAPES = {
    FieldType.INTEGER: (r"^[+-]?\d+$", "a whole number"),
    FieldType.NUMBER: (r"^[+-]?\d+(\.\d+)?([eE][+-]?\d+)?$", "a number"),
    FieldType.BOOLEAN: (r"^(true|false)$", "yes or no"),
}


def _number(values: pl.Series) -> pl.Series:
    return values.cast(pl.Float64, strict=False)


def _out_of_range(field: Field, values: pl.Series) -> pl.Series:
    numbers = _number(values)
    broken = pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)
    if field.minimum is not None:
        broken = broken | (numbers < field.minimum).fill_null(False)
    if field.maximum is not None:
        broken = broken | (numbers > field.maximum).fill_null(False)
    return broken


def _range_in_words(field: Field) -> str:
    if field.minimum is not None and field.maximum is not None:
        return f"is not between {field.minimum:,g} and {field.maximum:,g}"
    if field.minimum is not None:
        return f"is less than {field.minimum:,g}"
    return f"is more than {field.maximum:,g}"


def _pattern_breaks(field: Field, values: pl.Series) -> pl.Series:
    try:
        return ~values.str.contains(field.pattern or "")
    except pl.exceptions.ComputeError:
        # The site's pattern uses what this regular-expression engine lacks; the site itself will hold it.
        return pl.repeat(False, len(values), dtype=pl.Boolean, eager=True)


RULES: tuple[Rule, ...] = (
    Rule(
        "required",
        lambda field: field.required,
        lambda field, values: values.is_null(),
        lambda field, value: "is blank, and the site requires it",
        "Feed the field from another column or a constant, or correct the rows.",
    ),
    Rule(
        "type",
        lambda field: field.type in _TYPE_SHAPES,
        lambda field, values: ~values.str.contains(_TYPE_SHAPES[field.type][0]),
        lambda field, value: f"is not {_TYPE_SHAPES[field.type][1]}",
        "Add a step that reads the value, such as read as a number or read as yes or no.",
    ),
    Rule(
        "enum",
        lambda field: bool(field.enum),
        lambda field, values: ~values.is_in(list(field.enum)),
        lambda field, value: "is not among the values the site accepts",
        "Set the value in the field's value table.",
    ),
    Rule(
        "format",
        lambda field: field.format in FORMATS,
        lambda field, values: ~FORMATS[field.format or ""][1](values),
        lambda field, value: f"is not {FORMATS[field.format or ''][0]}",
        "Add a step that brings the value into this form, or correct the rows.",
    ),
    Rule(
        "longest",
        lambda field: field.max_length is not None,
        lambda field, values: values.str.len_chars() > field.max_length,
        lambda field, value: f"has {len(value):,} characters; the site takes {field.max_length:,} at most",
        "Correct the rows, or feed the field from a shorter column.",
    ),
    Rule(
        "shortest",
        lambda field: bool(field.min_length),
        lambda field, values: values.str.len_chars() < field.min_length,
        lambda field, value: f"has {len(value):,} characters; the site wants {field.min_length:,} at least",
        "Correct the rows.",
    ),
    Rule(
        "pattern",
        lambda field: field.pattern is not None,
        _pattern_breaks,
        lambda field, value: f"is not of the form the site wants ({field.pattern})",
        "Add a step that brings the value into this form, or correct the rows.",
    ),
    Rule(
        "range",
        lambda field: field.minimum is not None or field.maximum is not None,
        _out_of_range,
        lambda field, value: _range_in_words(field),
        "Correct the rows, or look whether the decimal mark is read right.",
    ),
)
