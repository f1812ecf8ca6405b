"""Of which kind of record a sheet is."""

from __future__ import annotations

import polars as pl
import pytest

from datorum.core.model import Field, FieldType, RecordType
from datorum.core.profile import profile
from datorum.core.suggest.link_keys import LinkKey
from datorum.core.suggest.recognise import LIKELY, Guess, Kind, recognised
from datorum.core.table import FLAG, ROW


def _field(path: str, **given: object) -> Field:
    return Field.model_validate({"path": path, "title": path.replace("_", " ").capitalize(), **given})


PRODUCTS = Kind(
    RecordType(
        name="products", title="Products",
        fields=(_field("sku", required=True), _field("name", required=True), _field("price", type=FieldType.NUMBER)),
    )
)  # fmt: skip
EMAIL = LinkKey("customer_id", "email", _field("email", title="Customer e-mail", format="email"))
ORDERS = Kind(
    RecordType(
        name="orders", title="Orders",
        fields=(
            _field("number", type=FieldType.INTEGER, required=True),
            _field("customer_id", type=FieldType.INTEGER, required=True),
            _field("placed_at", type=FieldType.DATE_TIME),
            _field("lines.sku", in_list="lines", required=True),
            _field("lines.quantity", in_list="lines", type=FieldType.INTEGER),
        ),
    ),
    (EMAIL,),
)  # fmt: skip
NOTES = Kind(
    RecordType(name="notes", title="Notes", fields=(_field("title", required=True), _field("body", required=True)))
)


def guesses(columns: dict[str, list[str]], called: str = "") -> list[Guess]:
    rows = len(next(iter(columns.values())))
    frame = pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})
    return recognised([PRODUCTS, ORDERS, NOTES], frame, profile(frame), called)


def test_what_a_link_is_looked_for_by_speaks_for_what_links() -> None:
    best = guesses(
        {"Order no.": ["101", "102"], "Customer e-mail": ["a@b.example", "c@d.example"], "Ordered": ["2026-01-02"] * 2}
    )[0]
    assert best.record_type == "orders"
    assert (best.needed_fed, best.needed) == (2, 2)
    assert (best.placed, best.columns) == (3, 3)


@pytest.mark.parametrize(
    "columns",
    [
        {f"{what} {number}": ["1", "2"] for number in range(1, 9) for what in ("SKU", "Qty")},
        {f"Line {number} {what}": ["1", "2"] for number in range(1, 5) for what in ("SKU", "quantity")},
    ],
)  # fmt: skip
def test_columns_of_many_lines_count_once(columns: dict[str, list[str]]) -> None:
    mail = {"Order number": ["101", "102"], "Customer e-mail": ["a@b.example", "c@d.example"]}
    best = guesses(mail | columns)[0]
    assert (best.record_type, best.columns) == ("orders", 4)


def test_languages_of_a_column_count_once() -> None:
    columns = {f"{what} ({code})": ["Rye", "Oats"] for what in ("Title", "Body") for code in ("en", "nb", "de")}
    best = guesses(columns)[0]
    assert (best.record_type, best.columns, best.placed) == ("notes", 2, 2)


def test_the_name_of_a_file_decides_between_kinds_that_its_columns_might_be_of() -> None:
    lines = {"SKU": ["QB-1", "QB-2"], "Price": ["3.50", "4.10"], "Quantity": ["1", "2"]}
    assert guesses(lines)[0].record_type == "products"
    named = guesses(lines, "orders-lines.csv")[0]
    assert named.record_type == "orders"
    assert named.named


def test_a_sheet_of_nothing_that_the_site_has_is_taken_for_nothing() -> None:
    best = guesses({"Bed": ["A1", "B2"], "Rainfall mm": ["3.5", "12"], "Frost": ["yes", "no"]})[0]
    assert best.score < LIKELY


def test_a_sheet_without_columns_is_of_no_kind() -> None:
    frame = pl.DataFrame({ROW: [2], FLAG: [None]}, schema_overrides={FLAG: pl.String})
    assert recognised([PRODUCTS], frame, {}) == []
