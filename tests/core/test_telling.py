"""Telling records: few, and together they exercise everything that the mapping does."""

from __future__ import annotations

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.formula import Scope
from datorum.core.model import FieldMapping
from datorum.core.plan.telling import Marks, marks_of, telling

FIELDS = [
    {"columns": ["Name"], "steps": [{"kind": "trim"}, {"kind": "case", "to": "proper"}]},
    {"columns": ["Tier"], "value_table": {"pairs": {"a": "seedling", "b": "grove"}}},
    {"columns": ["Joined"], "steps": [{"kind": "read_date", "pattern": "D/M/YYYY"}]},
    {"columns": ["Tier"], "steps": [{"kind": "when", "condition": '=[Name]="x"', "then": '="y"'}]},
]
CELLS = st.fixed_dictionaries(
    {
        "Name": st.sampled_from([None, "", "Ada", "ada", " Bo", "x"]),
        "Tier": st.sampled_from([None, "a", "b", "c"]),
        "Joined": st.sampled_from([None, "1/2/2020", "31/2/2020"]),
    }
)


def _marks(frame: pl.DataFrame) -> list[Marks]:
    return [marks_of(frame, FieldMapping.model_validate(field), Scope()) for field in FIELDS]


@settings(max_examples=50)
@given(st.lists(CELLS, min_size=1, max_size=40))
def test_the_telling_rows_exercise_all_that_any_row_does(rows: list[dict[str, str | None]]) -> None:
    frame = pl.DataFrame(rows, schema=dict.fromkeys(("Name", "Tier", "Joined"), pl.String))
    marks = _marks(frame)
    places = telling(marks, frame.height)
    for field in marks:
        assert field.shape[1] == frame.height
        assert field[:, places].any(axis=1).tolist() == field.any(axis=1).tolist()
    assert len(places) == len(set(places))


def test_values_that_each_row_has_for_itself_make_no_row_telling() -> None:
    named = FieldMapping.model_validate({"columns": ["Name"]})
    frame = pl.DataFrame({"Name": [f"Ada {number}" for number in range(20)]})
    assert len(telling([marks_of(frame, named, Scope())], 20)) == 1
    again = pl.DataFrame({"Name": ["Ada", "Bo"] * 10})
    assert len(telling([marks_of(again, named, Scope())], 20)) == 2


def test_rows_that_are_alike_are_told_once() -> None:
    frame = pl.DataFrame({"Name": ["Ada"] * 50 + [""], "Tier": ["a"] * 51, "Joined": ["1/2/2020"] * 51})
    assert sorted(telling(_marks(frame), frame.height)) == [0, 50]
