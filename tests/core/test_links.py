"""References are joined to the records that they mean, as their keys demand, in the order in which they are looked
for."""

from __future__ import annotations

from typing import Any

import polars as pl
import pytest

from datorum.core.check.findings import Where
from datorum.core.check.link_rules import link_findings
from datorum.core.link import (
    KeyTable,
    Known,
    LinkTarget,
    key_table,
    resolved,
    row_meant,
    rows_meant,
    said_of_row,
    with_records,
)
from datorum.core.link.keys import OF_IMPORT, ROW_OF, compared
from datorum.core.link.paths import walked
from datorum.core.model import Change, Field, FieldType, LinkRule, RecordType
from datorum.core.model.link_rule import BETWEEN_PARTS
from datorum.core.plan.awaited import FIRST, Awaited, Brought
from datorum.core.steps.landing import Landed, Values

EMAIL = Field(path="email", title="E-mail", format="email")
SKU = Field(path="sku", title="SKU")
NUMBER = Field(path="number", title="Number", type=FieldType.INTEGER)


def table(key: Field, known: dict[str, str] | list[tuple[str, str]], look: str = "site", **more: Any) -> KeyTable:
    pairs = list(known.items()) if isinstance(known, dict) else known
    keys = compared((key,), [pl.Series([one for one, _ in pairs], dtype=pl.String)])
    return key_table(look, look, keys, pl.Series([value for _, value in pairs], dtype=pl.String), **more)


def fared(keys: list[Any], *tables: KeyTable, by: Field = EMAIL, **more: Any) -> list[tuple[str, Any]]:
    rule = LinkRule(by=(by.path,), **{name: more.pop(name) for name in ("missing", "several", "fixed") if name in more})
    target = LinkTarget(rule, "customers", "customer", (by,), tables, **more)
    found = resolved(target, pl.Series(keys, dtype=pl.List(pl.String) if target.many else pl.String))
    return list(zip(found.state.to_list(), found.value.to_list(), strict=True))


@pytest.mark.parametrize(
    ("by", "known", "asked", "value"),
    [
        (EMAIL, "Ada@Quillmoss.example", "ada@quillmoss.EXAMPLE", "7"),
        (EMAIL, "ada@quillmoss.example", " ada@quillmoss.example ", "7"),
        (SKU, "0017", "0017", "7"),
        (SKU, "0017", "17", None),
        (SKU, "qa-1", "QA-1", None),
        (NUMBER, "17", "17.0", "7"),
    ],
)
def test_keys_are_compared_as_their_type_demands(by: Field, known: str, asked: str, value: str | None) -> None:
    assert fared([asked], table(by, {known: "7"}), by=by) == [("found" if value else "missing", value)]


def test_places_are_looked_in_one_after_the_other() -> None:
    site, sheet = table(EMAIL, {"a@x.no": "1"}), table(EMAIL, {"a@x.no": "2", "b@x.no": "3"}, "sheet")
    later = table(EMAIL, {"c@x.no": "4"}, "imports", open=True)
    found = fared(["a@x.no", "b@x.no", "c@x.no", "d@x.no", None], site, sheet, later)
    assert found == [("found", "1"), ("found", "3"), ("awaited", "4"), ("missing", None), ("blank", None)]
    assert fared(["a@x.no"], sheet, site) == [("found", "2")]


def test_what_is_found_nowhere_or_several_times_goes_by_the_rule() -> None:
    twice = table(EMAIL, [("a@x.no", "1"), ("a@x.no", "2")])
    assert fared(["a@x.no"], twice) == [("several", None)]
    assert fared(["a@x.no"], twice, several="newest") == [("found", "2")]
    assert fared(["a@x.no"], twice, several="oldest") == [("found", "1")]
    assert fared(["b@x.no"], twice, missing="blank") == [("left blank", None)]
    assert fared(["b@x.no"], twice, missing="fixed", fixed="9") == [("fixed", "9")]
    assert fared(["b@x.no"], twice, unread=True) == [("unread", None)]
    assert fared(["b@x.no"]) == [("missing", None)]


def test_a_list_fares_as_the_worst_of_its_keys() -> None:
    known = table(SKU, {"A": "1", "B": "2"})
    found = fared([["A", "B"], ["A", "C"], None, ["B"], []], known, by=SKU, many=True)
    assert found == [("found", ["1", "2"]), ("missing", ["1"]), ("blank", None), ("found", ["2"]), ("blank", None)]


def test_keys_of_several_fields_are_compared_part_by_part() -> None:
    keys = compared((SKU, NUMBER), [pl.Series(["A", "A", None]), pl.Series(["1", "2", "3"])])
    target = LinkTarget(LinkRule(by=("sku", "number")), "packs", "pack", (SKU, NUMBER),
                        (key_table("site", "site", keys, pl.Series(["7", "8", "9"])),))  # fmt: skip
    asked = [f"A{BETWEEN_PARTS}2.0", f"A{BETWEEN_PARTS}9", "A", None]
    found = resolved(target, pl.Series(asked))
    assert found.value.to_list() == ["8", None, None, None]
    # What is there and is no whole key finds nothing; it is not passed over as blank.
    assert found.state.to_list() == ["found", "missing", "missing", "blank"]
    number = Field(path="pack_id", title="Pack", type=FieldType.INTEGER, minimum=1, required=True)
    judged = target.judged(number)
    assert (judged.type, judged.minimum, judged.required) == (FieldType.TEXT, None, True)


