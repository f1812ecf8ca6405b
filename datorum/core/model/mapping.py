"""What feeds each field, and what is done to it on the way."""

from __future__ import annotations

from typing import Literal

from pydantic import BaseModel, Field, model_validator

from datorum.core.steps import AnyStep


class ValueTable(BaseModel, frozen=True):
    """Supplied value → site value. A pair whose site value is blank lands nothing."""

    pairs: dict[str, str] = Field(default_factory=dict)


class FieldMapping(BaseModel, frozen=True):
    """What feeds one field: columns or a constant, then steps in order, then the value table."""

    columns: tuple[str, ...] = ()
    constant: str | None = None
    steps: tuple[AnyStep, ...] = ()
    value_table: ValueTable | None = None
    blank: Literal["keep", "clear"] = "keep"
    score: float | None = None
    reasons: tuple[str, ...] = ()

    @model_validator(mode="after")
    def _one_feed(self) -> FieldMapping:
        if self.columns and self.constant is not None:
            raise ValueError("a field is fed by columns or by a constant, not by both")
        return self

    @property
    def fed(self) -> bool:
        """Whether anything feeds the field."""
        return bool(self.columns) or self.constant is not None


class Mapping(BaseModel, frozen=True):
    """The mapping of one sheet to one record type."""

    fields: dict[str, FieldMapping] = Field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    match_key: str | None = None

    def used_columns(self) -> set[str]:
        """The columns that feed at least one field."""
        return {column for mapping in self.fields.values() for column in mapping.columns}
