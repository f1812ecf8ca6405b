"""A shape is only proposed where the mapping with it is better than the one without."""

from __future__ import annotations

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.model import Field, FieldType, RecordType
from datorum.core.shape.signs import parting
from datorum.core.suggest.shapes import suggest_records
from datorum.core.suggest.suggest import likeliest_keys
from datorum.core.table import guess_dialect, read_csv

PRODUCTS = RecordType(
    name="products", title="Products",
    fields=(
        Field(path="sku", title="Sku", required=True, unique=True), Field(path="name", title="Name", required=True),
        Field(path="price", title="Price", type=FieldType.NUMBER),
        Field(path="stock", title="Stock", type=FieldType.INTEGER),
        Field(path="weight_g", title="Weight", type=FieldType.INTEGER), Field(path="description", title="Description"),
        Field(path="parent_id", title="Parent", type=FieldType.INTEGER),
        Field(path="variants.size", title="Size", in_list="variants"),
        Field(path="variants.price", title="Price", type=FieldType.NUMBER, in_list="variants"),
    ),
)  # fmt: skip
ROWS = 48
OWN = {
    "SKU": [f"QB-{at}" for at in range(ROWS)], "Name": [f"Bean {at}" for at in range(ROWS)],
    "Price": [f"{12 + at % 5}.50" for at in range(ROWS)], "Stock": [str(at % 7) for at in range(ROWS)],
    "Weight": [str(100 + at) for at in range(ROWS)], "Description": [f"Good in bed {at}" for at in range(ROWS)],
}  # fmt: skip
OTHERS = {
    "Pictures": [f"https://pics.example/a/{at}.jpg, https://pics.example/b/{at}.jpg" for at in range(ROWS)],
    "Opens": [f"{8 + at % 4}:30" for at in range(ROWS)],
    "Ratio": [f"{at % 6}:{at % 4 + 1}" for at in range(ROWS)],
    "Seen": [f"2026-0{at % 8 + 1}-1{at % 9}" for at in range(ROWS)],
    "Shelf": [f"A/{at % 3}/{at}" for at in range(ROWS)],
    "Old price": [f"{10 + at % 3},90" for at in range(ROWS)],
    "In use": ["yes" if at % 2 else "no" for at in range(ROWS)],
    "Note": [f"see: bed {at % 3}; later" for at in range(ROWS)],
}  # fmt: skip


def fed(columns: dict[str, list[str]]) -> tuple[set[str], tuple[object, ...]]:
    lines = [";".join(columns), *(";".join(f'"{cell}"' for cell in row) for row in zip(*columns.values(), strict=True))]
    data = "\n".join(lines).encode()
    mapping = suggest_records(PRODUCTS, read_csv(data, guess_dialect(data)).frame).mapping
    return set(mapping.fields), mapping.shape


PLAIN, _ = fed(OWN)


@settings(max_examples=25, deadline=None)
@given(st.sets(st.sampled_from(sorted(OTHERS)), min_size=1))
def test_columns_of_other_kinds_take_no_field_its_column(names: set[str]) -> None:
    found, shape = fed(OWN | {name: OTHERS[name] for name in sorted(names)})
    assert found >= PLAIN
    assert shape == ()


def test_the_plain_sheet_feeds_what_it_has() -> None:
    assert {"sku", "name", "price", "stock", "weight_g", "description"} <= PLAIN


@pytest.mark.parametrize(
    ("cell", "left"),
    [
        ("https://a.example/x.jpg, https://a.example/y.jpg", [","]), ("Roots > Beets", [">"]), ("Roots: Beets", [":"]),
        ("10:30", []), ("2026-01-02", []), ("ada@quillmoss.example", []), ("1/2", []), ("a/b", ["/"]),
    ],
)  # fmt: skip
def test_signs_within_addresses_times_and_numbers_part_nothing(cell: str, left: list[str]) -> None:
    assert parting([cell], (">", ":", "/", ",")) == left


def test_a_moment_by_itself_is_nobodys_key() -> None:
    kind = RecordType(
        name="notes", title="Notes",
        fields=(Field(path="text", title="Text"), Field(path="at", title="At", type=FieldType.DATE_TIME)),
    )  # fmt: skip
    fields = suggest_records(kind, read_csv(b"text,at\na,2026-01-02 10:00\n", guess_dialect(b"text,at\n")).frame)
    assert likeliest_keys(kind, fields.mapping.fields, lambda _: 1.0) == ()
