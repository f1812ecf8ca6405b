"""What speaks for a column feeding a field: letters, looks, what is left; and how far what is said can be believed."""

from __future__ import annotations

import random
import time

import polars as pl
import pytest

from bench.suggestions.apart import by_hand
from bench.suggestions.made import made_sets
from bench.suggestions.wide import measured
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.profile import ColumnProfile, profile
from datorum.core.suggest import candidates, suggest
from datorum.core.suggest.confidence import CONSTANT, weights
from datorum.core.suggest.evidence import Evidence, together
from datorum.core.suggest.looks import looks
from datorum.core.suggest.meanings import in_words, meanings
from datorum.core.suggest.names import Names
from datorum.core.table import FLAG, ROW

PEOPLE = ["Ingrid", "Åse", "Jonas", "Mette", "Henrik", "Nora", "Corfield", "Sofie"]
TOWNS = ["Bergen", "Lübeck", "Hamar", "York", "Malmö", "Ryewick", "Turku", "Brno"]


def of(values: list[str]) -> ColumnProfile:
    return profile(sheet(x=values))["x"]


def sheet(**columns: list[str]) -> pl.DataFrame:
    rows = len(next(iter(columns.values())))
    return pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})


@pytest.mark.parametrize(
    ("values", "kind"),
    [
        (PEOPLE, "first name"),
        ([f"{name} Ereholt" for name in PEOPLE], "whole name"),
        (TOWNS, "town"),
        (["Storgata 4", "12 High Street", "Ulica Lipowa 7b", "Am Hang 112", "Rue du Port, 3", "Kaivokatu 9"], "street"),
        (["Quillmoss GmbH", "Ereholt AS", "Birkholm & Sons", "Mossgaard ApS", "Ryewick Ltd", "Ackers"], "company"),
        ([f"sown in rows of {at} and kept dark" for at in range(8)], "sentences"),
        ([f"BEA-{at:03}" for at in range(8)], "code"),
        ([f"a.corfield{at}" for at in range(8)], "handle"),
        (["open", "sent", "open", "done"] * 5, "few words"),
    ],
)
def test_values_are_known_by_what_they_look_like(values: list[str], kind: str) -> None:
    assert max(looks(of(values)).items(), key=lambda one: one[1])[0] == kind


def test_numbers_dates_and_addresses_look_like_nothing_else() -> None:
    for values in (["1.5", "2.25", "3"], ["2026-01-02", "2026-03-04"], ["a@quillmoss.example", "b@quillmoss.example"]):
        assert looks(of(values)) == {}


def test_a_word_that_is_in_no_file_is_like_those_that_it_is_made_of() -> None:
    letters = meanings()
    [said] = letters.of([in_words("Telefooninummer")])
    assert letters.concepts[int(said.argmax())] == ("phone",)
    assert in_words("qtyOnHand") == "quantity on hand"
    alike = letters.spelled_alike(["mbiemri"], ["mbiemri", "emri", "qyteti"])[0]
    assert alike[0] == pytest.approx(1)
    assert alike[0] > alike[1] > alike[2]


def test_every_part_of_the_evidence_has_its_weight_and_no_other_has() -> None:
    fields = [Field(path="name", title="")]
    seen = Evidence(fields, {"Name": of(PEOPLE)}, Names(["Name"], fields))
    alone = seen.alone()
    assert {*alone, CONSTANT} == set(weights().alone)
    assert {*together(alone["name"], seen), CONSTANT} == set(weights().together)


