"""Rows in several languages as one record, and back."""

from __future__ import annotations

import polars as pl
import pytest

from datorum.core.model import Field, RecordType
from datorum.core.shape.kinds import InLanguages
from datorum.core.shape.whole import shaped, undone
from datorum.core.suggest.shapes import suggest_records
from datorum.core.table import ROW
from tests.core.test_concepts import sheet

SHAPE = InLanguages(key=("Group",), lines=("Headline", "Text"), language="Language", languages="en, nb")
ROWS = sheet(
    Group=["a", "b", "a", "b", "c"], Language=["en", "EN", "nb", "nb", "en"],
    Headline=["Kale", "Rye", "Kål", "Rug", "Oats"], Text=["k", "r", "kå", "", "o"],
    State=["published", "draft", "published", "published", "draft"],
)  # fmt: skip


def test_each_language_has_its_texts_and_what_differs_besides_is_told() -> None:
    grains = shaped((SHAPE,), ROWS)
    assert grains.records.select("Group", "State", "Headline (en)", "Headline (nb)", "Text (nb)").rows() == [
        ("a", "published", "Kale", "Kål", "kå"), ("b", "draft", "Rye", "Rug", ""), ("c", "draft", "Oats", None, None),
    ]  # fmt: skip
    told = [(row[ROW], row["column"], row["rule"]) for one in grains.odd for row in one.iter_rows(named=True)]
    assert told == [(5, "State", "differs")]
    assert SHAPE.sentence() == "Rows with the same Group make one record in en, nb"


def test_a_language_that_no_field_is_for_and_one_that_stands_twice_are_told() -> None:
    rows = sheet(Group=["a", "a", "a", "a"], Language=["en", "xx", "nb", "nb"], Headline=["A", "B", "C", "D"],
                 Text=["", "", "", ""])  # fmt: skip
    grains = shaped((SHAPE,), rows)
    told = [(row[ROW], row["value"], row["rule"]) for one in grains.odd for row in one.iter_rows(named=True)]
    assert told == [(3, "xx", "no such language"), (5, "nb", "language twice")]
    assert grains.records["Headline (nb)"].to_list() == ["C"]


def test_the_rows_come_back() -> None:
    agreeing = ROWS.filter(pl.col("Headline") != "Rug")
    once = shaped((SHAPE,), agreeing)
    back = undone((SHAPE,), once).records
    assert back.select("Group", "Language", "Headline").sort("Group", "Language").rows() == [
        ("a", "en", "Kale"), ("a", "nb", "Kål"), ("b", "en", "Rye"), ("c", "en", "Oats"),
    ]  # fmt: skip
    again = shaped((SHAPE,), back).records
    assert again.select("Group", "Headline (en)", "Headline (nb)").rows() == (
        once.records.select("Group", "Headline (en)", "Headline (nb)").rows()
    )


def _texts(*paths: str) -> RecordType:
    fields = [Field(path="slug", title="Slug", unique=True)]
    fields += [Field(path=path, title=path.replace(".", " "), language=path.rpartition(".")[2]) for path in paths]
    return RecordType(name="pages", title="Pages", fields=tuple(fields))


@pytest.mark.parametrize(
    ("paths", "kinds"),
    [(("title.en", "title.nb", "body.en", "body.nb"), ["in languages"]), (("title.fr", "body.fr"), [])],
)
def test_it_is_suggested_where_records_have_their_texts_in_these_languages(
    paths: tuple[str, ...], kinds: list[str]
) -> None:
    many = [(f"g{at}", language, f"{word} {at}", f"{word} {at}. Read on.") for at in range(9)
            for language, word in (("en", "Beans"), ("nb", "Bønner"))]  # fmt: skip
    group, language, headline, text = (list(column) for column in zip(*many, strict=True))
    found = suggest_records(_texts(*paths), sheet(Group=group, Language=language, Headline=headline, Text=text)).mapping
    assert [shape.kind for shape in found.shape] == kinds
    if kinds:
        assert {path: fed.columns[0] for path, fed in found.fields.items() if path.startswith(("title", "body"))} == {
            "title.en": "Headline (en)", "title.nb": "Headline (nb)", "body.en": "Text (en)", "body.nb": "Text (nb)",
        }  # fmt: skip
