"""What headers mean: concepts kept as data, read in the language that a sheet is in, however they are spelt."""

from __future__ import annotations

import json
from importlib import resources

import jsonschema_rs
import polars as pl
import pytest

from datorum.core.model import Field, FieldType, RecordType, Relation, RelationKind
from datorum.core.profile import profile
from datorum.core.steps import Arithmetic
from datorum.core.suggest import suggest
from datorum.core.suggest.lexicon import ANY, concepts, groups
from datorum.core.suggest.names import Names, is_understood, spoken, tokens
from datorum.core.table import FLAG, ROW

LANGUAGES = "bg ca cs da de el en es et fi fr hr hu is it lt lv nb nl pl pt ro ru sk sl sv tr uk".split()


def test_every_file_of_concepts_is_as_their_schema_has_it() -> None:
    schema = json.loads((resources.files("datorum.core.suggest") / "concepts" / "schema.json").read_text())
    validator = jsonschema_rs.Draft202012Validator(schema)
    for name, group in groups().items():
        assert list(map(str, validator.iter_errors(group))) == [], name
    names = [concept for concept, _ in concepts()]
    assert len(names) == len(set(names)) >= 200
    assert sorted({language for _, said in concepts() for language in said} - {ANY}) == LANGUAGES
    assert sum(len(said) >= 17 for _, said in concepts()) >= 190


@pytest.mark.parametrize(
    ("header", "meant"),
    [
        ("Data urodzenia", "birth date"), ("Születési dátum", "birth date"), ("Syntymäaika", "birth date"),
        ("Dzimšanas datums", "birth date"), ("Ημερομηνία γέννησης", "birth date"), ("Дата рождения", "birth date"),
        ("Η-mail", "email"), ("Ηλεκτρονικό ταχυδρομείο", "email"), ("Имейл", "email"), ("E-posta adresi", "email"),
        ("Płeć", "gender"), ("Plec", "gender"), ("Größe", "size"), ("Groesse", "size"), ("Straße", "street"),
        ("Lieferadresszusatz", "shipping address"), ("Rechnungspostleitzahl", "billing postcode"),
        ("Kundenumfragedatum", ""), ("Beschr.", "description"), ("Telefonnumer", "phone"), ("adress", "address"),
        ("ord_dt", "order date"), ("cust_nm", "customer name"), ("ctry_cd", "country"), ("mfr_nm", "brand"),
        ("billing_address_1", "billing street"), ("zamówienia", "orders count"),
    ],
)  # fmt: skip
def test_a_header_means_what_it_does_in_its_language(header: str, meant: str) -> None:
    if meant:
        assert set(meant.split()) <= set(tokens(header, spoken([header]))) | {"address"}, tokens(header)


def test_what_means_several_things_is_read_in_the_language_of_the_sheet() -> None:
    german = ("Vorname", "Nachname", "Ort", "Rang")
    assert spoken(german)[0] == "de"
    assert spoken(["Imię", "Nazwisko", "Miasto"])[0] == "pl"
    # A county in Danish, an amount on a site.
    assert tokens("amt", ("da",)) == ("region",)
    assert tokens("amt") == ("total",)
    assert spoken(["xq", "zz"]) == ()


def test_what_all_names_begin_with_and_an_objects_name_say_nothing() -> None:
    fields = [Field(path=f"cust_{name}", title="") for name in ("mail", "town", "zip", "first", "last", "phone")]
    names = Names(["Customer: City", "Customer: ZIP", "Customer: E-mail", "Customer: Phone", "Customer: Name"], fields)
    assert names.score("Customer: City", fields[1]) > 0.9
    nested = [Field(path="contact.eml", title=""), Field(path="org.nm", title="")]
    assert Names(["E-Mail"], nested).score("E-Mail", nested[0]) > 0.9
    said = Field(path="f17", title="", description="E-mail address of the member.")
    assert Names(["Courriel"], [said]).score("Courriel", said) > 0.62
    formed = Field(path="f18", title="", format="email")
    assert Names(["Sähköposti"], [formed]).score("Sähköposti", formed) > 0.62


