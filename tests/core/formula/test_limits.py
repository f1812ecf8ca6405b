"""No formula takes longer, or more memory, than what it does is worth."""

from __future__ import annotations

import datetime as dt
import time

import polars as pl
import pytest

from datorum.core.check import check
from datorum.core.formula import FormulaFault, Scope, formula_column, interpret, parse
from datorum.core.formula.budget import Budget
from datorum.core.formula.functions.text import LONGEST
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType
from datorum.core.table import FLAG, ROW

LONG = "a" * LONGEST


@pytest.mark.parametrize(
    ("formula", "says"),
    [
        ('=SUBSTITUTE([x];"a";[x])', "grows beyond"),
        ('=SUBSTITUTE(SUBSTITUTE([x];"a";"bbbbbbbbbb");"b";[x])', "grows beyond"),
        ('=REPLACEPATTERN([x];"a";[x])', "grows beyond"),
        ('=REPLACEPATTERN([x];"(.*)";"$1$1$1$1")', "grows beyond"),
        ("=TEXTJOIN([x];FALSE();[x];[x])", "grows beyond"),
        ("=CONCAT([x];[x])", "grows beyond"),
        ('=REPT("ab";1E9)', "grows beyond"),
        ('=TEXT("x";REPT("@";900))&TEXT([x];REPT("@";900))', "grows too long"),
        ("=COMBIN(1E15;5E14)", "out of range"),
        ("=COMBIN(1E9;5E8)", "out of range"),
        ("=PERMUT(1E12;1E11)", "out of range"),
        ('=SEARCH("a*a*a*a*a*a*b";[x])', "does not stand"),
        ('=SEARCH("?????????????????????????b";[x])', "does not stand"),
        ('=SEARCH(REPT("?";300);[x])', "255 characters"),
        ('=IF(MATCHES([x];"(a+)+$x");1;NA())', "no value is available"),
        ("=CLEANHTML([deep])", "nested too deep"),
        ("=STRIPTAGS([wide])", "nested too deep"),
        ("=CLEANHTML([formatted])", "nested too deep"),
        ('=VALUE("1 " & REPT("1";5000) & "/3")', "is not a number"),
        ('=VALUE(REPT("1";5000) & ":10")', "is not a number"),
    ],
)
def test_what_would_grow_or_never_end_is_refused_at_once(formula: str, says: str) -> None:
    cells = {
        "x": LONG, "deep": "<b>" * 20_000, "wide": "<div>" * 100_000, "formatted": "<b id=1><i>" * 90 + "<p>" * 200_000,
    }  # fmt: skip
    began = time.perf_counter()
    with pytest.raises(FormulaFault) as caught:
        interpret(formula, Scope(cells=cells))
    assert time.perf_counter() - began < 2
    assert says in caught.value.message


def test_a_formula_that_does_too_much_for_one_row_is_an_error_of_that_row() -> None:
    much = "&".join(["LEFT(UPPER([x]);1)"] * 120)
    began = time.perf_counter()
    with pytest.raises(FormulaFault, match="too long") as caught:
        interpret(f"={much}", Scope(cells={"x": LONG}))
    assert caught.value.code == "#VALUE!"
    assert time.perf_counter() - began < 5
    assert interpret(f"={much}", Scope(cells={"x": "a"})) == "A" * 120


def test_all_rows_share_what_a_look_may_take_and_the_rest_are_told() -> None:
    frame = pl.DataFrame({"x": [f"{number}" for number in range(1_000)]})
    found = formula_column(frame, parse("=SLUG([x])"), Scope(budget=Budget(1_000)))
    assert 0 < found.values.null_count() < 1_000
    assert found.faults.null_count() + found.values.null_count() == 1_000
    assert "too long" in found.faults.drop_nulls()[0]


def test_a_long_sum_is_worked_out_and_a_longer_one_refused_with_a_sentence() -> None:
    assert interpret("=" + "+".join(["1"] * 450), Scope()) == 450
    frame = pl.DataFrame({"x": ["2", None]})
    assert formula_column(frame, parse("=" + "+".join(["[x]"] * 450)), Scope()).values.to_list() == ["900", "0"]
    with pytest.raises(FormulaFault, match="more than 1,000 parts"):
        parse("=" + "+".join(["1"] * 10_000))


@pytest.mark.parametrize("inside", ["(", "-", "ABS(", "1+("])
def test_a_deep_formula_is_refused_with_a_sentence(inside: str) -> None:
    with pytest.raises(FormulaFault, match="deep"):
        parse("=" + inside * 400 + "1" + ")" * (400 if "(" in inside else 0))


def test_numbers_too_great_for_any_site_are_held() -> None:
    kind = RecordType(
        name="a", title="A",
        fields=(Field(path="n", title="N", type=FieldType.INTEGER), Field(path="f", title="F", type=FieldType.NUMBER)),
    )  # fmt: skip
    mapping = Mapping(fields={"n": FieldMapping(columns=("n",)), "f": FieldMapping(columns=("f",))})
    frame = pl.DataFrame(
        {ROW: [2, 3], FLAG: [None, None], "n": ["9" * 5_000_000, "9" * 30], "f": ["1e999", "1e99"]},
        schema_overrides={FLAG: pl.String},
    )
    found = check(frame, kind, mapping, dt.date(2026, 11, 25)).findings
    assert sorted(found.select("row", "field", "rule").iter_rows()) == [(2, "f", "type"), (2, "n", "type")]
