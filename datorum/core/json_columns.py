"""The values that many records have in a field, as a column of JSON texts."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import polars as pl

from datorum.core.json_text import dumps, loads
from datorum.core.model import Field
from datorum.core.values import at, same


def texts_at(bodies: Sequence[dict[str, Any]], path: str) -> pl.Series:
    """The value at a dotted path of each of many bodies; ``null`` where there is none."""
    first, _, rest = path.partition(".")
    found = [body.get(first) for body in bodies]
    if rest:
        found = [None if value is None else at(value, rest) for value in found]
    return pl.Series(["null" if value is None else dumps(value) for value in found], dtype=pl.String)


def differ(field: Field, left: pl.Series, right: pl.Series) -> pl.Series:
    """Which of some pairs of texts do not mean the same; of those of which one is not known none does. Each distinct
    pair is judged once."""
    pairs = pl.DataFrame({"left": left, "right": right})
    other = pairs.filter((pl.col("left") != pl.col("right")).fill_null(False)).unique()
    if not other.height:
        return pl.repeat(False, len(left), dtype=pl.Boolean, eager=True)
    judged = [not same(field, loads(one), loads(another)) for one, another in other.iter_rows()]
    told = pairs.join(other.with_columns(differ=pl.Series(judged)), on=["left", "right"], how="left",
                      maintain_order="left")  # fmt: skip
    return told["differ"].fill_null(False)
