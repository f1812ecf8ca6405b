"""One answer says when two keys are the same, over a whole column and for one value."""

from __future__ import annotations

from typing import Any

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.match_key import key_text, key_texts
from datorum.core.model import Field, FieldType

EMAIL = Field(path="email", title="E-mail", format="email")
SKU = Field(path="sku", title="SKU")
NUMBER = Field(path="number", title="Number", type=FieldType.INTEGER)
SINCE = Field(path="since", title="Since", type=FieldType.DATE_TIME)


@pytest.mark.parametrize(
    ("field", "landed", "on_site", "alike"),
    [
        (EMAIL, "Ada@Quillmoss.example", "ada@quillmoss.EXAMPLE", True),
        (SKU, "QB-102", "qb-102", False),
        (SKU, "00120", "120", False),
        (NUMBER, "120", 120, True),
        (NUMBER, "120", 120.0, True),
        (NUMBER, "1200000000000000000001", 1200000000000000000001, True),
        (NUMBER, "120", 121, False),
        (SINCE, "2019-02-03T14:10:00Z", "2019-02-03T15:10:00+01:00", True),
    ],
)
def test_a_landed_key_and_a_key_on_the_site(field: Field, landed: str, on_site: Any, alike: bool) -> None:
    assert (key_text(field, landed) == key_text(field, on_site)) is alike


@pytest.mark.parametrize("field", [EMAIL, SKU, NUMBER, SINCE], ids=lambda field: field.path)
def test_a_blank_key_is_none(field: Field) -> None:
    assert key_text(field, None) is None
    assert key_text(field, "") is None


@given(st.lists(st.none() | st.text(max_size=12) | st.sampled_from(["7", "7.0", "ΟΔΟΣ@x.gr", "Ä@x.de", "İ@x.tr"])))
def test_a_column_says_the_same_as_each_of_its_values(values: list[str | None]) -> None:
    for field in (EMAIL, SKU, NUMBER, SINCE):
        column = key_texts(field, pl.Series(values, dtype=pl.String))
        assert column.to_list() == [key_text(field, value) for value in values]
