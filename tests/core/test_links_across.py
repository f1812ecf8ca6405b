"""Links that are told by what other sheets hold."""

from __future__ import annotations

import polars as pl

from datorum.core.model import Field, FieldMapping, FieldType, LinkRule, Mapping
from datorum.core.profile import profile
from datorum.core.suggest.across import FoundLink, OpenLink, OtherSheet, links_across
from datorum.core.table import FLAG, ROW

SKU = Field(path="sku", title="SKU", unique=True)
PRODUCTS_FIELD = Field(path="product_skus", title="Products", type=FieldType.LIST, items=Field(path="", title=""))
CUSTOMER = OpenLink(Field(path="customer_id", title="Customer", type=FieldType.INTEGER), "customers", False)
PRODUCTS = OpenLink(PRODUCTS_FIELD, "products", True)


def frame(**columns: list[str]) -> pl.DataFrame:
    rows = len(next(iter(columns.values())))
    named = {name.replace("_", " "): values for name, values in columns.items()}
    return pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **named}, schema_overrides={FLAG: pl.String})


NUMBERS = [str(number) for number in range(101, 121)]
CUSTOMERS = OtherSheet("customers", frame(Old_no=NUMBERS, Name=[f"N{number}" for number in NUMBERS],
                                          Plan=["a", "b"] * 10), {})  # fmt: skip
ARTICLES = OtherSheet("products", frame(Article=["QB-1", "QB-1", "QB-2", "QB-3"], Size=["S", "L", "S", "S"]),
                      {"Article": SKU})  # fmt: skip


def found(sheet: pl.DataFrame, *links: OpenLink, mapping: Mapping | None = None) -> dict[str, FoundLink]:
    return links_across(mapping or Mapping(), sheet, profile(sheet), links, [CUSTOMERS, ARTICLES])


def test_a_list_of_keys_is_told_by_the_sheet_that_has_them_whatever_its_column_is_called() -> None:
    told = found(frame(Code=list("abc"), On=["qb-1, QB-3", "", "QB-2"]), PRODUCTS)["product_skus"]
    assert (told.fed.columns, told.rule) == (("On",), LinkRule(by=("sku",)))
    assert [step.kind for step in told.fed.steps] == ["split_list"]
    assert "“Article” of the sheet of products" in told.fed.reasons[0]


def test_numbers_are_told_where_what_they_are_called_says_so_too() -> None:
    told = found(frame(Customer_no=NUMBERS[:9], Total=NUMBERS[3:12]), CUSTOMER)["customer_id"]
    assert (told.fed.columns, told.rule) == (("Customer no",), LinkRule(column="Old no"))
    assert found(frame(Total=NUMBERS[3:12]), CUSTOMER) == {}


def test_what_finds_nothing_by_the_key_of_the_site_is_looked_for_by_that_of_the_sheet() -> None:
    fed = Mapping(fields={"customer_id": FieldMapping(columns=("Customer no",))})
    told = found(frame(Customer_no=NUMBERS[:9]), CUSTOMER, mapping=fed)["customer_id"]
    assert told.rule == LinkRule(column="Old no")
    # What finds them as it is stays as it is.
    right = fed.model_copy(update={"links": {"customer_id": LinkRule(column="Old no")}})
    assert found(frame(Customer_no=NUMBERS[:9]), CUSTOMER, mapping=right) == {}


def test_few_values_or_other_ones_tell_nothing() -> None:
    assert found(frame(On=["QB-1", "QB-2", ""]), PRODUCTS) == {}
    assert found(frame(On=["QB-1", "QB-2", "QB-3", "XX-1", "XX-2"]), PRODUCTS) == {}
    # What does not tell the others apart is no key of theirs.
    assert found(frame(Customer_plan=["a", "b", "a", "b"]), CUSTOMER) == {}


def test_one_column_tells_one_link() -> None:
    both = [PRODUCTS, OpenLink(PRODUCTS_FIELD.model_copy(update={"path": "other_skus"}), "products", True)]
    assert list(found(frame(On=["QB-1", "QB-3", "QB-2"]), *both)) == ["product_skus"]