def test_a_record_that_is_not_there_yet_is_said_by_its_row_and_filled_in_as_its_field_takes_it() -> None:
    lines = Field(path="lines.product", title="Product", in_list="lines")
    kind = RecordType(name="terms", title="Terms", fields=(NUMBER, lines))
    awaited = Awaited()

    def item_of(of_import: int, row: int) -> int:
        return awaited.item(Brought(of_import, row))

    waits, shown = said_of_row(f"{ROW_OF}5", item_of), said_of_row(f"{ROW_OF}6{ROW_OF}QA-1", item_of)
    changes = {"number": Change(after=waits), "lines": Change(after=[{"product": shown}])}
    assert (row_meant(waits), row_meant({"a": 1}), rows_meant(changes)) == (5, None, {5, 6})
    filled = with_records(changes, Known({5: "40", 6: "41"}), kind)
    assert filled["number"].after == 40
    assert filled["lines"].after == [{"product": "QA-1"}]


def test_a_record_that_another_import_is_to_bring_is_one_item_of_the_plan_however_often_it_is_meant() -> None:
    awaited = Awaited()
    said = [
        said_of_row(f"{ROW_OF}{row}{OF_IMPORT}{of_import}{rest}", lambda *one: awaited.item(Brought(*one)))
        for row, of_import, rest in ((5, 3, ""), (5, 4, ""), (5, 3, f"{ROW_OF}QA-1"))
    ]
    items = [row_meant(one) for one in said]
    assert items[0] == items[2] != items[1]
    assert {awaited.items[item or 0] for item in items} == {Brought(3, 5), Brought(4, 5)}
    # None of them can be taken for a row of the sheet.
    assert min(awaited.items) >= FIRST > 2**31


NAME = Field(path="name", title="Name")


def test_of_several_the_active_one_is_meant_where_there_is_just_one() -> None:
    pairs = [("a", "1"), ("a", "2"), ("b", "3"), ("b", "4"), ("c", "5"), ("c", "6"), ("d", "7")]
    active = pl.Series([False, True, True, True, False, False, False])
    known = table(NAME, pairs, active=active)
    assert fared(["a", "b", "c", "d"], known, by=NAME, several="active") == [
        ("found", "2"), ("several", None), ("several", None), ("found", "7"),
    ]  # fmt: skip


def test_paths_are_compared_key_by_key_from_the_top() -> None:
    paths = walked(
        pl.Series(["Roots", "Beets", "Leaves", "Beets", "Round"]),
        pl.Series(["1", "2", "3", "4", "5"]),
        pl.Series([None, "1", None, "3", "2"], dtype=pl.String),
    )
    known = key_table("site", "site", paths, pl.Series(["1", "2", "3", "4", "5"]))
    asked = ["Roots > Beets", "Leaves>Beets", " Roots  >  Beets > Round", "Beets", "Roots > Kale", " > ", None]
    target = LinkTarget(LinkRule(by=("name",), parted_by=">"), "terms", "term", (NAME,), (known,))
    found = resolved(target, pl.Series(asked, dtype=pl.String))
    assert found.value.to_list() == ["2", "4", "5", None, None, None, None]
    assert found.state.to_list()[3:] == ["missing", "missing", "missing", "blank"]


def test_what_stands_above_itself_or_below_nothing_has_no_path() -> None:
    paths = walked(
        pl.Series(["a", "b", "c", "d"]), pl.Series(["1", "2", "3", "4"]),
        pl.Series(["2", "1", "9", "3"], dtype=pl.String),
    )  # fmt: skip
    assert paths.to_list() == [None, None, None, None]


@pytest.mark.parametrize("text", ["a" * 300, "x > " * 50 + "y"])
def test_a_path_may_be_longer_than_any_key_on_it(text: str) -> None:
    short = NAME.model_copy(update={"max_length": 20, "pattern": "^[a-z]+$"})
    target = LinkTarget(LinkRule(by=("name",), parted_by=">"), "terms", "term", (short,), ())
    judged = target.judged(Field(path="term_id", title="Term", type=FieldType.INTEGER, required=True))
    assert (judged.type, judged.max_length, judged.pattern, judged.required) == (FieldType.TEXT, None, None, True)
    assert resolved(target, pl.Series([text])).state.to_list() == ["missing"]


@pytest.mark.parametrize(("required", "said"), [(True, ["required"]), (False, [])])
def test_what_is_left_blank_is_held_where_the_site_demands_it(required: bool, said: list[str]) -> None:
    field = Field(path="lines.sku", title="SKU", required=required, in_list="lines")
    target = LinkTarget(
        LinkRule(by=("sku",), missing="blank"), "products", "product", (SKU,), (table(SKU, {"A": "1"}),)
    )
    values = pl.Series(["A", "B"])
    landed = Landed(Values(values, values, pl.Series([0, 0], dtype=pl.UInt8)))
    found = list(link_findings(Where(pl.Series([2, 3]), pl.Series([2, 3])), field, target, landed,
                               resolved(target, values)))  # fmt: skip
    assert [rule for part in found for rule in part["rule"]] == said
    assert [row for part in found for row in part["row"]] == [3] * len(said)
