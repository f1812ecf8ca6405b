"""Corrections lie over the sheet; filters leave rows out, each with its reason, and the counts add up."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from datorum.core.shape import Condition, Correction, RowFilter, Selection, corrected
from datorum.core.table import FLAG, ROW

FRAME = pl.DataFrame(
    {
        ROW: [2, 3, 5, 6],
        FLAG: [None, "short", "undecodable", None],
        "name": ["Ada", "Bo", "J\N{REPLACEMENT CHARACTER}n", ""],
        "city": ["Quillham", None, "Oatford", "quillham "],
        "age": ["40", "7", "many", "12"],
    },
    schema_overrides={FLAG: pl.String},
)


def _kept(rows: RowFilter, by_hand: dict[int, str] | None = None) -> list[int]:
    return Selection(rows, by_hand).part(FRAME).kept[ROW].to_list()


def test_a_correction_replaces_one_cell_and_settles_its_rows_flag() -> None:
    found = corrected(
        FRAME, [Correction(3, "city", "Ryewick"), Correction(5, "name", "Jun"), Correction(9, "age", "1")]
    )
    assert found["city"].to_list() == ["Quillham", "Ryewick", "Oatford", "quillham "]
    assert found["name"].to_list() == ["Ada", "Bo", "Jun", ""]
    assert found[FLAG].to_list() == [None, None, None, None]
    assert FRAME["city"][1] is None


def test_a_flag_stays_while_another_cell_is_amiss() -> None:
    found = corrected(FRAME, [Correction(3, "age", "8"), Correction(5, "age", "9")])
    assert found[FLAG].to_list() == [None, "short", "undecodable", None]


@pytest.mark.parametrize(
    ("test", "column", "value", "rows"),
    [
        ("is", "city", "Quillham", [2, 6]),
        ("is not", "city", "Quillham", [3, 5]),
        ("contains", "city", "QUILL", [2, 6]),
        ("does not contain", "city", "ford", [2, 3, 6]),
        ("begins with", "name", "a", [2]),
        ("ends with", "city", "ford", [5]),
        ("is blank", "city", "", [3]),
        ("is not blank", "name", "", [2, 3, 5]),
        # What is no number cannot be told, and is never left out for it.
        ("is more than", "age", "11", [2, 5, 6]),
        ("is less than", "age", "11", [3, 5]),
    ],
)
def test_conditions_ask_of_the_supplied_value(test: str, column: str, value: str, rows: list[int]) -> None:
    condition = Condition.model_validate({"column": column, "test": test, "value": value})
    assert _kept(RowFilter(conditions=(condition,))) == rows


def test_conditions_combine_with_each_other_and_a_formula() -> None:
    one, other = Condition(column="city", test="is blank"), Condition(column="name", test="is", value="Ada")
    assert _kept(RowFilter(conditions=(one, other), match="any")) == [2, 3]
    assert _kept(RowFilter(conditions=(one, other))) == []
    assert _kept(
        RowFilter(formula="=LEN([name])>0", conditions=(Condition(column="age", test="is more than", value="8"),))
    ) == [2, 5]
    with pytest.raises(ValidationError, match="at character"):
        RowFilter(formula="=LEN([name]")


def test_every_row_left_out_says_why() -> None:
    kept_by = RowFilter(conditions=(Condition(column="name", test="is not blank"),), skip=1, first=1)
    found = Selection(kept_by, {3: "ada"}).part(FRAME)
    assert found.kept[ROW].to_list() == []
    assert dict(found.left_out.iter_rows()) == {
        2: "is among the first 1, which are skipped",
        3: "left out by ada",
        5: "comes after the 1 that were asked for",
        6: "does not meet the filter",
    }


@given(st.integers(0, 6), st.integers(1, 6) | st.none(), st.integers(1, 4))
def test_frames_in_parts_are_parted_as_the_whole_is(skip: int, first: int | None, size: int) -> None:
    kept_by = RowFilter(skip=skip, first=first, conditions=(Condition(column="name", test="is not blank"),))
    whole = Selection(kept_by).part(FRAME)
    selection = Selection(kept_by)
    parts = [selection.part(FRAME.slice(at, size)) for at in range(0, FRAME.height, size)]
    assert pl.concat([part.kept for part in parts])[ROW].to_list() == whole.kept[ROW].to_list()
    assert sum(part.kept.height + part.left_out.height for part in parts) == FRAME.height
