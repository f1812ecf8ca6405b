"""What was sent is held against what the site gives back, field by field, and no field is passed over."""

from __future__ import annotations

from typing import Any

import polars as pl
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.json_columns import differ, texts_at
from datorum.core.json_text import dumps, loads
from datorum.core.model import Action, Change, Field, FieldType, PlanRow, RecordType, SiteRecord
from datorum.core.plan.frame import frame_of
from datorum.core.values import at, same
from datorum.core.verify import compare

KIND = RecordType(
    name="people",
    title="People",
    fields=(
        Field(path="email", title="E-mail"),
        Field(path="age", title="Age", type=FieldType.INTEGER),
        Field(path="home.city", title="City"),
        Field(path="password", title="Password", write_only=True),
    ),
)
VALUES = st.recursive(
    st.sampled_from([None, "", "12", "12.50", "2019-02-03T14:10:00Z", "2019-02-03T15:10:00+01:00", 12.0, 12.5, True])
    | st.text(max_size=3) | st.integers(),
    lambda inner: st.lists(inner, max_size=3) | st.dictionaries(st.text(max_size=2), inner, max_size=2), max_leaves=4,
)  # fmt: skip


def test_each_kind_of_item_is_compared_as_it_is() -> None:
    sent = [
        PlanRow(1, Action.CREATE, 2, "a", record_id="7", changes={
            "email": Change(None, "a"), "password": Change(None, "secret"), "home.city": Change(None, None)}),
        PlanRow(2, Action.UPDATE, 3, "b", record_id="8", changes={"age": Change(1, 2), "email": Change("c", " b ")}),
        PlanRow(3, Action.DELETE, 4, "gone", record_id="9", changes={"email": Change("gone", None)}),
        PlanRow(4, Action.DELETE, 5, "still there", record_id="10", changes={"email": Change("still there", None)}),
        PlanRow(5, Action.UPDATE, 2, "a", record_id="7", changes={"age": Change(None, 30)}, of_item=1),
        PlanRow(6, Action.CREATE, 6, "e", record_id="11", changes={"email": Change(None, "e")}),
        PlanRow(7, Action.CREATE, 7, "f", record_id=None, changes={"email": Change(None, "f")}),
    ]  # fmt: skip
    bodies: dict[str, dict[str, Any]] = {
        "7": {"email": "a", "home": None, "age": 31},
        "8": {"email": "b", "age": 2.0},
        "10": {"email": "z"},
    }
    found = {number: SiteRecord(id=number, body=body) for number, body in bodies.items()}
    # A chunk of a plan has records of several types in it.
    chunk = frame_of(
        [*sent, PlanRow(8, Action.CREATE, 8, "x", changes={"sku": Change(None, "x")}, record_type="other")]
    )
    compared = compare(KIND, chunk.filter(pl.col("record_type") == ""), found)
    assert sorted((one.item, one.field, one.sent, one.found, one.rule) for one in compared.differ) == [
        (1, "age", 30, 31, ""),  # what is sent once more is of the item that it changes
        (2, "email", " b ", "b", "trims"),
        (4, "", None, "still there", ""),  # deleted, and there
        (6, "", "e", None, ""),  # created, and not there
        (7, "", "f", None, ""),
    ]
    assert {path: one.records for path, one in compared.fields.items()} == {"email": 2, "home.city": 1, "age": 2}
    assert compared.fields["age"][1:] == (2, 2.0)
    assert [record.id for record in compared.records] == ["7", "8", "7"]


def test_values_are_found_in_many_bodies_as_in_one() -> None:
    bodies: list[dict[str, Any]] = [
        {"a": 1, "b": {"c": "x", "d": [{"e": 2}, {"e": 3}]}}, {"a": None, "b": None}, {"b": "text"}, {}, {"b": []},
        {"a": {"c": 1}, "b": [{"c": "first"}, {"c": "second"}]},
    ]  # fmt: skip
    found = texts_at(bodies, ("a", "b", "b.c", "b.d.e", "a.c", "z", "z.y"))
    for path, texts in found.items():
        assert [loads(text) for text in texts] == [at(body, path) for body in bodies]


_OF_ONE_KIND = (st.booleans(), st.integers(), st.floats(allow_nan=False), st.text(), VALUES)


@given(st.one_of(*(st.lists(st.none() | kind, max_size=9) for kind in _OF_ONE_KIND)))
def test_columns_are_written_as_their_values_are(values: list[Any]) -> None:
    read = [loads(dumps(value)) for value in values]
    written = texts_at(({"a": value} for value in read), ["a"])["a"]
    assert [(type(loads(text)), loads(text)) for text in written] == [(type(value), value) for value in read]


@given(st.lists(st.tuples(VALUES, VALUES), max_size=12), st.sampled_from(FieldType))
def test_columns_differ_where_their_values_do(pairs: list[tuple[Any, Any]], kind: FieldType) -> None:
    field = Field(path="f", title="F", type=kind)
    left, right = ([loads(dumps(pair[side])) for pair in pairs] for side in (0, 1))
    texts = [pl.Series(list(map(dumps, side)), dtype=pl.String) for side in (left, right)]
    expected = [not same(field, was, now) for was, now in zip(left, right, strict=True)]
    assert differ(field, *texts).to_list() == expected
