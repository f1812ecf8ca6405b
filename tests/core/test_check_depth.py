"""Everything that a site's description can say of a record is held, and what looks wrong is told."""

from __future__ import annotations

import datetime as dt
from typing import Any

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.check import Checker, as_findings, check, required_unfed
from datorum.core.errors import InvalidMapping
from datorum.core.model import FieldMapping, Mapping, RecordType, ValueTable
from datorum.core.shape.grains import grains_of
from datorum.core.shape.kinds import RowsTogether
from datorum.core.steps import ReadDate, Trim
from datorum.core.table import FLAG, ROW
from tests.core.schemas import kind_of

TODAY = dt.date(2026, 11, 23)
Found = set[tuple[int, str, str, bool]]


def frame_of(**columns: list[str | None]) -> pl.DataFrame:
    height = len(next(iter(columns.values())))
    text = {name: pl.Series(cells, dtype=pl.String) for name, cells in columns.items()}
    return pl.DataFrame({ROW: range(2, height + 2), FLAG: pl.Series([None] * height, dtype=pl.String), **text})


def found_in(schema: dict[str, Any], *, key: str | None = None, **columns: list[str | None]) -> Found:
    mapping = Mapping(fields={name: FieldMapping(columns=(name,)) for name in columns}, match_key=key)
    checked = check(frame_of(**columns), kind_of(schema), mapping, TODAY)
    return {(one.row, one.field, one.rule, one.blocks) for one in as_findings(checked.findings)}


def test_no_rows_have_no_findings_and_those_after_them_are_found() -> None:
    kind = kind_of({"type": "object", "properties": {"a": {"type": "integer"}}})
    checker = Checker(kind, Mapping(fields={"a": FieldMapping(columns=("a",))}), TODAY)
    assert checker.add(checker.check_part(grains_of(frame_of(a=[])))).is_empty()
    assert checker.add(checker.check_part(grains_of(frame_of(a=["x"] * 12)))).height == 12


@pytest.mark.parametrize(
    ("schema", "good", "bad", "rule"),
    [
        ({"type": "integer"}, "12", "1.5", "type"),
        ({"type": "string", "const": "a"}, "a", "b", "enum"),
        ({"type": "number", "exclusiveMinimum": 0}, "0.1", "0", "range"),
        ({"type": "number", "maximum": 5, "exclusiveMaximum": True}, "4.9", "5", "range"),
        ({"type": "number", "multipleOf": 0.05}, "0.15", "0.07", "multiple"),
        ({"type": "string", "pattern": "^(?!x).*$"}, "ay", "xy", "pattern"),
        ({"type": "string", "format": "time"}, "14:10:00Z", "25:00:00Z", "format"),
        ({"type": "string", "format": "e164"}, "+4722334455", "22334455", "format"),
        ({"type": "string", "format": "country"}, "NO", "XX", "format"),
        ({"type": "string", "format": "currency"}, "NOK", "KRO", "format"),
        ({"type": "string", "format": "gtin"}, "4006381333931", "4006381333932", "format"),
        ({"type": "string", "format": "timezone"}, "Europe/Oslo", "Europe/Osl", "format"),
        ({"type": "string", "format": "password-hash"}, "$2y$10$" + "a" * 53, "secret", "format"),
        ({"type": "string", "format": "html"}, "<p>a</p>", "<p onclick=x>a</p>", "format"),
        ({"type": "string", "format": "ipv6"}, "2001:db8::1", "2001", "format"),
        ({"type": "array", "items": {"type": "string"}, "minItems": 2}, '["a", "b"]', '["a"]', "number of items"),
        ({"type": "array", "items": {"type": "string"}, "uniqueItems": True}, '["a"]', '["a", "a"]', "items twice"),
        ({"type": "array", "items": {"type": "string", "enum": ["a"]}}, '["a"]', '["b"]', "items"),
        ({"type": "array", "items": {"type": "string"}}, "[]", "a, b", "type"),
        ({"type": "string", "not": {"enum": ["no"]}}, "yes", "no", "site's rule"),
        (
            {"anyOf": [{"type": "string", "maxLength": 2}, {"type": "string", "pattern": "^x"}]},
            "ab",
            "abc",
            "site's rule",
        ),
        ({"type": "string", "oneOf": [{"minLength": 2}, {"maxLength": 3}]}, "a", "ab", "site's rule"),
    ],
)
def test_a_keyword_on_a_field_is_held(schema: dict[str, Any], good: str, bad: str, rule: str) -> None:
    assert found_in({"properties": {"v": schema}}, v=[good, bad]) == {(3, "v", rule, True)}


@pytest.mark.parametrize(
    "rules",
    [
        {"dependentRequired": {"a": ["b"]}},
        {"if": {"properties": {"a": {"const": "x"}}, "required": ["a"]}, "then": {"required": ["b"]}},
        {"anyOf": [{"required": ["b"]}, {"not": {"required": ["a"]}}]},
        {"allOf": [{"not": {"required": ["a"], "not": {"required": ["b"]}}}]},
    ],
)
def test_a_keyword_on_the_record_is_held(rules: dict[str, Any]) -> None:
    schema = {"properties": {"a": {"type": "string"}, "b": {"type": "string"}}, **rules}
    assert found_in(schema, a=["x", "x", None], b=["1", None, None]) == {(3, "", "site's rule", True)}


