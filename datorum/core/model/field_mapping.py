"""What feeds one field, and what is done to it on the way."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, model_validator

from datorum.core.steps import AnyStep, RowStep


class ValueTable(BaseModel, frozen=True, extra="forbid"):
    """Supplied value → site value. A pair whose site value is blank lands nothing.

    ``otherwise`` says what becomes of anything else: its rows are held, it lands as it is or blank, or ``other`` lands.
    """

    pairs: dict[str, str] = Field(default_factory=dict)
    otherwise: Literal["hold", "keep", "blank", "set"] = "hold"
    other: str = ""


class FieldMapping(BaseModel, frozen=True, extra="forbid"):
    """What feeds one field: columns or a constant, then steps in order, then the value table.

    ``table`` names one of the mapping's own value tables, which several fields can share, in the place of
    ``value_table``.
    """

    columns: tuple[str, ...] = ()
    constant: str | None = None
    steps: tuple[AnyStep, ...] = ()
    value_table: ValueTable | None = None
    table: str | None = None
    blank: Literal["keep", "clear"] = "keep"
    score: float | None = None
    reasons: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _one_feed(self) -> FieldMapping:
        if self.columns and self.constant is not None:
            raise ValueError("a field is fed by columns or by a constant, not by both")
        if self.table is not None and self.value_table is not None:
            raise ValueError("a field has a value table of its own or a named one, not both")
        return self

    def seen_columns(self) -> set[str]:
        """The columns that feed the field or that its steps look at."""
        return set(self.columns).union(*(step.seen_columns() for step in self.steps))

    @property
    def sees_row(self) -> bool:
        """Whether a step looks at more than the value so far."""
        return any(isinstance(step, RowStep) for step in self.steps)

    @property
    def fed(self) -> bool:
        """Whether anything feeds the field."""
        return bool(self.columns) or self.constant is not None
