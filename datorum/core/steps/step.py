"""What every step is: a sentence for people, a formula that is the same, and a function over a whole column."""

from __future__ import annotations

from abc import ABC, abstractmethod
from typing import Annotated, NamedTuple

import polars as pl
from pydantic import Field

from datorum.core.forms import OnMenu
from datorum.core.formula import THIS, FormulaFault, Scope, columns_of, formula_column, interpret, parse


class Stepped(NamedTuple):
    """The values after a step, and where the step could not read its input.

    ``values`` is a String series with null for blank; ``failed`` a Boolean series of the same length.
    """

    values: pl.Series
    failed: pl.Series


Word = Annotated[str, Field(max_length=200)]
"""One of several words that a person gives a step."""


class Step(OnMenu, ABC, frozen=True, extra="forbid"):
    """One transformation of one column, readable as a sentence. Its formula is its meaning; ``apply`` may be faster."""

    @abstractmethod
    def sentence(self) -> str:
        """The step as a person would say it."""

    @abstractmethod
    def formula(self, value: str) -> str:
        """The step as a formula, without its equals sign, over ``value``, which is one itself."""

    def apply(self, values: pl.Series) -> Stepped:
        """Transform a String series; null is blank and stays blank."""
        frame = values.rename("value").to_frame()
        found = formula_column(frame, parse(self.formula("[value]")), Scope())
        # What is blank is passed by, whatever the formula would make of it.
        return Stepped(found.values, found.faults.is_not_null() & values.is_not_null())

    def seen_columns(self) -> set[str]:
        """The columns of the row that the step looks at beside the value so far."""
        return set()

    def problem(self, value: str) -> str:
        """Why ``value`` could not be read, as the end of a sentence about it."""
        try:
            interpret(self.formula("[value]"), Scope(cells={"value": value}))
        except FormulaFault as fault:
            message = fault.message
            # The sentence that this ends names the value already.
            return message.split("” ", 1)[1] if message.startswith("“") and "” " in message else message
        return "cannot be read"


class RowStep(Step, frozen=True):
    """A step that sees the whole row: all its columns, and the value so far as THIS()."""

    def over(self, frame: pl.DataFrame, values: pl.Series, scope: Scope) -> Stepped:
        """Transform a String series that belongs to the rows of a frame."""
        return over_row(frame, values, self.formula("THIS()"), scope)

    def seen_columns(self) -> set[str]:
        try:
            return set(columns_of(parse(self.formula("THIS()"))))
        except FormulaFault:
            return set()

    def problem(self, value: str) -> str:
        return "cannot be worked out in this row"


def over_row(frame: pl.DataFrame, values: pl.Series, formula: str, scope: Scope) -> Stepped:
    """A formula over whole rows; THIS() stands for the values so far."""
    try:
        node = parse(formula)
    except FormulaFault:
        return Stepped(values.clear(len(values)), pl.repeat(True, len(values), dtype=pl.Boolean, eager=True))
    found = formula_column(frame.with_columns(values.alias(THIS)), node, scope)
    return Stepped(found.values, found.faults.is_not_null())


def all_read(values: pl.Series) -> Stepped:
    """A step's answer when it cannot fail."""
    return Stepped(values, pl.repeat(False, len(values), dtype=pl.Boolean, eager=True))
