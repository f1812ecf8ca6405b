"""From supplied to landed: columns through steps and value table, a whole column at a time."""

from __future__ import annotations

import logging
from functools import cached_property
from typing import NamedTuple

import polars as pl

from datorum.core.formula import Scope, column_reference, quoted
from datorum.core.model import Field
from datorum.core.model.field_mapping import FieldMapping, ValueTable
from datorum.core.steps import Join, RowStep, Step
from datorum.core.steps.coded import coded
from datorum.core.typed import Typed, typed

log = logging.getLogger(__name__)
NO_VALUE_SET = 255
"""What ``Landed.failed`` holds where the value table has no pair."""


class Values(NamedTuple):
    """One field over some rows or some distinct values, three series of equal length.

    ``supplied``: String, what came, several columns joined by a middle dot. ``values``: String, what the site will
    get in its plain spelling, null for blank. ``failed``: UInt8, 0 where all went well, else the number of the step
    (counted from 1) that could not read its input, or ``NO_VALUE_SET``.
    """

    supplied: pl.Series
    values: pl.Series
    failed: pl.Series


class Landed:
    """One field over all rows: ``supplied``, ``values`` and ``failed`` as in ``Values``, one for each row.

    Where values recur, ``distinct`` has each once, and what is done to them can be done there; ``over_rows`` brings it
    to the rows. ``typed``: the distinct values as those of a field, where they have been read so already.
    """

    def __init__(self, distinct: Values, codes: pl.Series | None = None, typed: Typed | None = None) -> None:
        self.distinct = distinct
        self.codes = codes
        self._typed = typed

    def typed(self, field: Field) -> Typed:
        """The distinct values as those of the field that they landed in."""
        if self._typed is None:
            self._typed = typed(field, self.distinct.values)
        return self._typed

    def typed_rows(self, field: Field) -> pl.Series:
        """The value of each row as one of the field that it landed in: ``Typed.values`` over the rows."""
        return self.over_rows(self.typed(field).values)

    def over_rows(self, series: pl.Series) -> pl.Series:
        """A series with one entry for each of ``distinct``, as one with an entry for each row."""
        return series if self.codes is None else series.gather(self.codes)

    @property
    def places(self) -> pl.Series:
        """For each row which of ``distinct`` it has."""
        return pl.int_range(len(self.distinct.values), eager=True) if self.codes is None else self.codes

    @cached_property
    def supplied(self) -> pl.Series:
        return self.over_rows(self.distinct.supplied)

    @cached_property
    def values(self) -> pl.Series:
        return self.over_rows(self.distinct.values)

    @cached_property
    def failed(self) -> pl.Series:
        return self.over_rows(self.distinct.failed)


def with_values(landed: Landed, distinct: pl.Series) -> Landed:
    """The same with other values, one for each distinct one, of whatever type."""
    return Landed(landed.distinct._replace(values=distinct), landed.codes)


_NO_SCOPE = Scope()


class Broken(NamedTuple):
    """A step that could not be worked out at all: its number, counted from 1, and what went wrong."""

    number: int
    why: str


def land(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope = _NO_SCOPE, *, until: int | None = None) -> Landed:
    """Run one field's mapping over a frame of String columns; formulas see ``scope`` beside the row.

    ``until`` stops after that many steps, for showing the value under each step. Columns that the frame lacks count as
    blank; whether they should be there is the mapping's check, not this function's.
    """
    distinct, codes = distinct_rows(frame, mapping)
    return Landed(_land_each(distinct, mapping, scope, until), codes)


def distinct_rows(frame: pl.DataFrame, mapping: FieldMapping) -> tuple[pl.DataFrame, pl.Series | None]:
    """The rows of a frame that differ in what a field draws on, and for each row which of them it is; the frame itself
    where that is not worth it."""
    columns = [name for name in mapping.columns if name in frame.columns]
    found = None if mapping.sees_row else coded([frame[name] for name in columns])
    return (frame, None) if found is None else (frame.select(columns)[found.places], found.codes)


def stages(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope) -> list[pl.Series]:
    """A field's values before its first step and after each, not yet looked up in its value table."""
    seen: list[pl.Series] = []
    _land_each(frame, mapping, scope, len(mapping.steps), seen)
    return seen


