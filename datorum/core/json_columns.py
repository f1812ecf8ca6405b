"""The values that many records have in a field, as a column of JSON texts."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from itertools import islice, repeat
from typing import Any

import polars as pl

from datorum.core.json_text import dumps, loads
from datorum.core.model import Field, FieldType
from datorum.core.values import at, same

BLANK = ("null", '""', "[]")
"""How a field is written that has nothing."""
_ESCAPED = ['"', "\\", *map(chr, range(32))]
"""What JSON writes otherwise than as it is."""
_AT_A_TIME = 1_024
_OFTEN_AGAIN = frozenset({bool, int, float})
_AS_TEXTS = frozenset({FieldType.TEXT, FieldType.DATE, FieldType.FILE})
"""Two texts of such a field mean the same only where they are the same."""


def texts_at(bodies: Iterable[dict[str, Any]], paths: Collection[str]) -> dict[str, pl.Series]:
    """The values of many records at some dotted paths, by path a column of JSON texts; ``null`` where there is none."""
    found: dict[str, list[Any]] = {path: [] for path in paths}
    remaining = iter(bodies)
    # A few at a time: what was just read is still at hand for all the paths, and goes before the next is read.
    while some := list(islice(remaining, _AT_A_TIME)):
        objects = {"": some}
        for path, values in found.items():
            values += _values(objects, path)
    return {path: _written(values) for path, values in found.items()}


def _values(objects: dict[str, list[Any]], path: str) -> list[Any]:
    """The values at a path; ``objects``: what stands around them, by path."""
    outer, _, name = path.rpartition(".")
    if outer not in objects:
        # Several fields stand in one object.
        objects[outer] = _values(objects, outer)
    try:
        return list(map(dict.get, objects[outer], repeat(name)))
    except TypeError:
        # Not everything around it is an object.
        return [at(one, name) for one in objects[outer]]


def _written(values: list[Any]) -> pl.Series:
    """Values as JSON. A column is mostly of one kind, and is written as a whole, or each value of it once."""
    try:
        texts = pl.Series("texts", values, dtype=pl.String)
    except TypeError:
        return _written_each(values)
    if texts.str.contains_any(_ESCAPED).any():
        return _written_each(values)
    return pl.select(pl.format('"{}"', texts).fill_null("null")).to_series()


def _written_each(values: list[Any]) -> pl.Series:
    kinds = set(map(type, values)) - {type(None)}
    if len(kinds) == 1 and kinds <= _OFTEN_AGAIN:
        # Of one kind equal values are written alike; 1 and true are equal as well.
        written = {value: "null" if value is None else dumps(value) for value in set(values)}
        return pl.Series([written[value] for value in values], dtype=pl.String)
    return pl.Series(["null" if value is None else dumps(value) for value in values], dtype=pl.String)


def differ(field: Field, left: pl.Series, right: pl.Series) -> pl.Series:
    """Which of some pairs of texts do not mean the same; of those of which one is not known none does. What cannot be
    told by how it is written is judged once for each distinct pair."""
    pairs = pl.DataFrame({"left": left, "right": right})
    if field.write_only:
        return pl.repeat(False, len(left), dtype=pl.Boolean, eager=True)
    blank = [pl.col(name).is_in(BLANK) for name in pairs.columns]
    other = (pl.col("left") != pl.col("right")).fill_null(False)
    open_yet = ~pl.any_horizontal(*blank)
    if field.type in _AS_TEXTS:
        open_yet &= ~pl.all_horizontal(pl.col(name).str.starts_with('"') for name in pairs.columns)
    told = pairs.select(differ=other & ~pl.all_horizontal(*blank), open=(other & open_yet).fill_null(False))
    differs = told["differ"]
    if not told["open"].any():
        return differs
    distinct = pairs.filter(told["open"]).unique()
    same_after_all = [same(field, loads(one), loads(another)) for one, another in distinct.iter_rows()]
    if not any(same_after_all):
        return differs
    judged = pairs.join(distinct.with_columns(same=pl.Series(same_after_all)), on=["left", "right"], how="left",
                        maintain_order="left")  # fmt: skip
    return differs & ~judged["same"].fill_null(False)
