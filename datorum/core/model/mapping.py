"""What feeds the fields of a record type, and how a sheet's rows become its records."""

from __future__ import annotations

import datetime as dt

from pydantic import BaseModel, Field

from datorum.core.errors import InvalidMapping, Place
from datorum.core.formula import Scope
from datorum.core.model.field_mapping import FieldMapping, ValueTable
from datorum.core.model.link_rule import BETWEEN_PARTS, LinkRule
from datorum.core.shape import RowFilter
from datorum.core.shape.kinds import AnyShape
from datorum.core.steps import Join


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
        made = (rule.seen_columns() for path, rule in self.links.items() if path in self.fields)
        return self.rows.seen_columns().union(*fed, *made, *(shape.used_columns() for shape in self.shape))

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