def broken_steps(frame: pl.DataFrame, mapping: FieldMapping, scope: Scope) -> list[Broken]:
    """The steps that break on the values of a frame, before they are kept."""
    broken: list[Broken] = []
    _land_each(frame, mapping, scope, None, broken=broken)
    return broken


def _land_each(
    frame: pl.DataFrame,
    mapping: FieldMapping,
    scope: Scope,
    until: int | None,
    seen: list[pl.Series] | None = None,
    broken: list[Broken] | None = None,
) -> Values:
    height = frame.height
    failed = pl.zeros(height, dtype=pl.UInt8, eager=True)
    if mapping.columns:
        columns = [_column(frame, name) for name in mapping.columns]
        supplied = Join(separator=" · ").join(columns)
    else:
        columns = [pl.repeat(mapping.constant or None, height, dtype=pl.String, eager=True)]
        supplied = pl.repeat(None, height, dtype=pl.String, eager=True)
    steps = mapping.steps if until is None else mapping.steps[:until]
    for number, step in enumerate(steps, 1):
        if seen is not None:
            seen.append(Join().join(columns))
        try:
            if isinstance(step, Join):
                columns = [step.join(columns)]
            elif isinstance(step, RowStep):
                stepped = step.over(frame, Join().join(columns), scope)
                columns = [stepped.values]
                failed = failed.set(stepped.failed & (failed == 0), number)
            else:
                columns, failed = _apply(step, number, columns, failed)
        except (Exception, pl.exceptions.PanicException) as error:
            # It holds the rows that need it, and nothing else: whatever was kept, an import opens.
            log.warning("a step of kind %s broke: %s", type(step).__name__, type(error).__name__)
            if broken is not None:
                broken.append(Broken(number, str(error).partition("\n")[0] or type(error).__name__))
            needed = Join().join(columns).is_not_null() | isinstance(step, RowStep)
            columns = [pl.repeat(None, height, dtype=pl.String, eager=True)]
            failed = failed.set(needed & (failed == 0), number)
    if seen is not None:
        seen.append(Join().join(columns))
    values = blank_to_null(Join().join(columns))
    if mapping.value_table is not None and until is None:
        values, failed = _look_up(mapping.value_table, values, failed)
    return Values(supplied, values.set(failed > 0, None), failed)


def formula_of(mapping: FieldMapping) -> str:
    """The steps of a field's mapping as one formula that is the same."""
    values = [column_reference(name) for name in mapping.columns] or [quoted(mapping.constant or "")]
    for step in mapping.steps:
        if isinstance(step, Join):
            values = [_text_join(step.separator, values)]
        elif isinstance(step, RowStep):
            values = [step.formula(_text_join(" ", values))]
        else:
            values = [step.formula(value) for value in values]
    return "=" + _text_join(" ", values)


def _text_join(separator: str, values: list[str]) -> str:
    return values[0] if len(values) == 1 else f"TEXTJOIN({quoted(separator)};TRUE();{';'.join(values)})"


def blank_to_null(values: pl.Series) -> pl.Series:
    """Texts of no or only white space become null."""
    return values.set((values.str.strip_chars() == "").fill_null(False), None)


def _column(frame: pl.DataFrame, name: str) -> pl.Series:
    if name in frame.columns:
        return frame[name]
    return pl.repeat(None, frame.height, dtype=pl.String, eager=True)


def _apply(step: Step, number: int, columns: list[pl.Series], failed: pl.Series) -> tuple[list[pl.Series], pl.Series]:
    landed = []
    for column in columns:
        stepped = step.apply(column)
        landed.append(stepped.values)
        failed = failed.set(stepped.failed & (failed == 0), number)
    return landed, failed


def _look_up(table: ValueTable, values: pl.Series, failed: pl.Series) -> tuple[pl.Series, pl.Series]:
    found = (
        values.replace_strict(table.pairs, default=None, return_dtype=pl.String)
        if table.pairs
        else values.set(values.is_not_null(), None)
    )
    missing = values.is_not_null() & found.is_null() & (failed == 0)
    match table.otherwise:
        case "hold":
            failed = failed.set(missing, NO_VALUE_SET)
        case "keep":
            found = found.zip_with(~missing, values)
        case "set":
            found = found.set(missing, table.other)
    return blank_to_null(found), failed
