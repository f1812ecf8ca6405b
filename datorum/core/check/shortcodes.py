"""Texts that still hold what only the page builder of the site that is left knew."""

from __future__ import annotations

from collections import Counter

import polars as pl

from datorum.core.formula.shortcodes import names_of
from datorum.core.model import Field, FieldMapping, FieldType
from datorum.core.said import said
from datorum.core.steps import Html, Shortcodes

SHORTCODE = said(
    "shortcode",
    "holds shortcodes, which a site that does not know them shows as they stand",
    "At Map, add the step Shortcodes and say which are taken off, taken out, or kept.",
)
_LIKE_ONE = r"\[/?[A-Za-z][A-Za-z0-9_-]*[\s\]/]"
_NAMED = 5


def left_in(field: Field, mapping: FieldMapping, values: pl.Series) -> pl.Series:
    """What is said of each of some texts that holds shortcodes for which the mapping has no rule; null of any other."""
    nothing = pl.repeat(None, len(values), dtype=pl.String, eager=True)
    ruled = any(isinstance(step, Shortcodes) or (isinstance(step, Html) and step.shortcodes == "keep")
                for step in mapping.steps)  # fmt: skip
    if field.type is not FieldType.TEXT or field.enum or ruled:
        return nothing
    like_one = values.str.contains(_LIKE_ONE).fill_null(False)
    if not like_one.any():
        return nothing
    return nothing.scatter(like_one.arg_true(), [_says(names_of(text)) for text in values.filter(like_one)])


def _says(names: Counter[str]) -> str | None:
    if not names:
        return None
    listed = ", ".join(name for name, _ in names.most_common(_NAMED))
    more = f" and {len(names) - _NAMED} more" if len(names) > _NAMED else ""
    return f"holds the shortcode{'' if len(names) == 1 else 's'} {listed}{more}"


def counted(values: pl.Series) -> Counter[str]:
    """How many of some texts hold each shortcode."""
    like_one = values.drop_nulls().filter(values.drop_nulls().str.contains(_LIKE_ONE))
    return sum((Counter(names_of(text).keys()) for text in like_one), Counter())