def test_required_may_be_null_where_the_site_says_so() -> None:
    nullable = {"properties": {"v": {"type": ["string", "null"]}}, "required": ["v"]}
    assert found_in(nullable, v=[None]) == set()
    assert found_in({"properties": {"v": {"type": "string"}}, "required": ["v"]}, v=[None]) == {
        (2, "v", "required", True)
    }


def test_a_field_that_the_site_does_not_take_is_refused_with_the_nearest() -> None:
    kind = kind_of({"properties": {"email": {"type": "string"}, "id": {"type": "string", "readOnly": True}}})
    for path in ("emial", "id"):
        with pytest.raises(InvalidMapping, match=f"no field {path}"):
            check(frame_of(a=["x"]), kind, Mapping(fields={path: FieldMapping(columns=("a",))}), TODAY)


def test_keys_that_repeat_are_held_and_other_spellings_of_one_warn() -> None:
    schema = {"properties": {"sku": {"type": "string"}, "code": {"type": "string", "description": "Unique."}}}
    found = found_in(schema, key="sku", sku=["A-1", "b", "A-1", "a1"])
    assert found == {(4, "sku", "same key twice", True), (5, "sku", "two spellings", False)}


def test_an_end_before_its_start_and_a_sale_price_above_the_price_are_held() -> None:
    dates = {"type": "string", "format": "date"}
    schema = {"properties": {"valid_from": dates, "valid_until": dates}}
    found = found_in(schema, valid_from=["2024-01-01", "2024-05-01"], valid_until=["2024-02-01", "2024-02-01"])
    assert found == {(3, "valid_until", "out of order", True)}
    amount = {"type": "number"}
    found = found_in(
        {"properties": {"price": amount, "sale_price": amount}}, price=["10", "10"], sale_price=["9", "10"]
    )
    assert found == {(3, "sale_price", "above its price", True)}


def test_an_orders_lines_add_up_to_its_total_within_a_cent() -> None:
    amount = {"type": "number"}
    lines = {"type": "array", "items": {"properties": {"quantity": amount, "price": amount}}}
    schema = {"properties": {"number": {"type": "string"}, "total": amount, "shipping_total": amount, "lines": lines}}
    columns: dict[str, list[str | None]] = {
        "number": ["1", "1", "2", "3"],
        "total": ["30.01", "30.01", "12", "9"],
        "shipping_total": ["5", "5", "0", "0"],
        "lines.quantity": ["2", "1", "2", None],
        "lines.price": ["10", "5", "5", None],
    }
    shape = RowsTogether(key=("number",), lines=("lines.quantity", "lines.price"), into="lines")
    fields = {name: FieldMapping(columns=(name,)) for name in columns}
    mapping = Mapping(fields=fields, match_key="number", shape=(shape,))
    checked = check(frame_of(**columns), kind_of(schema), mapping, TODAY)
    found = {(one.record, one.field, one.rule, one.blocks) for one in as_findings(checked.findings)}
    assert found == {(4, "total", "sum", True), (5, "", "no line", True)}
    assert (checked.rows, checked.ready) == (3, 1)


@pytest.mark.parametrize(
    ("name", "schema", "value", "rule"),
    [
        ("birth_date", {"type": "string", "format": "date"}, "2030-01-01", "in the future"),
        ("birth_date", {"type": "string", "format": "date"}, "1970-01-01", "placeholder"),
        ("name", {"type": "string"}, "Test", "placeholder"),
        ("email", {"type": "string", "format": "email"}, "test@shop.example", "placeholder"),
    ],
)
def test_what_passes_and_looks_wrong_warns(name: str, schema: dict[str, Any], value: str, rule: str) -> None:
    columns: dict[str, list[str | None]] = {name: [value]}
    assert found_in({"properties": {name: schema}}, **columns) == {(2, name, rule, False)}  # type: ignore[arg-type]


def test_an_end_may_lie_in_the_future() -> None:
    assert (
        found_in({"properties": {"expires_at": {"type": "string", "format": "date"}}}, expires_at=["2030-01-01"])
        == set()
    )


def test_an_amount_a_hundred_times_the_median_warns() -> None:
    amounts: list[str | None] = [*(["10"] * 30), "5000"]
    assert found_in({"properties": {"price": {"type": "number"}}}, price=amounts) == {
        (32, "price", "far from the rest", False)
    }


@pytest.mark.parametrize(
    ("days", "warned"), [(["3/4/2024", "5/5/2024", "7/8/2024"], {2, 4}), (["3/4/2024", "31/1/2024"], set())]
)
def test_day_and_month_in_doubt_warn_until_one_date_tells(days: list[str | None], warned: set[int]) -> None:
    kind = kind_of({"properties": {"day": {"type": "string", "format": "date"}}})
    mapping = Mapping(fields={"day": FieldMapping(columns=("day",), steps=(ReadDate(pattern="D/M/YYYY"),))})
    checked = check(frame_of(day=days), kind, mapping, TODAY)
    assert {one.row for one in as_findings(checked.findings) if one.rule == "day or month"} == warned