def test_what_is_left_is_placed_once_enough_is_sure_and_held_back_before() -> None:
    known = {"first_name": "First name", "last_name": "Surname", "email": "E-mail", "city": "City", "phone": "Phone"}
    cells = {
        "First name": PEOPLE, "Surname": ["Ereholt", "Birkholm", "Mossgaard", "Ryewick"] * 2,
        "E-mail": [f"n{at}@quillmoss.example" for at in range(8)], "City": TOWNS,
        "Phone": [f"+47 22 33 44 {at:02}" for at in range(8)],
    }  # fmt: skip
    fields = [Field(path=path, title="", format="email" if path == "email" else None) for path in known]
    fields.insert(3, Field(path="joined", title="", type=FieldType.DATE))
    cells = dict(list(cells.items())[:3]) | {"Zzyq": [f"2026-01-0{at + 1}" for at in range(8)]} | cells
    frame = sheet(**cells)
    whole = RecordType(name="customers", title="Customers", fields=tuple(fields))
    fed = suggest(whole, frame, profile(frame)).fields
    assert fed["joined"].columns == ("Zzyq",)
    assert "the same name" not in fed["joined"].reasons
    alone = RecordType(name="customers", title="Customers", fields=(Field(path="colour", title=""), *fields[:1]))
    frame = sheet(**{"First name": PEOPLE, "Zzyq": TOWNS})
    assert set(suggest(alone, frame, profile(frame)).fields) == {"first_name"}


def test_what_both_sides_say_plainly_is_not_made_another_by_what_is_left() -> None:
    fields = (Field(path="sum_total", title="", type=FieldType.NUMBER), Field(path="order_no", title=""))
    frame = sheet(IVA=["1.50", "2.25", "3.75"] * 4, **{"Order no": [f"Q{at}" for at in range(12)]})
    fed = suggest(RecordType(name="orders", title="Orders", fields=fields), frame, profile(frame)).fields
    assert "sum_total" not in fed


def test_where_nothing_is_fed_the_likeliest_are_offered_with_reasons() -> None:
    fields = (Field(path="net_price", title="", type=FieldType.NUMBER), Field(path="note", title=""))
    frame = sheet(Xa=["1.50", "2.25"] * 5, Xb=["1.10", "2.05"] * 5, Xc=["3.10", "9.05"] * 5)
    kind = RecordType(name="products", title="Products", fields=fields)
    assert suggest(kind, frame, profile(frame)).fields == {}
    offered = candidates(kind, "net_price", profile(frame))
    assert len(offered) == 3
    assert all(one.reasons and one.score < 0.62 for one in offered)


def test_a_step_is_tried_on_the_values_before_it_is_suggested() -> None:
    field = Field(path="number", title="", type=FieldType.INTEGER)
    kind = RecordType(name="customers", title="Customers", fields=(field,))
    frame = sheet(Number=[f"Q-{at}" for at in range(8)])
    assert [step.kind for step in suggest(kind, frame, profile(frame)).fields["number"].steps] == ["take_digits"]
    # Rows that are otherwise than what their profile was made of.
    other = sheet(Number=[*TOWNS])
    assert suggest(kind, other, profile(frame)).fields["number"].steps == ()


def test_of_what_is_said_with_nine_tenths_nine_in_ten_are_right() -> None:
    chance = random.Random(7)
    sets = chance.sample([one for one in made_sets() if not one.unseen], 60)
    result = measured(sets)
    assert result.calibration_error() <= 0.05
    assert result.whole.hits >= 0.97 * result.whole.suggested
    assert result.whole.hits >= 0.95 * result.whole.right


def test_sheets_in_languages_that_are_in_no_file_are_placed_by_the_rest_of_what_they_say() -> None:
    hits = right = wrong = 0
    for one in by_hand()["languages that are in no file"]:
        fed = suggest(one.kind, one.frame, profile(one.frame)).fields
        said = {(name, path) for path, feed in fed.items() for name in feed.columns}
        hits, right, wrong = hits + len(said & one.right), right + len(one.right), wrong + len(said - one.right)
    assert wrong <= 1
    assert hits >= 0.6 * right


def test_long_texts_are_looked_at_in_no_time() -> None:
    value = "x".join("Moss is said to like shade 3" for _ in range(400)) + "!"
    profiled = of([f"{value}{number}" for number in range(40)])
    began = time.perf_counter()
    looks(profiled)
    assert time.perf_counter() - began < 2
