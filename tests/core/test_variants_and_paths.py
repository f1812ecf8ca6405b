"""Columns for variants, several paths in a cell, and a second sheet that several columns join."""

from __future__ import annotations

from pathlib import Path

import pytest

from datorum.core.model import Field, FieldType, RecordType
from datorum.core.shape.kinds import ColumnSets, SecondSheet, Spread, Tree
from datorum.core.shape.whole import shaped, undone
from datorum.core.suggest.shapes import shapes_of, suggest_records
from tests.core.layouts import ENGLISH, ORDERS, TERMS, landed, line, orders, written
from tests.core.test_there_and_back import there_and_back

SKU, NAME = Field(path="sku", title="SKU", unique=True), Field(path="name", title="Name")
PRICE = Field(path="price", title="Price", type=FieldType.NUMBER)
WITH_VARIANTS = RecordType(
    name="products",
    title="Products",
    fields=(
        SKU,
        NAME,
        Field(path="variants.name", title="Name", in_list="variants", required=True),
        Field(path="variants.price", title="Price", type=FieldType.NUMBER, in_list="variants"),
        Field(path="variants.stock", title="Stock", type=FieldType.INTEGER, in_list="variants"),
    ),
)
FLAT = RecordType(name="products", title="Products", fields=(SKU, NAME, PRICE))
PACKS = [
    {"SKU": "QA-1", "Name": "Beet", "Price 30 ml": "10", "Price 1 l": "20", "Stock 30 ml": "5", "Stock 1 l": "1"},
    {"SKU": "QA-2", "Name": "Chard", "Price 30 ml": "12", "Price 1 l": "", "Stock 30 ml": "4", "Stock 1 l": ""},
    {"SKU": "QA-3", "Name": "Kale", "Price 30 ml": "9", "Price 1 l": "18", "Stock 30 ml": "3", "Stock 1 l": "7"},
]
SORTED = [
    "Roots > Beets | Leaves > Chard", "Roots > Beets", "Roots > Carrots > Early", "Leaves > Chard|Leaves > Kale",
    "Roots > Carrots > Early | Roots > Carrots > Late", "Leaves > Kale", "",
]  # fmt: skip


def test_columns_for_each_variant_are_a_list_of_variants_by_name(tmp_path: Path) -> None:
    frame = written(tmp_path / "packs.csv", PACKS)
    told = suggest_records(WITH_VARIANTS, frame)
    [shape] = told.mapping.shape
    assert isinstance(shape, ColumnSets)
    assert [body.get("variants") for body in landed(told, frame, kind=WITH_VARIANTS)] == [
        [{"name": "30 ml", "price": 10, "stock": 5}, {"name": "1 l", "price": 20, "stock": 1}],
        [{"name": "30 ml", "price": 12, "stock": 4}],
        [{"name": "30 ml", "price": 9, "stock": 3}, {"name": "1 l", "price": 18, "stock": 7}],
    ]
    there_and_back(told, frame)


def test_each_variant_may_be_a_record_of_its_own(tmp_path: Path) -> None:
    frame = written(tmp_path / "packs.csv", PACKS)
    [found] = [one for one in shapes_of(FLAT, frame) if isinstance(one.shape, Spread)]
    grains = shaped((found.shape,), frame)
    assert grains.records.select("SKU", "Variant", "Price").rows() == [
        ("QA-1", "30 ml", "10"), ("QA-1", "1 l", "20"), ("QA-2", "30 ml", "12"), ("QA-3", "30 ml", "9"),
        ("QA-3", "1 l", "18"),
    ]  # fmt: skip
    assert grains.records["\0record"].is_unique().all()
    back = undone((found.shape,), grains).records
    assert back.select(list(PACKS[0])).fill_null("").rows() == [tuple(one.values()) for one in PACKS]


def test_each_of_several_paths_in_a_cell_is_a_node_once(tmp_path: Path) -> None:
    rows = [{"SKU": f"QA-{at}", "Category": cell} for at, cell in enumerate(SORTED)]
    frame = written(tmp_path / "products.csv", rows)
    told = suggest_records(TERMS, frame)
    [shape] = told.mapping.shape
    assert isinstance(shape, Tree)
    assert (shape.apart, shape.separator) == ("|", ">")
    grains = shaped((shape,), frame)
    names, above = grains.records["Name"], grains.records["Name of the one above"]
    assert dict(zip(names, above, strict=True)) == {
        "Roots": None, "Leaves": None, "Beets": "Roots", "Chard": "Leaves", "Carrots": "Roots", "Kale": "Leaves",
        "Early": "Carrots", "Late": "Carrots",
    }  # fmt: skip
    assert grains.records["\0record"].is_unique().all()
    # What the same path is named again for is no fault, and what its row has besides is not the node's.
    assert sum(part.height for part in grains.odd) == 0
    assert "SKU" not in grains.records.columns


def test_a_second_sheet_may_be_joined_by_columns_that_tell_apart_together(tmp_path: Path) -> None:
    made = orders(40)
    # Numbers begin anew each year, so that neither column tells orders apart.
    keys = [{"Year": str(2020 + at % 4), "Order no.": str(1 + at // 4)} for at in range(len(made))]
    heads = [key | {"Ordered": one["placed_at"], "Sum": str(one["total"])} for key, one in zip(keys, made, strict=True)]
    lines = [key | line(item, ENGLISH) for key, one in zip(keys, made, strict=True) for item in one["lines"]]
    frame = written(tmp_path / "orders.csv", heads)
    sheets = {"lines.csv": written(tmp_path / "lines.csv", lines)}
    told = suggest_records(ORDERS, frame, sheets)
    [shape] = told.mapping.shape
    assert isinstance(shape, SecondSheet)
    assert shape.ours == shape.theirs == ("Year", "Order no.")
    assert [len(one["lines"]) for one in landed(told, frame, sheets)] == [len(one["lines"]) for one in made]
    there_and_back(told, frame, sheets)


@pytest.mark.parametrize(("second", "fed"), [("QX-902-10", "Nr"), ("no number", None)])
def test_the_one_column_left_feeds_the_one_field_that_variants_lack_where_it_is_of_its_form(
    tmp_path: Path, second: str, fed: str | None
) -> None:
    sku = Field(
        path="variants.sku", title="SKU", in_list="variants", required=True, pattern=r"^Q[A-Z]-[0-9]{3}-[0-9]+$"
    )
    kind = WITH_VARIANTS.model_copy(update={"fields": (*WITH_VARIANTS.fields, sku)})
    rows = [
        {"Name": f"Bean {number}", "Price small": "4.90", "Stock small": "3", "Nr small": first,
         "Price large": "9.90", "Stock large": "1", "Nr large": f"QX-90{number}-100"}
        for number, first in enumerate(("QX-901-10", second, "QX-903-10"))
    ]  # fmt: skip
    mapping = suggest_records(kind, written(tmp_path / "products.csv", rows)).mapping
    assert mapping.fields["variants.price"].columns == ("Price",)
    found = mapping.fields.get("variants.sku")
    assert (found.columns[0] if found else None) == fed
