"""What feeds the fields of a record type, and how a sheet's rows become its records."""

from __future__ import annotations

import datetime as dt
from typing import Any, Literal

from pydantic import BaseModel, Field, model_validator

from datorum.core.errors import InvalidMapping, Place
from datorum.core.formula import Scope
from datorum.core.model.field_mapping import FieldMapping, ValueTable
from datorum.core.model.link_rule import BETWEEN_PARTS, LinkRule
from datorum.core.model.text_addresses import TextAddresses
from datorum.core.shape import RowFilter
from datorum.core.shape.kinds import AnyShape
from datorum.core.steps import Join


def _this_format() -> Literal[2]:
    return 2


class Mapping(BaseModel, frozen=True, extra="forbid"):
    """The mapping of one sheet to one record type.

    ``shape`` says how rows become records, one shape after the other; nothing where each row is one. ``rows`` says
    which rows go on; ``tables`` are value tables by name; ``parameters`` are what PARAMETER gives. ``links``: by the
    paths of fields that say which other record is meant, how it is found, where not by what the site takes;
    ``addresses``: by the paths of fields with texts what becomes of old addresses in these.

    A row and a record are the same that have the same ``match_key`` and, where that does not tell records apart by
    itself, the same in all of ``key_with``. ``format``: that of this value; all before are read.
    """

    format: Literal[2] = Field(default_factory=_this_format)

    fields: dict[str, FieldMapping] = Field(default_factory=dict)
    left_out: tuple[str, ...] = ()
    match_key: str | None = None
    key_with: tuple[str, ...] = Field(default_factory=tuple)
    shape: tuple[AnyShape, ...] = Field(default_factory=tuple)
    links: dict[str, LinkRule] = Field(default_factory=dict)
    addresses: dict[str, TextAddresses] = Field(default_factory=dict)
    rows: RowFilter = Field(default_factory=RowFilter)
    tables: dict[str, ValueTable] = Field(default_factory=dict)
    parameters: dict[str, str] = Field(default_factory=dict)

    @model_validator(mode="before")
    @classmethod
    def _of_before(cls, kept: Any) -> Any:
        """Mappings of the first format say none, and have a key of one field."""
        return {**kept, "format": 2} if isinstance(kept, dict) and kept.get("format", 1) == 1 else kept

    @model_validator(mode="after")
    def _key_has_a_first(self) -> Mapping:
        if self.key_with and self.match_key is None:
            raise ValueError("the match key has further fields and no first")
        return self

    @property
    def keys(self) -> tuple[str, ...]:
        """The fields that tell records apart together; none where no match key is chosen."""
        return () if self.match_key is None else (self.match_key, *self.key_with)

    def used_columns(self) -> set[str]:
        """The columns that something draws on: those that feed a field, those that its steps look at, and those that
        decide which rows go on and which are of one record."""
        fed = (fed.seen_columns() for fed in self.fields.values())
        made = (rule.seen_columns() for path, rule in self.links.items() if path in self.fields)
        return self.rows.seen_columns().union(*fed, *made, *(shape.used_columns() for shape in self.shape))

    def resolved(self, mapping: FieldMapping, path: str = "") -> FieldMapping:
        """A field's mapping with the value table that it names in place, and the parts of a key told apart. Raises
        InvalidMapping where there is no such table."""
        rule = self.links.get(path)
        if rule is not None and len(rule.by) > 1 and len(mapping.columns) > 1:
            # The parts of a key stay apart, whatever else would join them.
            steps = (step for step in mapping.steps if not isinstance(step, Join))
            mapping = mapping.model_copy(update={"steps": (*steps, Join(separator=BETWEEN_PARTS))})
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
