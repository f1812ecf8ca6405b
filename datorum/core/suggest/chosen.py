"""What people chose before, whole: the columns of a feed with their steps and value table."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

import polars as pl

from datorum.core.errors import InvalidMapping
from datorum.core.model import FieldMapping, Mapping
from datorum.core.steps import Case, Join, ReadDate, ReadNumber, ReadYesNo, SplitList, ToCode, Trim, WriteDate
from datorum.core.steps.landing import NO_VALUE_SET, land

_READS = 0.5
"""A feed is used again where its steps read at least this share of the values."""

_READING = (Case, Join, ReadDate, ReadNumber, ReadYesNo, SplitList, ToCode, Trim, WriteDate)

Headers = tuple[str, ...]


class Decided(NamedTuple):
    """A mapping that people had a hand in, and what had been suggested at first."""

    mapping: Mapping
    suggested: Mapping = Mapping()


def refused_in(mapping: Mapping, suggested: Mapping) -> Iterator[tuple[str, Headers]]:
    """The fields that a mapping does not feed by the columns that had been suggested for them."""
    for path, fed in suggested.fields.items():
        now = mapping.fields.get(path)
        if fed.columns and (now is None or _plain(now.columns) != _plain(fed.columns)):
            yield path, _plain(fed.columns)


class Chosen:
    """The feeds of earlier mappings, the latest first, and those that were refused. Headers are the same in any case;
    columns that fed different fields count by the latest mapping that used them."""

    def __init__(self, decided: Iterable[Decided] = ()) -> None:
        self._feeds: dict[Headers, dict[str, FieldMapping]] = {}
        self._refused: set[tuple[str, Headers]] = set()
        decided_on: set[tuple[str, Headers]] = set()
        for mapping, suggested in decided:
            here: dict[Headers, dict[str, FieldMapping]] = {}
            for path, fed in mapping.fields.items():
                # A formula may be all that feeds a field; then it is known by the columns that it sees.
                if columns := fed.columns or tuple(sorted(fed.seen_columns())):
                    here.setdefault(_plain(columns), {})[path] = _alone(mapping, fed)
            for columns, feeds in here.items():
                self._feeds.setdefault(columns, feeds)
            chosen = {(path, columns) for columns, feeds in here.items() for path in feeds}
            refused = set(refused_in(mapping, suggested))
            self._refused |= refused - decided_on
            decided_on |= chosen | refused

    def __bool__(self) -> bool:
        """Whether anything was chosen or refused."""
        return bool(self._feeds or self._refused)

    def was_fed(self, path: str, columns: Sequence[str]) -> bool:
        """Whether these columns fed a field by no steps but those that read a value, which are suggested anew for other
        values. What was made of a column by other steps is not what the column has."""
        fed = self._feeds.get(_plain(columns), {}).get(path)
        return fed is not None and all(isinstance(step, _READING) for step in fed.steps)

    def was_refused(self, path: str, columns: Sequence[str]) -> bool:
        """Whether somebody took these columns from a field that they had been suggested for, and nobody has given them
        back to it since."""
        return (path, _plain(columns)) in self._refused

    def feed(self, path: str, columns: Sequence[str], frame: pl.DataFrame) -> FieldMapping | None:
        """What was done to these columns for a field, where it can be done to those of a frame."""
        fed = self._feeds.get(_plain(columns), {}).get(path)
        if fed is None:
            return None
        columns = tuple(columns) if fed.columns else ()
        fed = fed.model_copy(update={"columns": columns, "score": None, "reasons": ("as in an earlier import",)})
        return fed if fed.seen_columns() <= set(frame.columns) and _reads(fed, frame) else None

    def feeds(self, frame: pl.DataFrame) -> Iterator[tuple[str, FieldMapping]]:
        """Every field that columns of a frame fed before, the latest choice first."""
        headers = {name.strip().lower(): name for name in frame.columns}
        for columns, feeds in self._feeds.items():
            if all(name in headers for name in columns):
                for path in feeds:
                    fed = self.feed(path, [headers[name] for name in columns], frame)
                    if fed is not None:
                        yield path, fed


def _plain(columns: Sequence[str]) -> Headers:
    return tuple(column.strip().lower() for column in columns)


def _alone(mapping: Mapping, fed: FieldMapping) -> FieldMapping:
    """A feed that needs nothing of the mapping around it."""
    try:
        return mapping.resolved(fed)
    except InvalidMapping:
        return fed.model_copy(update={"table": None})


def _reads(fed: FieldMapping, frame: pl.DataFrame) -> bool:
    """Whether the steps read most of what the columns have; values that the table lacks are for a person to place."""
    landed = land(frame, fed.model_copy(update={"value_table": None}))
    filled = landed.supplied.is_not_null()
    read = filled & (landed.failed.is_in([0, NO_VALUE_SET]))
    return int(read.sum()) >= _READS * int(filled.sum())
