"""A column that is called just as a field feeds it, its values brought into the form and unit of the field."""

from __future__ import annotations

import pytest

from datorum.core.model import FieldMapping, Mapping
from datorum.core.suggest import Chosen, Decided
from tests.core.schemas import kind_with
from tests.core.test_suggest_depth import NUMBER, TEXT, fed, landed, suggested


def test_what_fed_a_field_for_want_of_a_column_called_so_gives_way_to_one() -> None:
    kind = kind_with("products", sku=TEXT, slug=TEXT)
    text = "SKU;Slug\nMX-1;moss-one\nMX-2;moss-two\n"
    stand_in = Mapping(fields={path: FieldMapping(columns=("SKU",)) for path in ("sku", "slug")})
    both = {"sku": ("SKU",), "slug": ("Slug",)}
    assert fed(suggested(kind, text, Chosen([Decided(stand_in)]))) == both
    # Where there was one, somebody has decided.
    against = Decided(stand_in, Mapping(fields={path: FieldMapping(columns=one) for path, one in both.items()}))
    assert fed(suggested(kind, text, Chosen([against]))) == {"sku": ("SKU",), "slug": ("SKU",)}


def test_a_column_that_is_called_just_as_a_field_feeds_it_though_its_values_are_of_another_form() -> None:
    sku = {"type": "string", "pattern": "^[A-Z]{2}-[0-9]{3}$"}
    kind = kind_with("products", sku=sku, display_name=TEXT, description=TEXT, stock=NUMBER)
    rows = "".join(f"mx-{i:03d},Moss {i},<p>Good for {i}</p>,{word}\n" for i, word in enumerate("abcdefgh"))
    text = f"SKU,Display name,Description,Stock\n{rows}"
    found = fed(suggested(kind, text))
    # Letters are no numbers, whatever they are called.
    assert found == {"sku": ("SKU",), "display_name": ("Display name",), "description": ("Description",)}
    assert landed(kind, text, "sku")[:2] == ["MX-000", "MX-001"], "in capitals they are of the form that it wants"


@pytest.mark.parametrize(
    ("pattern", "value", "becomes"),
    [
        (r"^\+[0-9]{7,15}$", "+47 22 33 44 55", "+4722334455"),
        (r"^[a-z0-9]+(-[a-z0-9]+)*$", "Grønn Løk", "gronn-lok"),
        (r"^[A-Z]{2}-[0-9]+$", "MX-0100", "MX-0100"),
        (r"^[0-9]{4}$", "MX-0100", "MX-0100"),
    ],
)
def test_values_of_another_form_are_brought_into_the_one_that_the_site_wants_where_a_step_does(
    pattern: str, value: str, becomes: str
) -> None:
    kind = kind_with("things", note={**TEXT, "pattern": pattern})
    text = "Note\n" + "".join(f"{value}\n" for _ in range(4))
    assert landed(kind, text, "note") == [becomes] * 4


@pytest.mark.parametrize(
    ("header", "written", "grams"),
    [
        ("Weight (kg)", "{:.2f}", 1000),
        ("Weight", "{:.2f} kg", 1000),
        ("Weight", "{:.0f} g", 1),
        ("Weight", "{:.2f}", 1000),
    ],
)
def test_a_weight_in_another_unit_feeds_a_field_of_whole_numbers(header: str, written: str, grams: int) -> None:
    kind = kind_with("products", name=TEXT, weight_g={"type": "integer"})
    weights = [0.2 + 0.15 * at if grams == 1000 else 200.0 + 15 * at for at in range(12)]
    text = f"Name;{header}\n" + "".join(f"Moss {at};{written.format(one)}\n" for at, one in enumerate(weights))
    assert landed(kind, text, "weight_g") == [str(round(one * grams)) for one in weights]
