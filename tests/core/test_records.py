"""The same orders from every layout that a sheet can have, by suggestion alone."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import polars as pl
import pytest

from datorum.core.model import LinkRule, Mapping
from datorum.core.shape.grains import RECORD
from datorum.core.shape.kinds import (
    ColumnSets,
    PackedCell,
    RowsTogether,
    SecondSheet,
)
from datorum.core.shape.whole import first_rows, whole_records
from datorum.core.suggest.shapes import suggest_records
from datorum.core.table import ROW
from tests.core.layouts import (
    ENGLISH,
    GERMAN,
    KEYS,
    ORDERS,
    SHEETS,
    as_elements,
    as_nested,
    blank_below,
    frame_of,
    head,
    landed,
    line,
    mixed_up,
    orders,
    row_a_line,
    written,
)


@pytest.mark.parametrize("words", [ENGLISH, GERMAN], ids=["English", "German"])
@pytest.mark.parametrize("layout", SHEETS)
def test_the_same_orders_come_out_of_every_layout(tmp_path: Path, layout: str, words: tuple[str, ...]) -> None:
    made = orders()
    frame = written(tmp_path / "orders.csv", SHEETS[layout](made, words))
    told = suggest_records(ORDERS, frame, links=KEYS)
    assert len(told.reasons) == len(told.mapping.shape) == 1
    assert landed(told, frame) == made


def test_the_same_orders_come_out_of_two_sheets_and_what_belongs_nowhere_is_known(tmp_path: Path) -> None:
    made = orders()
    heads = written(tmp_path / "orders.csv", [head(one, ENGLISH) for one in made])
    lines = [{"Order no.": str(one["number"])} | line(item, ENGLISH) for one in made for item in one["lines"]]
    lines.append({"Order no.": "9999", "SKU": "QA-100", "Qty": "1", "Price each": "2.00"})
    sheets = {"lines.csv": written(tmp_path / "lines.csv", lines)}
    told = suggest_records(ORDERS, heads, sheets, KEYS)
    assert landed(told, heads, sheets) == made
    [shape] = told.mapping.shape
    assert isinstance(shape, SecondSheet)
    left = shape.left_over(heads, sheets)
    assert left is not None
    assert left["value"].to_list() == ["9999"]


def test_a_sheet_with_lines_of_many_other_orders_as_well_is_still_joined(tmp_path: Path) -> None:
    made = orders()
    heads = written(tmp_path / "orders.csv", [head(one, ENGLISH) for one in made[:6]])
    lines = [{"Order no.": str(one["number"])} | line(item, ENGLISH) for one in made for item in one["lines"]]
    sheets = {"lines.csv": written(tmp_path / "lines.csv", lines)}
    told = suggest_records(ORDERS, heads, sheets, KEYS)
    assert landed(told, heads, sheets) == made[:6]


@pytest.mark.parametrize(("name", "write"), [("orders.json", as_nested), ("orders.xml", as_elements)])
def test_the_same_orders_come_out_of_json_and_xml(tmp_path: Path, name: str, write: Any) -> None:
    made = orders()
    (tmp_path / name).write_text(write(made))
    frame = frame_of(tmp_path / name)
    assert landed(suggest_records(ORDERS, frame, links=KEYS), frame) == made


def test_why_a_shape_was_taken_is_told_with_its_counts(tmp_path: Path) -> None:
    frame = written(tmp_path / "orders.csv", row_a_line(orders(), ENGLISH))
    told = suggest_records(ORDERS, frame, links=KEYS)
    [shape] = told.mapping.shape
    assert isinstance(shape, RowsTogether)
    assert shape.key == ("Order no.",)
    [[why]] = told.reasons
    assert why.startswith(f"{frame.height} rows make 60 records: “Order no.” repeats, ")
    assert told.mapping.links == {"customer_id": LinkRule(by=("email",))}
    assert told.mapping.match_key == "number"


FEW = [
    dict(
        zip(("Ordre nr", "Kundens e-post", "Bestilt", "Sum", "Varenr", "Antall", "Stykkpris"), row.split(), strict=True)
    )
    for row in """
    700101 siv.lundemo@quillmoss.example     03.02.2024 108.00 QA-100 1 79.00
    700101 siv.lundemo@quillmoss.example     03.02.2024 108.00 QA-101 1 29.00
    700102 jorunn.kvalstad@quillmoss.example 04.02.2024 158.00 QA-100 2 79.00
    700103 siv.lundemo@quillmoss.example     05.02.2024 79.00  QB-999 1 79.00
    700104 egil.storvik@quillmoss.example    05.02.2024 79.00  QA-100 1 79.00
    """.strip().splitlines()
]


def test_few_orders_of_which_one_has_two_lines_are_told_by_what_their_key_is_called(tmp_path: Path) -> None:
    frame = written(tmp_path / "few.csv", FEW)
    told = suggest_records(ORDERS, frame, links=KEYS)
    [shape] = told.mapping.shape
    assert isinstance(shape, RowsTogether)
    assert (shape.key, set(shape.lines)) == (("Ordre nr",), {"Varenr", "Antall", "Stykkpris"})
    assert [len(body["lines"]) for body in landed(told, frame)] == [2, 1, 1, 1]


def test_rows_that_are_there_twice_are_no_lines(tmp_path: Path) -> None:
    made = [head(one, ENGLISH) for one in orders()[:20]]
    frame = written(tmp_path / "orders.csv", [*made, {**made[3], "Sum": "1.00"}])
    assert suggest_records(ORDERS, frame, links=KEYS).mapping.shape == ()


def test_a_sheet_of_flat_records_has_no_shape(tmp_path: Path) -> None:
    made = [{**one, "lines": one["lines"][:1]} for one in orders()]
    frame = written(tmp_path / "orders.csv", [head(one, ENGLISH) for one in made])
    told = suggest_records(ORDERS, frame, links=KEYS)
    assert told.mapping.shape == ()
    assert all("lines" not in body for body in landed(told, frame))


def test_a_bad_item_takes_none_of_its_cell_with_it(tmp_path: Path) -> None:
    rows = SHEETS["counts"](orders(), ENGLISH)
    rows[3]["Lines"] = "QA-100 x2 @ 4.50; QB-200 xtwo @ 9.00; sold out"
    frame = written(tmp_path / "orders.csv", rows)
    found = landed(suggest_records(ORDERS, frame, links=KEYS), frame)[3]["lines"]
    assert found[:2] == [
        {"product_sku": "QA-100", "quantity": 2, "price": 4.5},
        {"product_sku": "QB-200", "price": 9.0},
    ]
    assert found[2] == {"product_sku": "sold out"}


@pytest.mark.parametrize(
    "shape",
    [
        RowsTogether(key=("Order no.",), lines=("SKU",), into="lines"),
        ColumnSets(sets=({"SKU": "Item 1 SKU"},), into="lines"),
        PackedCell(column="Lines", way="json", into="lines"),
        SecondSheet(sheet="lines.csv", ours=("Order no.",), theirs=("Order",), into="lines"),
    ],
)
def test_a_mapping_keeps_its_shape_and_says_it_in_words(shape: Any) -> None:
    mapping = Mapping(shape=(shape,), links={"customer_id": LinkRule(by=("email",))})
    assert Mapping.model_validate_json(mapping.model_dump_json()) == mapping
    assert "lines" in shape.sentence()


@pytest.mark.parametrize("below", [False, True])
def test_rows_of_a_record_come_together_however_far_apart_they_stand(below: bool) -> None:
    made = orders(40)
    rows = blank_below(made, ENGLISH) if below else mixed_up(made, ENGLISH)
    whole = pl.DataFrame({ROW: range(2, len(rows) + 2), **{name: [row[name] for row in rows] for name in ENGLISH}})
    shape = RowsTogether(key=("Order no.",), below=below, lines=("SKU", "Qty", "Price each"), into="lines")
    for size in (7, 19, 1_000):
        frames = [whole.slice(at, size) for at in range(0, whole.height, size)]
        parts = list(whole_records((shape,), lambda frames=frames: frames))  # type: ignore[misc]
        records = [shape.numbered(part).frame[RECORD].unique().to_list() for part in parts]
        # Each record is in one part, and has all of its rows there.
        assert sorted(number for one in records for number in one) == sorted({*pl.concat(
            [shape.numbered(whole).frame])[RECORD]})  # fmt: skip
        assert sorted(row for part in parts for row in part[ROW]) == whole[ROW].to_list()
        assert len(first_rows(shape, lambda frames=frames: frames)) == whole.height  # type: ignore[misc]
    firsts = first_rows(shape, lambda: [whole])
    assert len({*firsts.tolist()}) == 40
