"""What a person would do with a sheet is proposed with its reasons, and what is in doubt is left to them."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest

from datorum.core.model import Field, FieldMapping, Mapping, RecordType, ValueTable
from datorum.core.profile import profile
from datorum.core.steps import Formula, ReadDate, TakePart
from datorum.core.steps.landing import land
from datorum.core.suggest import Chosen, Decided, candidates, suggest
from datorum.core.suggest.names import tokens
from datorum.core.table import guess_dialect, read_csv
from tests.core.schemas import kind_with

TEXT = {"type": "string"}
NUMBER = {"type": "number"}
DAY = {"type": "string", "format": "date"}
LIST = {"type": "array", "items": {"type": "string"}}
ADDRESS = {"type": "object", "properties": {"street": TEXT, "street2": TEXT, "postcode": TEXT, "city": TEXT}}


def suggested(kind: RecordType, text: str, chosen: Chosen | None = None) -> Mapping:
    frame = read_csv(text.encode(), guess_dialect(text.encode())).frame
    return suggest(kind, frame, profile(frame), chosen)


def fed(mapping: Mapping) -> dict[str, tuple[str, ...]]:
    return {path: field.columns for path, field in mapping.fields.items()}


def landed(kind: RecordType, text: str, path: str, chosen: Chosen | None = None) -> list[str | None]:
    mapping = suggested(kind, text, chosen)
    frame = read_csv(text.encode(), guess_dialect(text.encode())).frame
    return land(frame, mapping.fields[path]).values.to_list()


def test_first_and_last_name_are_joined_where_the_site_has_one_name() -> None:
    kind = kind_with("customers", name=TEXT, email={"type": "string", "format": "email"})
    text = "First name;Surname;E-mail\nAda;Corfield;ada@quillmoss.example\nBo;Ryewick;bo@quillmoss.example\n"
    assert fed(suggested(kind, text)) == {"name": ("First name", "Surname"), "email": ("E-mail",)}
    assert landed(kind, text, "name") == ["Ada Corfield", "Bo Ryewick"]


def test_one_name_is_split_where_the_site_has_two() -> None:
    kind = kind_with("customers", first_name=TEXT, last_name=TEXT)
    text = "Full name\nAda Corfield\nBo Ryewick\nUte Ackersehren\n"
    assert landed(kind, text, "first_name") == ["Ada", "Bo", "Ute"]
    assert landed(kind, text, "last_name") == ["Corfield", "Ryewick", "Ackersehren"]


def test_postcode_and_city_in_one_column_are_parted() -> None:
    kind = kind_with("customers", postcode=TEXT, city=TEXT)
    text = "Postcode City\n0010 Oslo\n18055 Rostock\n9008 Troms\n"
    assert landed(kind, text, "postcode") == ["0010", "18055", "9008"]
    assert landed(kind, text, "city") == ["Oslo", "Rostock", "Troms"]


@pytest.mark.parametrize(
    ("values", "day", "moment"),
    [
        (("1714559400", "1735689600"), "2024-05-01", "2024-05-01T10:30:00Z"),
        (("-86400000000", "-172800000000", "-31536000000"), "1967-04-07", "1967-04-07T00:00:00Z"),
        (("1714559400123", "1735689600000"), "2024-05-01", "2024-05-01T10:30:00Z"),
        (("1714559400123456", "1735689600000000"), "2024-05-01", "2024-05-01T10:30:00Z"),
        (("45413", "45500"), "2024-05-01", "2024-05-01T00:00:00Z"),
        (("45413.4375", "45500"), "2024-05-01", "2024-05-01T10:30:00Z"),
    ],
)
def test_numbers_that_count_from_an_epoch_are_read_as_dates_where_a_date_is_wanted(
    values: tuple[str, ...], day: str, moment: str
) -> None:
    text = "\n".join(("Created", *values)) + "\n"
    assert landed(kind_with("customers", created=DAY), text, "created")[0] == day
    at = {"type": "string", "format": "date-time"}
    assert landed(kind_with("customers", created=at), text, "created")[0] == moment


def test_numbers_of_five_figures_are_no_dates_for_that() -> None:
    kind = kind_with("customers", created=DAY, postcode=TEXT)
    assert fed(suggested(kind, "PLZ\n18055\n20095\n50667\n")) == {"postcode": ("PLZ",)}
    assert fed(suggested(kind, "Menge\n18055\n20095\n50667\n")) == {}


@pytest.mark.parametrize("separator", [",", "|", ";"])
def test_cells_with_lists_are_split_by_their_separator(separator: str) -> None:
    kind = kind_with("products", categories=LIST)
    rows = [separator.join(pair) for pair in (("Roots", "Early"), ("Greens", "Early"), ("Roots", "Late"))]
    text = "SKU\tCategories\n" + "".join(f"QM-{at}\t{row}\n" for at, row in enumerate(rows))
    assert landed(kind, text, "categories") == ['["Roots", "Early"]', '["Greens", "Early"]', '["Roots", "Late"]']


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        (("31.12.2020", "01.02.2021"), ["2020-12-31", "2021-02-01"]),
        (("12/31/2020", "02/25/2021"), ["2020-12-31", "2021-02-25"]),
        (("3 Feb 2019", "17 Nov 2021"), ["2019-02-03", "2021-11-17"]),
        (("20201231", "20210201"), ["2020-12-31", "2021-02-01"]),
    ],
)
def test_dates_come_with_the_order_in_which_they_are_written(cells: tuple[str, ...], expected: list[str]) -> None:
    assert landed(kind_with("customers", birth_date=DAY), "Born\n" + "\n".join(cells) + "\n", "birth_date") == expected


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        (("1.204,50 kr", "88,00 kr"), ["1204.50", "88.00"]),
        (("NOK 1,204.50", "NOK 88.00"), ["1204.50", "88.00"]),
    ],
)
def test_amounts_come_with_their_decimal_mark_and_without_their_currency(
    cells: tuple[str, ...], expected: list[str]
) -> None:
    assert landed(kind_with("orders", total=NUMBER), "Total\n" + "\n".join(cells) + "\n", "total") == expected


def test_stray_spaces_come_with_a_trim() -> None:
    kind = kind_with("customers", city=TEXT)
    assert landed(kind, "City\n  Oslo \nRostock\nTroms  o\n", "city") == ["Oslo", "Rostock", "Troms o"]


def test_spellings_of_what_the_site_accepts_come_with_a_value_table() -> None:
    kind = kind_with("products", status={"type": "string", "enum": ["draft", "published"]})
    text = "Status\nPublished\nDRAFT\npublisert\nEntwurf\nsoon\n"
    assert landed(kind, text, "status") == ["published", "draft", "published", "draft", None]


def test_billing_and_shipping_do_not_change_places() -> None:
    kind = kind_with("orders", billing=ADDRESS, shipping=ADDRESS)
    text = "Ship to street;Ship to city;Billing street;Billing city\nA 1;Oslo;B 2;Rostock\nC 3;Troms;D 4;Kiel\n"
    assert fed(suggested(kind, text)) == {
        "billing.street": ("Billing street",),
        "billing.city": ("Billing city",),
        "shipping.street": ("Ship to street",),
        "shipping.city": ("Ship to city",),
    }


def test_created_and_updated_do_not_change_places() -> None:
    kind = kind_with("customers", created_at=DAY, updated_at=DAY)
    text = "Last modified;Created\n2024-01-02;2019-02-03\n2024-03-04;2020-05-06\n"
    assert fed(suggested(kind, text)) == {"created_at": ("Created",), "updated_at": ("Last modified",)}


def test_a_parent_is_not_the_record_itself() -> None:
    kind = kind_with("comments", id={"type": "integer"}, parent_id={"type": "integer"})
    assert fed(suggested(kind, "Parent ID;ID\n0;1\n1;2\n1;3\n")) == {"id": ("ID",), "parent_id": ("Parent ID",)}


def test_the_second_line_of_an_address_goes_beside_the_first() -> None:
    kind = kind_with("customers", address=ADDRESS)
    text = "Address line 1;Address line 2;Postal code;Town\nA 1;c/o Bo;0010;Oslo\nB 2;;18055;Rostock\n"
    assert fed(suggested(kind, text)) == {
        "address.street": ("Address line 1",),
        "address.street2": ("Address line 2",),
        "address.postcode": ("Postal code",),
        "address.city": ("Town",),
    }


def test_no_column_feeds_two_fields_and_a_stranger_feeds_none() -> None:
    kind = kind_with(
        "customers", email={"type": "string", "format": "email"}, contact_email={"type": "string", "format": "email"}
    )
    mapping = suggested(kind, "E-mail;Shelf\na@quillmoss.example;7\nb@quillmoss.example;9\n")
    used = [column for field in mapping.fields.values() for column in field.columns]
    assert used == ["E-mail"]


def test_a_name_whose_values_do_not_fit_is_not_proposed() -> None:
    kind = kind_with("customers", email={"type": "string", "format": "email"}, birth_date=DAY)
    assert fed(suggested(kind, "E-mail;Date of birth\nyes;north\nno;south\n")) == {}


def test_what_was_chosen_before_is_proposed_again_and_says_so() -> None:
    kind = kind_with("customers", tier=TEXT)
    text = "Zq;Other\nGrove;1\nSapling;2\n"
    assert fed(suggested(kind, text)) == {}
    before = Mapping(fields={"tier": FieldMapping(columns=("ZQ ",))})
    again = suggested(kind, text, Chosen([Decided(before)]))
    assert fed(again) == {"tier": ("Zq",)}
    assert again.fields["tier"].reasons == ("as in an earlier import",)


def test_a_feed_is_used_again_whole_with_its_steps_and_its_value_table() -> None:
    kind = kind_with("customers", given=TEXT, family=TEXT, tier={"type": "string", "enum": ["grove", "sapling"]})
    behind = TakePart(separator=", ", part="last")
    before = TakePart(separator=", ", part="first")
    earlier = Mapping(
        fields={
            "given": FieldMapping(columns=("Name",), steps=(behind,)),
            "family": FieldMapping(columns=("Name",), steps=(before,)),
            "tier": FieldMapping(columns=("Club",), table="tiers"),
        },
        tables={"tiers": ValueTable(pairs={"G1": "grove"})},
    )
    text = "Name;Club\nCorfield, Ada;G1\nRyewick, Bo;Sapling\n"
    assert landed(kind, text, "tier", Chosen([Decided(earlier)])) == ["grove", "sapling"]
    assert landed(kind, text, "given", Chosen([Decided(earlier)])) == ["Ada", "Bo"]
    assert landed(kind, text, "family", Chosen([Decided(earlier)])) == ["Corfield", "Ryewick"]


def test_the_latest_choice_counts_and_one_that_cannot_read_the_values_does_not() -> None:
    kind = kind_with("customers", joined=DAY, left=DAY)
    latest = Mapping(fields={"left": FieldMapping(columns=("Day",), steps=(ReadDate(pattern="D/M/YYYY"),))})
    oldest = Mapping(fields={"joined": FieldMapping(columns=("Day",), steps=(ReadDate(pattern="M/D/YYYY"),))})
    chosen = Chosen([Decided(latest), Decided(oldest)])
    assert landed(kind, "Day\n31/1/2024\n", "left", chosen) == ["2024-01-31"]
    again = suggested(kind, "Day\n2024-01-31\n2023-12-30\n", chosen)
    assert all(step != ReadDate(pattern="D/M/YYYY") for fed in again.fields.values() for step in fed.steps)


def test_a_feed_that_sees_columns_which_are_not_there_is_not_used_again() -> None:
    kind = kind_with("customers", zone=TEXT)
    earlier = Mapping(fields={"zone": FieldMapping(columns=("Q",), steps=(Formula(text="=THIS()&[R]"),))})
    assert fed(suggested(kind, "Q;S\na;b\n", Chosen([Decided(earlier)]))) == {}
    assert landed(kind, "Q;R\na;b\n", "zone", Chosen([Decided(earlier)])) == ["ab"]


PHONE = {"type": "string", "pattern": "^\\+[0-9]{7,15}$"}


def test_telephone_numbers_without_a_prefix_are_of_the_country_beside_them() -> None:
    kind = kind_with("customers", phone=PHONE, country=TEXT)
    text = "Telefon;Land\n22 33 44 55;Norwegen\n0381 79070;Deutschland\n+46 8 123 456 78;Schweden\n08 53301;Nirgends\n"
    assert landed(kind, text, "phone") == ["+4722334455", "+4938179070", "+46812345678", None]


def test_names_with_the_surname_first_are_turned_or_parted() -> None:
    text = "Name;E-mail\nCorfield, Ada Anne;a@quillmoss.example\nRyewick, Bo;b@quillmoss.example\n"
    email = {"type": "string", "format": "email"}
    assert landed(kind_with("customers", name=TEXT, email=email), text, "name") == ["Ada Anne Corfield", "Bo Ryewick"]
    parted = kind_with("customers", first_name=TEXT, last_name=TEXT, email=email)
    assert landed(parted, text, "first_name") == ["Ada Anne", "Bo"]
    assert landed(parted, text, "last_name") == ["Corfield", "Ryewick"]


def test_a_tick_or_nothing_is_yes_or_no() -> None:
    kind = kind_with("customers", newsletter={"type": "boolean"})
    assert landed(kind, "Newsletter;E-mail\nx;a\n;b\nx;c\n", "newsletter") == ["true", "false", "true"]
    # Where both are said, nothing says neither.
    assert landed(kind, "Newsletter;E-mail\nyes;a\n;b\nno;c\n", "newsletter") == ["true", None, "false"]


def test_html_is_taken_out_of_a_text_that_is_no_page() -> None:
    kind = kind_with("customers", notes=TEXT, description=TEXT)
    text = "Notes;Description\n<p>Likes <b>rye</b></p>;<p>a</p>\n<p>Beans</p>;<p>b</p>\n"
    assert landed(kind, text, "notes") == ["Likes rye", "Beans"]
    assert landed(kind, text, "description") == ["<p>a</p>", "<p>b</p>"]


def test_a_number_is_taken_out_of_a_code_for_a_field_of_whole_numbers() -> None:
    kind = kind_with("customers", number={"type": "integer"}, email={"type": "string", "format": "email"})
    text = "Number;E-mail\nK-00001;a@quillmoss.example\nK-00012;b@quillmoss.example\n"
    assert landed(kind, text, "number") == ["1", "12"]


def test_every_proposal_has_a_score_and_reasons_that_a_person_can_read() -> None:
    kind = kind_with("customers", email={"type": "string", "format": "email"}, total_spent=NUMBER)
    mapping = suggested(kind, "Epost;Umsatz\na@quillmoss.example;12.50\nb@quillmoss.example;3.00\n")
    assert set(mapping.fields) == {"email", "total_spent"}
    for field in mapping.fields.values():
        assert field.score is not None
        assert 0.62 <= field.score <= 1
        assert "name" in field.reasons[0]
        assert not any(re.search(r"\d\.\d", reason) for reason in field.reasons)


def test_the_candidates_of_a_field_come_best_first_with_joins_among_them() -> None:
    kind = kind_with("customers", name=TEXT)
    text = "First name;Surname;Nickname;Shelf\nAda;Corfield;ad;7\nBo;Ryewick;b;9\n"
    frame = read_csv(text.encode(), guess_dialect(text.encode())).frame
    found = candidates(kind, "name", profile(frame))
    assert [one.score for one in found] == sorted((one.score for one in found), reverse=True)
    assert found[0].columns == ("First name", "Surname")


@pytest.mark.parametrize(
    ("header", "path"),
    [
        ("Vorname", "first_name"),
        ("Fornavn", "first_name"),
        ("Prénom", "first_name"),
        ("Etternavn", "last_name"),
        ("Nachname", "last_name"),
        ("Apellidos", "last_name"),
        ("LASTNAME", "last_name"),
        ("surname (legal)", "last_name"),
    ],
)
def test_headers_in_several_languages_and_styles(header: str, path: str) -> None:
    kind = kind_with("customers", first_name=TEXT, last_name=TEXT)
    assert fed(suggested(kind, f"{header};x\nAda;1\nBo;2\n")) == {path: (header,)}


def test_a_sheet_without_columns_that_mean_anything_maps_nothing() -> None:
    kind = kind_with("customers", first_name=TEXT, email={"type": "string", "format": "email"})
    mapping = suggested(kind, "c1;c2;c3\n1;2;3\n4;5;6\n")
    assert mapping.fields == {}
    assert mapping.match_key is None


def test_what_somebody_took_away_is_not_suggested_again_until_somebody_gives_it_back() -> None:
    fields = (Field(path="phone", title=""), Field(path="note", title=""))
    kind = RecordType(name="members", title="Members", fields=fields)
    text = "Phone;Q\n+47 11 22 33 44;a\n+47 22 33 44 55;b\n"
    suggested_first = Mapping(fields={"phone": FieldMapping(columns=("Phone",), score=0.98)})
    without = Decided(Mapping(fields={}), suggested_first)
    assert fed(suggested(kind, text, Chosen())) == {"phone": ("Phone",)}
    assert fed(suggested(kind, text, Chosen([without]))) == {}
    elsewhere = Decided(Mapping(fields={"note": FieldMapping(columns=("phone",))}), suggested_first)
    assert fed(suggested(kind, text, Chosen([elsewhere]))) == {"note": ("Phone",)}
    back = Decided(Mapping(fields={"phone": FieldMapping(columns=("PHONE",))}), suggested_first)
    assert fed(suggested(kind, text, Chosen([back, without]))) == {"phone": ("Phone",)}


@pytest.mark.parametrize(
    ("header", "concepts"),
    [
        ("N° client", ("number", "customer")),
        ("№ клиента", ("number", "customer")),
        ("Surname, First name", ("name",)),
        ("Nom, prénom", ("name",)),
        ("Nachname/Vorname", ("name",)),
        ("First name", ("given",)),
        ("Vor- und Zuname", ("name",)),
        ("For- og etternavn", ("name",)),
        ("Customer (last, first)", ("name",)),
        ("Kunde (Name, Vorname)", ("name",)),
        ("Vorname(n)", ("given",)),
        ("Customer's name", ("customer", "name")),
        ("Kundens navn", ("customer", "name")),
        ("Preis inkl. MwSt", ("price",)),
        ("Rechnungs- und Lieferadresse", ("billing", "und", "shipping")),
    ],
)
def test_signs_in_a_header_mean_what_they_do_on_paper(header: str, concepts: tuple[str, ...]) -> None:
    assert tokens(header) == concepts


_PEOPLE = ("Ada Corfield", "Bo Ryewick", "Ada Ackersehren", "Ute Mossgaard", "Bo Birkholm", "Ada Ereholt")


def _people(headers: str, cells: Callable[[str, str], str], mail: Callable[[str, str], str] | None = None) -> str:
    mail = mail or (lambda first, last: f"{first[0]}.{last}".lower())
    rows = (f"{cells(*one.split())};{mail(*one.split())}@quillmoss.example" for one in _PEOPLE)
    return "\n".join((f"{headers};E-mail", *rows, ""))


def test_names_of_people_are_known_by_the_addresses_beside_them() -> None:
    email = {"type": "string", "format": "email"}
    whole, parts = (
        kind_with("customers", name=TEXT, email=email),
        kind_with("customers", first=TEXT, last=TEXT, email=email),
    )
    turned = _people("Wer", lambda first, last: f"{last}, {first}")
    assert landed(whole, turned, "name") == [*_PEOPLE]
    assert "e-mail addresses" in suggested(whole, turned).fields["name"].reasons[0]
    assert landed(parts, turned, "first") == [name.split()[0] for name in _PEOPLE]
    assert landed(parts, turned, "last") == [name.split()[1] for name in _PEOPLE]
    # There are fewer first names than surnames.
    apart = _people("Qwx;Zrt", lambda first, last: f"{last};{first}")
    assert landed(whole, apart, "name") == [*_PEOPLE]
    assert fed(suggested(parts, apart)) == {"first": ("Zrt",), "last": ("Qwx",), "email": ("E-mail",)}


def test_what_is_no_name_beside_an_address_is_not_taken_for_one() -> None:
    kind = kind_with("customers", name=TEXT, email={"type": "string", "format": "email"})
    login = _people("Qwx", lambda first, last: f"{first[0]}.{last}".lower())
    desk = _people("Qwx", lambda first, last: f"{first} {last}", lambda _, last: f"desk{len(last)}")
    two = _people("Qwx;Zrt", lambda first, last: f"{first} {last};{last} {first}")
    for text in (login, desk, two):
        assert "name" not in suggested(kind, text).fields


def test_a_time_on_some_clock_is_read_as_a_moment_where_the_site_wants_one() -> None:
    kind = kind_with("orders", placed_at={"type": "string", "format": "date-time"})
    assert landed(kind, "placed at\n2026-11-03T09:52:00\n2026-11-04T10:00:30\n", "placed_at") == [
        "2026-11-03T09:52:00Z",
        "2026-11-04T10:00:30Z",
    ]
    # With what it lies from UTC it is one already.
    assert suggested(kind, "placed at\n2026-11-03T09:52:00+01:00\n").fields["placed_at"].steps == ()


def test_amounts_are_no_counts_and_yes_or_no_is_no_level() -> None:
    kind = kind_with("customers", orders_count={"type": "integer"}, plan={"type": "string", "enum": ["basic", "full"]})
    assert suggested(kind, "Total (all orders)\n1,008.05\n12.50\n").fields == {}
    assert fed(suggested(kind, "Orders\n3.0\n12.0\n")) == {"orders_count": ("Orders",)}
    assert suggested(kind, "NL plan\n0\n1\n1\n").fields == {}


def test_values_that_only_one_field_takes_need_no_header_that_is_known() -> None:
    kind = kind_with("customers", email={"type": "string", "format": "email"}, active={"type": "boolean"}, notes=TEXT)
    text = "Qwx;Zrt;Vbn\na@quillmoss.example;kyllä;u\nb@quillmoss.example;ei;v\nc@quillmoss.example;kyllä;w\n"
    assert landed(kind, text, "active") == ["true", "false", "true"]
    mapping = suggested(kind, text)
    assert mapping.fields["email"].columns == ("Qwx",)
    assert mapping.fields["email"].reasons[-1] == "no other field takes them"
    assert landed(
        kind_with("customers", phone=TEXT, country=TEXT),
        "Qwx;Zrt\n22 12 34 56;Norwegen\n030 23125000;Deutschland\n",
        "phone",
    ) == ["+4722123456", "+493023125000"]
    # Which of two columns of addresses is meant, nobody can tell.
    two = "Qwx;Zrt\na@quillmoss.example;b@quillmoss.example\nc@quillmoss.example;d@quillmoss.example\n"
    assert "email" not in suggested(kind, two).fields