def test_chunks_give_what_the_whole_gives() -> None:
    schema = {
        "properties": {"sku": {"type": "string", "minLength": 2}, "price": {"type": "number"}},
        "required": ["sku"],
    }
    frame = frame_of(sku=["a1", "b", None, "a1", "c3", "A 1"], price=["1", "x", "2", "3", "4", "5"])
    mapping = Mapping(fields={name: FieldMapping(columns=(name,)) for name in ("sku", "price")}, match_key="sku")
    whole = check(frame, kind_of(schema), mapping, TODAY)
    checker = Checker(kind_of(schema), mapping, TODAY)
    parts = [checker.add(checker.check_part(grains_of(frame.slice(first, 2)))) for first in (0, 2, 4)]
    findings = pl.concat([*parts, checker.finish()])
    assert sorted(findings.iter_rows()) == sorted(whole.findings.iter_rows())
    assert (checker.rows, checker.held, checker.ready, checker.warned) == (6, whole.held, whole.ready, whole.warned)


@settings(max_examples=40)
@given(st.lists(st.lists(st.sampled_from(["a", "b", " b", "c", "d", "", None]), min_size=1, max_size=5), max_size=6))
def test_values_that_recur_are_judged_alike_in_every_part(parts: list[list[str | None]]) -> None:
    """Each distinct value is judged once for the whole sheet, whichever part it comes in, and whatever came before."""
    schema = {"properties": {"tier": {"type": "string", "enum": ["x", "y"]}}, "required": ["tier"]}
    kind = kind_of(schema)
    table = ValueTable(pairs={"a": "x", "b": "y", "c": "z"})
    mapping = Mapping(fields={"tier": FieldMapping(columns=("tier",), steps=(Trim(),), value_table=table)})
    # Many rows of few values, in a frame of their own that is gone before the next is there.
    cells = [part * 8 for part in parts if part]
    checker = Checker(kind, mapping, TODAY)
    found = []
    first = 2
    for part in cells:
        frame = frame_of(tier=part).with_columns(pl.int_range(first, first + len(part)).alias(ROW))
        first += len(part)
        found.append(checker.add(checker.check_part(grains_of(frame))))
        del frame
    found.append(checker.finish())
    meant = []
    for row, cell in enumerate((cell for part in cells for cell in part), 2):
        value = (cell or "").strip()
        rule = {"": "required", "a": None, "b": None, "c": "enum"}.get(value, "no value set")
        meant += [(row, rule)] if rule else []
    assert sorted(pl.concat(found).select("row", "rule").iter_rows()) == sorted(meant)


def test_a_record_type_that_was_kept_under_earlier_names_is_held_to_the_same() -> None:
    field = {"path": "lines.sku", "title": "SKU", "many": "lines", "rest": {"not": {"const": "x"}}}
    kind = RecordType.model_validate({"name": "a", "title": "A", "fields": [field], "rest": {"minProperties": 1}})
    assert kind.fields[0].in_list == "lines"
    assert kind.fields[0].other_keywords == {"not": {"const": "x"}}
    assert kind.other_keywords == {"minProperties": 1}


VARIANTS = {
    "type": "object",
    "required": ["name"],
    "properties": {
        "name": {"type": "string"},
        "variants": {
            "type": "array",
            "items": {
                "type": "object",
                "required": ["sku", "price"],
                "properties": {"sku": {"type": "string"}, "price": {"type": "number"}, "note": {"type": "string"}},
            },
        },
    },
}


def test_what_an_object_of_a_list_requires_is_required_where_there_is_one() -> None:
    kind = kind_of(VARIANTS)
    assert [(field.path, field.required, field.list_optional) for field in kind.fields] == [
        ("name", True, False), ("variants.sku", True, True), ("variants.price", True, True),
        ("variants.note", False, True),
    ]  # fmt: skip
    columns: dict[str, list[str | None]] = {"name": ["a", "b", "c", "d"], "variants.sku": ["A", None, None, "D"],
               "variants.price": ["1", "2", None, "x"], "variants.note": [None, None, None, "n"]}  # fmt: skip
    # The third has no variant at all, and what cannot be read is there all the same.
    assert found_in(VARIANTS, key=None, **columns) == {
        (3, "variants.sku", "required", True),
        (5, "variants.price", "type", True),
    }
    del columns["variants.sku"]
    assert {one for one in found_in(VARIANTS, key=None, **columns) if one[2] == "required"} == {
        (row, "variants.sku", "required", True) for row in (2, 3, 5)
    }
    alone = Mapping(fields={"name": FieldMapping(columns=("name",))})
    assert required_unfed(alone, kind) == []
    price = alone.model_copy(update={"fields": alone.fields | {"variants.price": FieldMapping(columns=("price",))}})
    assert required_unfed(price, kind) == ["variants.sku"]
