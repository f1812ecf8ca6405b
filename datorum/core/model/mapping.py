"""What feeds each field, and what is done to it on the way."""

from __future__ import annotations

import datetime as dt
from typing import Literal

from pydantic import BaseModel, Field, model_validator

from datorum.core.errors import InvalidMapping, Place
from datorum.core.formula import Scope
from datorum.core.model.link_rule import BETWEEN_PARTS, LinkRule
from datorum.core.shape import RowFilter
from datorum.core.shape.kinds import AnyShape
from datorum.core.steps import AnyStep, Join, RowStep


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


class Mapping(BaseModel, frozen=True, extra="forbid"):
    """The mapping of one sheet to one record type.

    ``shape`` says how rows become records, one shape after the other; nothing where each row is one. ``rows`` says
    which rows go on; ``tables`` are value tables by name; ``parameters`` are what PARAMETER gives. ``links``: by the
    paths of fields that say which other record is meant, how it is found, where not by what the site takes.
    """

    fields: dict[str, FieldMapping] = Field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    match_key: str | None = None
    shape: tuple[AnyShape, ...] = Field(default_factory=tuple)
    links: dict[str, LinkRule] = Field(default_factory=dict)
    rows: RowFilter = Field(default_factory=RowFilter)
    tables: dict[str, ValueTable] = Field(default_factory=dict)
    parameters: dict[str, str] = Field(default_factory=dict)

    def used_columns(self) -> set[str]:
        """The columns that something draws on: those that feed a field, those that its steps look at, and those that
        decide which rows go on and which are of one record."""
        fed = (fed.seen_columns() for fed in self.fields.values())
        return self.rows.seen_columns().union(*fed, *(shape.used_columns() for shape in self.shape))

    def resolved(self, mapping: FieldMapping, path: str = "") -> FieldMapping:
        """A field's mapping with the value table that it names in place, and the parts of a key told apart. Raises
        InvalidMapping where there is no such table."""
        rule = self.links.get(path)
        if rule is not None and len(rule.by) > 1 and len(mapping.columns) > 1:
            mapping = mapping.model_copy(update={"steps": (*mapping.steps, Join(separator=BETWEEN_PARTS))})
        if mapping.table is None:
            return mapping
        if mapping.table not in self.tables:
            raise InvalidMapping(
                f"The mapping has no value table “{mapping.table}”.",
                remedy="Choose another table for the field, or give this one its pairs.",
                place=Place(field=path or None),
            )
        return mapping.model_copy(update={"value_table": self.tables[mapping.table], "table": None})

    def scope(self, now: dt.datetime, person: str = "") -> Scope:
        """What the mapping's formulas can see beside the row."""
        tables = {name: table.pairs for name, table in self.tables.items()}
        return Scope(now=now, person=person, parameters=self.parameters, tables=tables)
