"""Links that columns of paths feed are found by what their cells are, and not where these are something else."""

from __future__ import annotations

from pathlib import Path

import pytest

from datorum.core.model import Field, FieldType, LinkRule, RecordType
from datorum.core.steps import SplitList
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.shapes import suggest_records
from tests.core.layouts import written

NUMBER = Field(path="", title="", type=FieldType.INTEGER)
NAME = Field(path="name", title="term Name")
PRODUCTS = RecordType(
    name="products",
    title="Products",
    fields=(
        Field(path="sku", title="SKU", unique=True),
        Field(path="name", title="Name"),
        Field(
            path="term_ids",
            title="Term ids",
            type=FieldType.LIST,
            items=Field(path="", title="", type=FieldType.INTEGER),
        ),
    ),
)
KEYS = (LinkKey("term_ids", "name", NAME, on_path=True),)


def told(tmp_path: Path, cells: list[str], kind: RecordType = PRODUCTS) -> tuple[tuple[str, ...], LinkRule | None]:
    rows = [{"SKU": f"QA-{at}", "Name": f"Packet {at}", "Where it is": cell} for at, cell in enumerate(cells)]
    mapping = suggest_records(kind, written(tmp_path / "products.csv", rows), links=KEYS).mapping
    fed = mapping.fields.get("term_ids")
    return (fed.columns if fed else ()), mapping.links.get("term_ids")


@pytest.mark.parametrize(
    ("cells", "parted_by", "between"),
    [
        (["Roots > Beets > Round", "Roots > Beets", "Leaves > Chard", "Leaves > Kale"], ">", "|"),
        (["Roots/Beets", "Roots/Carrots", "Leaves/Chard; Roots/Beets", "Leaves/Kale"], "/", ";"),
        (["Roots » Beets", "Roots » Carrots", "Leaves » Chard", "Leaves"], "»", "|"),
        (["Roots|Beets,Leaves|Chard", "Roots|Carrots", "Leaves|Kale", "Roots|Beets"], "|", ","),
    ],
)
def test_paths_feed_the_link_to_what_stands_in_a_tree(
    tmp_path: Path, cells: list[str], parted_by: str, between: str
) -> None:
    columns, rule = told(tmp_path, cells)
    assert columns == ("Where it is",)
    assert rule == LinkRule(by=("name",), parted_by=parted_by)
    rows = [{"SKU": f"QA-{at}", "Where it is": cell} for at, cell in enumerate(cells)]
    mapping = suggest_records(PRODUCTS, written(tmp_path / "again.csv", rows), links=KEYS).mapping
    assert mapping.fields["term_ids"].steps == (SplitList(separator=between),)


@pytest.mark.parametrize(
    "cells",
    [
        ["https://quillmoss.example/a/b", "https://quillmoss.example/a/c", "https://quillmoss.example/d"],
        ["03/02/2024", "04/02/2024", "05/03/2024", "06/03/2024"],
        ["Round and red", "Long", "A hardy one / for the north", "Curly"],
        ["m/s", "km/h", "l/min"],
        ["Roots > Beets", "Roots > Kale"],
        # What is said of each, and nothing that one stands below.
        [
            "beet|tender|annual",
            "kale|hardy|annual",
            "chard|hardy|biennial",
            "beet|hardy|annual",
            "kale|tender|annual",
            "beet|tender|biennial",
            "chard|tender|annual",
            "kale|hardy|biennial",
        ],
    ],
)
def test_addresses_dates_and_texts_are_no_paths(tmp_path: Path, cells: list[str]) -> None:
    assert told(tmp_path, cells)[1] is None


def test_nothing_is_guessed_where_two_columns_are_paths(tmp_path: Path) -> None:
    cells = ("Roots > Beets", "Roots > Carrots", "Leaves > Chard", "Leaves > Kale")
    rows = [{"SKU": f"QA-{at}", "Shelf": cell, "Section": cell.replace("Roots", "Cellar")}
            for at, cell in enumerate(cells)]  # fmt: skip
    mapping = suggest_records(PRODUCTS, written(tmp_path / "two.csv", rows), links=KEYS).mapping
    assert "term_ids" not in mapping.links
