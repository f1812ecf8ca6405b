"""An object of a list keeps what the sheet says nothing of, whichever object of the site it stands for."""

from __future__ import annotations

from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.model import Field, FieldType
from datorum.core.plan.lines import laid_on

LINES = Field(
    path="lines", title="Lines", type=FieldType.LIST,
    objects=(
        Field(path="sku", title="Sku"), Field(path="quantity", title="Quantity", type=FieldType.INTEGER),
        Field(path="note", title="Note"), Field(path="of.colour", title="Colour"),
    ),
)  # fmt: skip
THERE: list[Any] = [
    {"sku": "A", "quantity": 1, "note": "dry", "of": {"colour": "red", "size": 2}, "bin": 7},
    {"sku": "B", "quantity": 1, "note": "cool", "of": {"colour": "blue", "size": 3}},
]
FED = {"sku", "quantity"}


def test_a_line_is_known_by_what_tells_lines_apart() -> None:
    given = [{"sku": "B", "quantity": 4}, {"sku": "C", "quantity": 1}, {"sku": "A", "quantity": 1}]
    assert laid_on(LINES, THERE, given, FED, ()) == [THERE[1] | {"quantity": 4}, {"sku": "C", "quantity": 1}, THERE[0]]


def test_lines_that_nothing_tells_apart_are_known_by_what_is_the_same_nearest_first() -> None:
    there = [{"sku": "A", "quantity": 1, "note": "x"}, {"sku": "A", "quantity": 1, "note": "y"}]
    given = [{"sku": "A", "quantity": 1}, {"sku": "A", "quantity": 2}]
    assert laid_on(LINES, there, given, FED, ()) == [there[0], there[1] | {"quantity": 2}]


@pytest.mark.parametrize(("cleared", "left"), [((), "dry"), (("note",), None)])
def test_a_blank_keeps_or_clears_as_its_rule_says(cleared: Any, left: str | None) -> None:
    [line] = laid_on(LINES, THERE, [{"sku": "A", "of": {"colour": "green"}}], {"sku", "note", "of.colour"}, cleared)
    assert (line.get("note"), line["of"], line["bin"]) == (left, {"colour": "green", "size": 2}, 7)


_LINE = st.fixed_dictionaries({"sku": st.sampled_from("ABC"), "quantity": st.integers(1, 3)})


@given(st.lists(_LINE, max_size=5), st.lists(_LINE, max_size=5))
def test_what_the_sheet_says_is_what_lands_and_no_line_is_used_twice(there: Any, given: Any) -> None:
    marked = [one | {"mark": place} for place, one in enumerate(there)]
    found = laid_on(LINES, marked, given, FED, ())
    assert [{name: one[name] for name in ("sku", "quantity")} for one in found] == given
    marks = [one["mark"] for one in found if "mark" in one]
    assert len(marks) == len(set(marks))
    if there == given:
        assert found == marked
