"""What a site refuses is told as the simplest rule that it breaks, and that nothing breaks which the site took."""

from __future__ import annotations

import polars as pl
import pytest

from datorum.core.formula import Scope, formula_column, parse
from datorum.core.model import Field, FieldType
from datorum.core.refusal import rule_for, words_of

POSTCODE = Field(path="address.postcode", title="Postcode")
AMOUNT = Field(path="amount", title="Amount", type=FieldType.NUMBER)


@pytest.mark.parametrize(
    ("field", "said", "refused", "taken", "sentence"),
    [
        (POSTCODE, "postcode must be 4 digits", ["12A4", "123"], ["0150", "5003"], "is not of 4 digits"),
        (POSTCODE, "postcode must be 5 digits", ["D-00X"], [], "is not of 5 digits"),
        (POSTCODE, "“0815” is no 5-digit code (line1, D-00X, 123)", ["123"], [], "is not of 5 digits"),
        (
            POSTCODE,
            "no letters",
            ["AB12", "9x"],
            ["0150", "12-3"],
            "has a letter in it, and the site refuses that",
        ),
        (POSTCODE, "too long", ["123456", "1234567"], ["0150", "12"], "is longer than 4 characters"),
        (POSTCODE, "12 at most", ["1234567890123"], ["123456789012", "1"], "is longer than 12 characters"),
        (POSTCODE, "not allowed", ["XX", "YY"], ["AA", "BB"], "is a value that the site refuses"),
        (POSTCODE, "is required", [None, None], ["0150"], "is blank, and the site refuses that"),
        (AMOUNT, "must be 100 or less", ["101", "250.5"], ["99.5", "100", "3"], "is more than 100"),
        (AMOUNT, "too small", ["1", "2"], ["5", "900"], "is less than 5"),
    ],
)
def test_the_rule(field: Field, said: str, refused: list[str | None], taken: list[str | None], sentence: str) -> None:
    rule = rule_for(field, said, refused, taken)
    assert rule is not None
    assert rule.sentence == sentence
    frame = pl.DataFrame({field.path: [*refused, *taken]}, schema={field.path: pl.String})
    told = formula_column(frame, parse(rule.formula), Scope())
    assert told.faults.null_count() == len(frame)
    assert told.values.to_list() == ["false"] * len(refused) + ["true"] * len(taken)


@pytest.mark.parametrize(
    ("message", "words"),
    [("422: postcode must be 4 digits", "postcode must be 4 digits"), ("422", ""), ("4227 is taken", "4227 is taken")],
)
def test_the_status_is_none_of_the_sites_words(message: str, words: str) -> None:
    assert words_of(message) == words


@pytest.mark.parametrize(
    ("refused", "taken"),
    [
        (["A", "B"], ["A"]),
        ([], ["A"]),
        ([None], [None, "A"]),
        ([None, "x"], ["y"]),
        ([str(number) for number in range(60)], [str(number) for number in range(5, 95, 10)]),
    ],
)
def test_where_nothing_tells_them_apart_there_is_none(refused: list[str | None], taken: list[str | None]) -> None:
    assert rule_for(POSTCODE, "no", refused, taken) is None
