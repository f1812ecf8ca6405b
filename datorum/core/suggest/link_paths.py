"""Columns of paths that say which records of a tree are meant: “Roots > Beets > Round”."""

from __future__ import annotations

import itertools
from collections.abc import Mapping as AnyMapping
from collections.abc import Sequence
from typing import NamedTuple

import polars as pl

from datorum.core.model import FieldMapping, FieldType, LinkRule, RecordType
from datorum.core.shape.shape import values_of
from datorum.core.steps import SplitList

_SEPARATORS = (">", "»", "::", "\\", "/", "|")
_BETWEEN = ("|", ";", "\n", ",")
_LOOKED_AT, _FEWEST, _MOSTLY, _SOME, _LONGEST = 2_000, 3, 0.5, 0.1, 80
_SCORE = 0.8
_MOST_TOPS, _ONE_ABOVE = 0.6, 0.5


class PathKey(NamedTuple):
    """A link to records that stand in a tree: the ``path`` of its field, and the field ``by`` which each is called."""

    path: str
    by: str


class _Paths(NamedTuple):
    """How a column's cells are paths: what parts them, and what stands between several in a cell, where any do."""

    parted_by: str
    between: str


class ByPath(NamedTuple):
    """What feeds links whose records are told by their paths, and how these are looked for."""

    fields: dict[str, FieldMapping]
    rules: dict[str, LinkRule]


def links_by_path(
    record_type: RecordType, records: pl.DataFrame, fields: AnyMapping[str, FieldMapping], keys: Sequence[PathKey],
    columns: Sequence[str],
) -> ByPath:  # fmt: skip
    """The links of a record itself that a column of paths feeds, or would feed: where one link is fed by nothing and
    one of the ``columns`` of paths feeds nothing, they belong together."""
    found = ByPath({}, {})
    own = [key for key in keys if record_type.field(key.path).in_list is None]
    for key in [key for key in own if key.path in fields and len(fields[key.path].columns) == 1]:
        paths = _paths(values_of(records, fields[key.path].columns[0]))
        if paths is not None:
            _take(record_type, key, fields[key.path], paths, found)
    used = {name for fed in fields.values() for name in fed.seen_columns()}
    left = {name: paths for name in columns if name not in used and (paths := _paths(values_of(records, name)))}
    unfed = [key for key in own if key.path not in fields]
    if len(left) == len(unfed) == 1:
        [(name, paths)] = left.items()
        why = f"its values are paths, parted by “{paths.parted_by}”"
        _take(record_type, unfed[0], FieldMapping(columns=(name,), score=_SCORE, reasons=(why,)), paths, found)
    return found


def _take(record_type: RecordType, key: PathKey, fed: FieldMapping, paths: _Paths, found: ByPath) -> None:
    field = record_type.field(key.path)
    # A sign that no path has, where there is but one in a cell.
    between = paths.between or next(sign for sign in _BETWEEN if sign != paths.parted_by)
    steps = (SplitList(separator=between),) if field.type is FieldType.LIST else ()
    if field.type is FieldType.LIST or not paths.between:
        found.fields[key.path] = fed.model_copy(update={"steps": steps, "value_table": None, "table": None})
        found.rules[key.path] = LinkRule(by=(key.by,), parted_by=paths.parted_by)


def _paths(values: pl.Series) -> _Paths | None:
    """How a column's values are paths; None where they are not."""
    cells = values.drop_nulls().unique(maintain_order=True).head(_LOOKED_AT).to_list()
    if len(cells) < _FEWEST:
        return None
    for separator in _SEPARATORS:
        if sum(separator in cell for cell in cells) < _MOSTLY * len(cells):
            continue
        for between in (*(sign for sign in _BETWEEN if sign != separator), ""):
            pieces = [piece for cell in cells for piece in (cell.split(between) if between else [cell])]
            if between and sum(between in cell for cell in cells) < _SOME * len(cells):
                continue
            if _are_paths(pieces, separator):
                return _Paths(separator, between)
    return None


def _are_paths(texts: list[str], separator: str) -> bool:
    """Whether texts are paths: most have several parts, each is a name, and many begin alike."""
    parted = [[part.strip() for part in text.split(separator)] for text in texts]
    deep = [parts for parts in parted if len(parts) > 1]
    names = all(
        any(letter.isalpha() for letter in part) and len(part) <= _LONGEST for parts in parted for part in parts
    )
    tops = {parts[0] for parts in parted}
    if len(deep) < _MOSTLY * len(parted) or not names or len(tops) > _MOST_TOPS * len(parted) or "http:" in tops:
        return False
    # In a tree each stands below one other, mostly; in a list of labels any stands behind any.
    edges = {pair for parts in deep for pair in itertools.pairwise(parts)}
    return len({below for _, below in edges}) >= _ONE_ABOVE * len(edges)