def sheet(**columns: list[str]) -> pl.DataFrame:
    rows = len(next(iter(columns.values())))
    return pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})


def kind(*fields: Field) -> RecordType:
    return RecordType(name="things", title="Things", fields=fields)


def test_what_a_column_holds_feeds_what_no_header_names() -> None:
    frame = sheet(
        xq1=[f"m{at}@quillmoss.example" for at in range(40)], xq2=[f"QB-{at:03}" for at in range(40)],
        xq3=["open", "shut"] * 20, xq4=[f"2026-01-{at % 28 + 1:02}" for at in range(40)], xq5=["bean", "rye"] * 20,
    )  # fmt: skip
    fields = (
        Field(path="kontaktpunkt", title="", format="email"), Field(path="u", title=""),
        Field(path="w", title="", enum=("open", "shut")), Field(path="v", title="", type=FieldType.DATE),
        Field(path="t", title=""),
    )  # fmt: skip
    held = {"u": frozenset(f"QB-{at:03}" for at in range(200)), "t": frozenset(("rye", "oats"))}
    fed = suggest(kind(*fields), frame, profile(frame), held=held).fields
    assert {path: one.columns for path, one in fed.items()} == {
        "kontaktpunkt": ("xq1",), "u": ("xq2",), "w": ("xq3",), "v": ("xq4",),
    }  # fmt: skip
    assert "stand in records of the site" in fed["u"].reasons[0]


def test_values_do_not_speak_where_two_can_be_meant_or_the_header_says_something_else() -> None:
    dates = [f"2026-01-{at % 28 + 1:02}" for at in range(40)]
    two = (Field(path="v", title="", type=FieldType.DATE), Field(path="w", title="", type=FieldType.DATE))
    frame = sheet(xq4=dates, xq5=dates[::-1])
    assert suggest(kind(*two), frame, profile(frame)).fields == {}
    frame = sheet(**{"Date of birth": dates, "xq": ["bean"] * 40})
    others = (Field(path="shipped_on", title="", type=FieldType.DATE), Field(path="note", title=""))
    started = (*others, Field(path="updated", title="", type=FieldType.DATE))
    assert suggest(kind(*started), frame, profile(frame)).fields == {}
    assert is_understood("Date of birth")
    assert not is_understood("xq4")


@pytest.mark.parametrize(
    ("header", "field", "steps"),
    [
        ("Weight (kg)", Field(path="weight_g", title="Weight", type=FieldType.NUMBER), ("multiply", 1000.0)),
        ("Gewicht in g", Field(path="q", title="", type=FieldType.NUMBER, description="Weight, kg"), ("divide", 1000)),
        ("Width mm", Field(path="widthCm", title="", type=FieldType.NUMBER), ("divide", 10.0)),
        ("Width mm", Field(path="width", title="", type=FieldType.NUMBER), None),
        ("Width cm", Field(path="width_cm", title="", type=FieldType.NUMBER), None),
    ],
)  # fmt: skip
def test_numbers_are_brought_into_the_unit_that_the_field_names(
    header: str, field: Field, steps: tuple[str, float] | None
) -> None:
    frame = sheet(**{header: [str(at + 1) for at in range(40)]})
    [fed] = suggest(kind(field), frame, profile(frame)).fields.values()
    found = [(step.operation, step.number) for step in fed.steps if isinstance(step, Arithmetic)]
    assert found == ([steps] if steps else [])


def number(path: str, description: str = "") -> Field:
    return Field(path=path, title="", type=FieldType.NUMBER, description=description)


