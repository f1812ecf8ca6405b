"""Patterns of people and documents: what they find, and that none can hang."""

from __future__ import annotations

import re
import time

import polars as pl
import pytest

from datorum.core.check.rules import RULES
from datorum.core.model import Field
from datorum.core.patterns import UnusablePattern, pattern
from datorum.core.typed import typed

PASSWORDS = [
    "short1A",
    "long enough but no figure",
    "LONG ENOUGH 1",
    "Long enough 1",
    "Long enough 1!",
    "",
    "12345678aA",
]


@pytest.mark.parametrize(
    "text",
    [
        r"^(?=.*\d)(?=.*[a-z])(?=.*[A-Z]).{8,}$",
        r"^(?!.*!).+$",
        r"^(?=[^)]*\))x",
        r"^(?!(?:short|long)\b).*",
        r"^[A-Za-z ]+$",
        r"(?<=ng )[e1]",
        r"Long(?= enough 1$)",
        r"\(?(?=x)",
        r"\d",
    ],
)
def test_look_aheads_behind_the_start_mean_what_they_mean_elsewhere(text: str) -> None:
    values = [*PASSWORDS, "x)", "xy", "short a"]
    assert pattern(text).found_in(pl.Series(values)).to_list() == [bool(re.search(text, value)) for value in values]


def test_null_is_neither() -> None:
    assert pattern(r"^(?=a)").found_in(pl.Series([None, "a"], dtype=pl.String)).to_list() == [None, True]


@pytest.mark.parametrize("text", ["(", r"(a)\1", "^(?=a", "(" * 3000 + ")" * 3000, "((a{1,1000}){1,1000}){9}"])
def test_what_cannot_be_worked_out_in_bounded_time_is_said(text: str) -> None:
    with pytest.raises(UnusablePattern):
        pattern(text)


@pytest.mark.parametrize(
    "text", [r"^(a+)+$", r"^(a|a)*$", r"^(?=(a+)+$)", r"(.*.*.*.*)*x", r"^(([a-z])+.)+[A-Z]([a-z])+$"]
)
def test_a_pattern_of_a_document_takes_no_longer_for_long_values(text: str) -> None:
    rule = next(rule for rule in RULES if rule.name == "pattern")
    began = time.perf_counter()
    field = Field(path="x", title="X", pattern=text)
    broken = rule.breaks(field, typed(field, pl.Series(["a" * 100_000 + "!"])))
    assert time.perf_counter() - began < 2
    assert len(broken) == 1


def test_a_schema_with_a_pattern_takes_no_longer_for_long_values() -> None:
    rule = next(rule for rule in RULES if rule.name == "site's rule")
    field = Field(path="x", title="X", other_keywords={"anyOf": [{"pattern": "^(a+)+$"}, {"pattern": "^(b+)+$"}]})
    began = time.perf_counter()
    assert rule.breaks(field, typed(field, pl.Series(["a" * 50_000 + "!", "aaa"]))).to_list() == [True, False]
    assert time.perf_counter() - began < 2


def test_a_pattern_that_cannot_be_used_holds_nothing() -> None:
    rule = next(rule for rule in RULES if rule.name == "pattern")
    field = Field(path="x", title="X", pattern=r"a(?=b)c")
    assert rule.breaks(field, typed(field, pl.Series(["c"]))).to_list() == [False]
