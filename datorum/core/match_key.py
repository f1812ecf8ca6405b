"""When two keys are the same: the one answer for checks, plans, and records that are looked up on a site."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Any

import polars as pl

from datorum.core.model import Field, FieldType
from datorum.core.values import instant

_NUMBERS = (FieldType.INTEGER, FieldType.NUMBER)


def key_text(field: Field, value: Any) -> str | None:
    """What a value of a key is compared by, landed or as a site gives it; None where it is blank.

    E-mail addresses are compared without regard to case, numbers by amount, times by instant, anything else letter by
    letter.
    """
    if value is None or value == "":
        return None
    text = str(value)
    if field.format == "email":
        return text.lower()
    if field.type in _NUMBERS:
        try:
            return format(Decimal(text).normalize(), "f")
        except InvalidOperation:
            return text
    return str(instant(text)) if field.type is FieldType.DATE_TIME else text


def key_texts(field: Field, values: pl.Series) -> pl.Series:
    """``key_text`` of a whole String series."""
    if field.format == "email":
        # The last sigma of a word has a small letter of its own, which engines tell by different rules.
        odd = values.str.contains("Σ", literal=True).fill_null(False)
        lowered = values.str.to_lowercase()
        if not odd.any():
            return lowered.set(lowered == "", None)
        return pl.Series(values.name, [key_text(field, value) for value in values], dtype=pl.String)
    if field.type in _NUMBERS or field.type is FieldType.DATE_TIME:
        distinct = values.unique().drop_nulls()
        if field.type is not FieldType.DATE_TIME:
            # A plain whole number is its own key.
            plain = values.str.contains(r"^(?:0|[1-9]\d*)$")
            if plain.all():
                return values
            distinct = values.filter(~plain.fill_null(True)).unique()
            odd = pl.Series([key_text(field, value) for value in distinct], dtype=pl.String)
            return values.replace(distinct, odd)
        keys = pl.Series([key_text(field, value) for value in distinct], dtype=pl.String)
        return values.replace_strict(distinct, keys, default=None, return_dtype=pl.String)
    return values.set(values == "", None)
