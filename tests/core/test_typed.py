"""Landed texts as values of their fields: what is read, what is none of the type, and what a site is sent of it."""

from __future__ import annotations

import json
from decimal import Decimal
from typing import Any

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.check.rules import RULES
from datorum.core.model import Field, FieldType
from datorum.core.typed import as_json, one_as_json, typed


def field(kind: FieldType, **more: Any) -> Field:
    return Field(path="it", title="It", type=kind, **more)


def texts(*values: str | None) -> pl.Series:
    return pl.Series(values, dtype=pl.String)


@pytest.mark.parametrize(
    ("kind", "text", "sent"),
    [
        (FieldType.INTEGER, "12345678901234567890", 12345678901234567890),
        (FieldType.INTEGER, "12.00", 12),
        (FieldType.INTEGER, "-7", -7),
        (FieldType.INTEGER, "1e3", None),
        (FieldType.INTEGER, "12.5", None),
        (FieldType.NUMBER, "1204.50", 1204.5),
        (FieldType.NUMBER, "1e3", 1000),
        (FieldType.NUMBER, "1e400", None),
        (FieldType.NUMBER, "inf", None),
        (FieldType.NUMBER, "nan", None),
        (FieldType.NUMBER, "0x10", None),
        (FieldType.NUMBER, " 5", None),
        (FieldType.NUMBER, "1_000", None),
        (FieldType.BOOLEAN, "false", False),
        (FieldType.BOOLEAN, "yes", None),
        (FieldType.LIST, '["a", 1, {"b": [2]}]', ["a", 1, {"b": [2]}]),
        (FieldType.LIST, "[]", []),
        (FieldType.LIST, "[1, 2", None),
        (FieldType.LIST, '{"a": 1}', None),
        (FieldType.TEXT, "007", "007"),
        (FieldType.TEXT, None, None),
    ],
)
def test_what_a_text_is_sent_as(kind: FieldType, text: str | None, sent: Any) -> None:
    found = one_as_json(field(kind), text)
    assert found == sent
    assert type(found) is type(sent)
    told = typed(field(kind), texts(text)).of_another_type.to_list()
    assert told == [text is not None and sent is None]


def test_items_of_a_list_are_of_their_own_type_and_keep_their_lists() -> None:
    lists = texts('["1", 2]', None, "[]", '["x"]', "none", '["3.0"]')
    whole = field(FieldType.LIST, items=field(FieldType.INTEGER))
    assert as_json(whole, typed(whole, lists)) == [[1, 2], None, [], [None], None, [3]]
    yes = field(FieldType.LIST, items=field(FieldType.BOOLEAN))
    assert one_as_json(yes, "[true, false]") == [True, False]


@given(st.integers(-(10**40), 10**40))
def test_whole_numbers_stay_exact(number: int) -> None:
    assert one_as_json(field(FieldType.INTEGER), str(number)) == number
    assert one_as_json(field(FieldType.NUMBER), str(number)) == number


@given(st.floats(allow_nan=False, allow_infinity=False))
def test_numbers_are_sent_as_they_are_written(number: float) -> None:
    sent = one_as_json(field(FieldType.NUMBER), repr(number))
    assert Decimal(str(sent)) == Decimal(repr(number))


@given(st.lists(st.lists(st.text(max_size=4), max_size=5), max_size=8))
def test_lists_come_out_as_they_went_in(lists: list[list[str]]) -> None:
    one = field(FieldType.LIST, items=field(FieldType.TEXT))
    assert as_json(one, typed(one, texts(*(json.dumps(items) for items in lists)))) == lists


@pytest.mark.parametrize(
    ("more", "rule", "broken"),
    [
        ({"min_items": 1}, "number of items", [False, True, False, False]),
        ({"max_items": 2}, "number of items", [False, False, True, False]),
        ({"unique_items": True}, "items twice", [False, False, True, False]),
        ({"items": field(FieldType.TEXT, max_length=1)}, "items", [False, False, False, True]),
        ({"items": field(FieldType.INTEGER)}, "items", [True, False, True, True]),
    ],
)
def test_what_lists_are_held_to(more: dict[str, Any], rule: str, broken: list[bool]) -> None:
    one = field(FieldType.LIST, **more)
    lists = texts('["a"]', "[]", '["a", "b", "a"]', '["long"]')
    held = next(known for known in RULES if known.name == rule)
    assert held.applies(one)
    assert held.breaks(one, typed(one, lists)).to_list() == broken
