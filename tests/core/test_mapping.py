"""Two mappings beside each other, and a mapping beside a sheet that it was not made for."""

from __future__ import annotations

import polars as pl
import pytest

from datorum.core.errors import InvalidMapping
from datorum.core.mapping import differences, drift
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType, ValueTable
from datorum.core.profile import profile
from datorum.core.shape import Condition, RowFilter
from datorum.core.steps import Case, Trim

KIND = RecordType(
    name="people",
    title="People",
    fields=(
        Field(path="email", title="E-mail", format="email", unique=True),
        Field(path="birth_date", title="Date of birth", type=FieldType.DATE),
        Field(path="plan", title="Plan"),
    ),
)
BEFORE = Mapping(
    fields={
        "email": FieldMapping(columns=("E-mail",), steps=(Trim(),)),
        "plan": FieldMapping(columns=("Tier",), value_table=ValueTable(pairs={"a": "x", "b": "y"})),
        "birth_date": FieldMapping(columns=("Born",)),
    },
    left_out=("Notes",),
    match_key="email",
)


def test_what_differs_is_told_field_by_field() -> None:
    after = BEFORE.model_copy(
        update={
            "fields": {
                "email": FieldMapping(columns=("Mail",), steps=(Trim(), Case(to="lower"))),
                "plan": FieldMapping(
                    columns=("Tier",), value_table=ValueTable(pairs={"a": "x", "c": ""}, otherwise="keep")
                ),
            },
            "rows": RowFilter(conditions=(Condition(column="Tier", test="is not blank"),), first=10),
        }
    )
    found = {(one.field, one.what): (one.before, one.after) for one in differences(BEFORE, after)}
    assert found == {
        ("email", "fed by"): ("E-mail", "Mail"),
        ("email", "steps"): (Trim().sentence(), f"{Trim().sentence()}; {Case(to='lower').sentence()}"),
        ("plan", "value table: b"): ("y", "not set"),
        ("plan", "value table: c"): ("not set", "left blank"),
        ("plan", "value table: anything else"): ("held", "kept as it is"),
        ("birth_date", "fed by"): ("Born", ""),
        ("", "rows that go on"): ("", "Tier is not blank; the first 10"),
    }
    assert differences(after, after) == []


def test_drift_tells_new_gone_and_perhaps_renamed_columns() -> None:
    frame = pl.DataFrame(
        {
            "E-Mail address": ["ada@example.org", "bo@example.org"],
            "Tier": ["a", "b"],
            "Birthday": ["1980-02-01", "1990-03-04"],
            "Colour": ["red", "blue"],
        }
    )
    found = drift(KIND, BEFORE, profile(frame))
    assert found.new == ("E-Mail address", "Birthday", "Colour")
    assert found.gone == ("Born", "E-mail")
    assert {(one.before, one.after) for one in found.renamed} == {("E-mail", "E-Mail address"), ("Born", "Birthday")}
    assert all(one.reason for one in found.renamed)


def test_a_sheet_that_the_mapping_was_made_for_has_no_drift() -> None:
    frame = pl.DataFrame({"E-mail": ["a@example.org"], "Tier": ["a"], "Born": ["1980-02-01"], "Notes": ["x"]})
    found = drift(KIND, BEFORE, profile(frame))
    assert (found.new, found.gone, found.renamed) == ((), (), ())


def test_fields_share_a_named_table_and_a_name_without_a_table_is_told() -> None:
    shared = BEFORE.model_copy(update={"tables": {"plans": ValueTable(pairs={"a": "z"})}})
    fed = shared.resolved(FieldMapping(columns=("Tier",), table="plans"))
    assert fed.value_table == ValueTable(pairs={"a": "z"})
    with pytest.raises(InvalidMapping, match="no value table “plan”"):
        shared.resolved(FieldMapping(columns=("Tier",), table="plan"), "plan")
