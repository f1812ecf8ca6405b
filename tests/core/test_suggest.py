"""Suggestions feed the fields that are beyond doubt and leave the others alone."""

from __future__ import annotations

import pytest

from datorum.core.model import Field, FieldType, Mapping, RecordType
from datorum.core.profile import profile
from datorum.core.steps import ToCode
from datorum.core.steps.landing import land
from datorum.core.suggest import candidates, suggest
from datorum.core.suggest.names import Names
from datorum.core.suggest.steps import suggest_pairs
from datorum.core.table import Sheet, guess_dialect, read_csv
from tests.core.schemas import kind_with


def test_the_demo_sheet_is_mapped_as_a_person_would(sheet: Sheet, customers: RecordType) -> None:
    mapping = suggest(customers, sheet.frame, profile(sheet.frame))
    assert {path: fed.columns for path, fed in mapping.fields.items()} == {
        "email": ("E-mail Address",),
        "name": ("First Name", "Surname"),
        "company": ("Company",),
        "phone": ("Telephone",),
        "plan": ("Tier",),
        "joined_at": ("Joined",),
        "birth_date": ("Date of Birth",),
        "language": ("Language",),
        "newsletter": ("Newsletter",),
        "total_spent": ("Total Spent",),
        "orders_count": ("Orders",),
        "notes": ("Notes",),
        "address.street": ("Street",),
        "address.street2": ("Street 2",),
        "address.postcode": ("Postcode",),
        "address.city": ("City",),
        "address.country": ("Country",),
    }
    assert mapping.match_key == "email"


@pytest.mark.parametrize(
    ("header", "path", "at_least"),
    [
        ("E-mail Address", "email", 0.9),
        ("Epost", "email", 0.9),
        ("Vorname", "first_name", 0.9),
        ("Etternavn", "lastName", 0.9),
        ("PLZ", "address.postcode", 0.9),
        ("Phone No.", "phone", 0.55),
        ("customerId", "customer_id", 0.99),
    ],
)
def test_names_that_say_the_same(header: str, path: str, at_least: float) -> None:
    assert Names([header], []).score(header, Field(path=path, title="")) >= at_least


@pytest.mark.parametrize(("header", "path"), [("Last Seen", "joined_at"), ("Old Theme", "plan"), ("Notes", "name")])
def test_names_that_do_not(header: str, path: str) -> None:
    assert Names([header], []).score(header, Field(path=path, title=path)) < 0.62


def test_values_that_do_not_fit_the_type_speak_against_a_name() -> None:
    data = b"Joined,Newsletter\nyesterday,maybe\nlong ago,often\n"
    profiles = profile(read_csv(data, guess_dialect(data)).frame)
    joined = Field(path="joined", title="Joined", type=FieldType.DATE)
    assert all(
        candidate.score < 0.62
        for candidate in candidates(RecordType(name="members", title="Members", fields=(joined,)), "joined", profiles)
    )


@pytest.mark.parametrize(
    ("values", "code"),
    [(["D", "NO", "Sweden"], "DE"), (["D"], None), (["D", "NO", "Japan"], None), (["NO", "D", "N"], "DE")],
)
def test_a_single_letter_among_neighbours_is_the_sign_of_a_country(values: list[str], code: str | None) -> None:
    assert suggest_pairs(values, ("NO", "SE", "DE", "JP"), {"country"}).pairs.get("D") == code


def test_pairs_are_set_by_spelling_and_known_names_and_left_open_in_doubt() -> None:
    table = suggest_pairs(["NORWAY", "Norge", "Germny", "Iceland", "Bonsai"], ("NO", "DE", "IE"), {"country"})
    assert table.pairs == {"NORWAY": "NO", "Norge": "NO", "Germny": "DE"}


def test_days_for_a_field_of_moments_become_the_moment_they_begin_with() -> None:
    data = b"Joined\n31.12.2020\n1.2.2021\n"
    frame = read_csv(data, guess_dialect(data)).frame
    joined = Field(path="joined_at", title="Joined", type=FieldType.DATE_TIME)
    mapping = suggest(RecordType(name="customers", title="Customers", fields=(joined,)), frame, profile(frame))
    assert land(frame, mapping.fields["joined_at"]).values.to_list() == ["2020-12-31T00:00:00Z", "2021-02-01T00:00:00Z"]


def suggested(kind: RecordType, text: str) -> Mapping:
    read = read_csv(text.encode(), guess_dialect(text.encode()))
    return suggest(kind, read.frame, profile(read.frame))


def test_a_usual_key_is_the_match_key_where_the_site_keeps_nothing_unique_and_no_value_stands_twice() -> None:
    kind = kind_with("products", sku={"type": "string"}, name={"type": "string"})
    assert suggested(kind, "SKU;Name\nQM-1;Beet\nQM-2;Beet\n").match_key == "sku"
    assert suggested(kind, "SKU;Name\nQM-1;Beet\nQM-1;Kale\n").match_key is None
    assert "name" in kind.possible_keys


@pytest.mark.parametrize("takes", [{"pattern": "^[A-Z]{2}$"}, {"maxLength": 2}])
def test_names_of_countries_come_with_the_step_that_makes_them_codes(takes: dict[str, object]) -> None:
    mapping = suggested(
        kind_with("products", country_of_origin={"type": "string", **takes}),
        "Country of origin\nNorway\nTyskland\nNO\nSweden\nDeutschland\n",
    )
    assert mapping.fields["country_of_origin"].steps == (ToCode(of="country"),)


def test_a_country_that_is_kept_in_words_stays_in_words() -> None:
    kind = kind_with("products", country={"type": "string", "maxLength": 60})
    assert suggested(kind, "Country\nNorway\nGermany\nSweden\n").fields["country"].steps == ()


@pytest.mark.parametrize(
    ("header", "path"),
    [("Pris (NOK)", "regular_price"), ("Price incl. VAT", "regular_price"), ("Offer start", "sale_starts")],
)
def test_prices_are_known_by_their_currency_and_offers_by_their_start(header: str, path: str) -> None:
    kind = kind_with(
        "products",
        regular_price={"type": "number"},
        sale_price={"type": "number"},
        sale_starts={"type": "string", "format": "date"},
    )
    values = {"sale_starts": "14.07.2026"}.get(path, "236,98")
    assert path in suggested(kind, f"{header};x\n{values};1\n").fields


def test_a_value_that_repeats_the_name_of_its_field_is_the_word_beside_it() -> None:
    pairs = suggest_pairs(["Full sun", "part", "halvskygge"], ("full", "part", "shade"), {"sun"}).pairs
    assert pairs == {"Full sun": "full", "part": "part"}