@pytest.mark.parametrize(
    ("cells", "path", "expected"),
    [
        (["0.25", "1.2", "0.5", "12.75", "3.1", "0.08", "0.9", "2.2"], "weight_g", [("multiply", 1000)]),
        (["250", "1200", "500", "12750", "3100", "800", "90", "2200"], "weightKg", [("divide", 1000)]),
        (["12.5", "80.2", "3.4", "44.1", "20.5", "60.1", "9.9", "15.5"], "length_mm", [("multiply", 10)]),
        (["250", "1200", "500", "12750", "3100", "800", "90", "2200"], "weight_g", []),
        (["0.25", "1.2", "0.5", "12.75", "3.1", "0.08", "0.9", "2.2"], "weight", []),
        (["0.25", "1.2"], "weight_g", []),
    ],
)
def test_a_unit_that_no_header_names_is_told_by_how_large_the_numbers_are(
    cells: list[str], path: str, expected: list[tuple[str, float]]
) -> None:
    header = "Length" if "length" in path else "Weight"
    frame = sheet(**{header: cells})
    fed = suggest(kind(number(path)), frame, profile(frame)).fields[path]
    assert [(step.operation, step.number) for step in fed.steps if isinstance(step, Arithmetic)] == expected
    assert any("such numbers are" in reason for reason in fed.reasons) is bool(expected)


def test_a_unit_is_told_by_the_records_that_the_site_has() -> None:
    frame = sheet(Weight=[str(0.1 * at + 0.25) for at in range(20)])
    grams = {"weight": frozenset(str(90 * at + 200) for at in range(20))}
    fed = suggest(kind(number("weight")), frame, profile(frame), held=grams).fields["weight"]
    assert [step.number for step in fed.steps if isinstance(step, Arithmetic)] == [1000]
    assert "the site's own are about 1,000 times as large" in fed.reasons
    same = {"weight": frozenset(str(0.2 * at + 0.2) for at in range(20))}
    assert not suggest(kind(number("weight")), frame, profile(frame), held=same).fields["weight"].steps


BEANS = [f"{one} {other}" for one in ("runner", "broad", "dwarf", "black", "pole") for other in "abcdef"]


def test_the_two_of_a_pair_are_told_apart_by_the_rows() -> None:
    net = [f"{10 + at * 3.5:.2f}" for at in range(30)]
    gross = [f"{(10 + at * 3.5) * 1.25:.2f}" for at in range(30)]
    both = kind(number("priceNet"), number("price"), Field(path="name", title=""))
    frame = sheet(Name=BEANS, Qa=gross, Qb=net)
    fed = suggest(both, frame, profile(frame)).fields
    assert {path: one.columns for path, one in fed.items()} == {
        "priceNet": ("Qb",),
        "price": ("Qa",),
        "name": ("Name",),
    }
    assert fed["price"].reasons == ("its values are not below those of “Qb”",)
    # A third that can be it as well, and nobody can tell; nor where the rows say both.
    frame = frame.with_columns(Qc=pl.Series(net))
    assert "priceNet" not in suggest(both, frame, profile(frame)).fields
    frame = sheet(Name=BEANS, Qa=gross, Qb=gross[::-1])
    assert "priceNet" not in suggest(both, frame, profile(frame)).fields


def test_an_end_is_found_beside_a_start_and_what_headers_say_stays() -> None:
    starts = [f"2026-{at % 9 + 1:02}-03" for at in range(30)]
    ends = [f"2026-{at % 9 + 2:02}-03" for at in range(30)]
    period = (
        Field(path="valid_from", title="", type=FieldType.DATE),
        Field(path="valid_to", title="", type=FieldType.DATE),
    )
    relation = Relation(
        kind=RelationKind.IN_ORDER, parts={"first": "valid_from", "last": "valid_to"}, confidence=0.9, why=""
    )
    offers = RecordType(name="offers", title="Offers", fields=period, relations=(relation,))
    frame = sheet(**{"Valid from": starts, "Qx": ends})
    found = suggest(offers, frame, profile(frame)).fields
    assert {path: one.columns for path, one in found.items()} == {"valid_from": ("Valid from",), "valid_to": ("Qx",)}
    # The other way round than the headers say: then a check is to tell it, not a suggestion to hide it.
    frame = sheet(**{"Valid from": ends, "Valid to": starts})
    found = suggest(offers, frame, profile(frame)).fields
    assert {path: one.columns for path, one in found.items()} == {
        "valid_from": ("Valid from",),
        "valid_to": ("Valid to",),
    }
