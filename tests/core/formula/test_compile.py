"""The compiler says what the interpreter says, on every row."""

from __future__ import annotations

import datetime as dt

import polars as pl
from hypothesis import given, settings
from hypothesis import strategies as st

from datorum.core.formula import FormulaFault, Scope, evaluate, formula_column, parse
from datorum.core.formula.compile import landed

Cell = str | None
CELLS = st.one_of(
    st.none(),
    st.sampled_from(["", " ", "0", "12", "-3.5", "1,234", "5%", "2024-03-05", "TRUE", "x", "Σ", "ß", "ĳ", "1e3", "-0"]),
    st.text(alphabet="abcÆøΣßıİ1290.,- \t\u00a0'", max_size=12),
    st.text(max_size=4),
)  # fmt: skip


def _calls(inner: st.SearchStrategy[str]) -> st.SearchStrategy[str]:
    one = st.sampled_from("TRIM COLLAPSE LOWER UPPER PROPER SENTENCECASE LEN VALUE ABS INT NOT ISBLANK ROUND".split())
    two = st.sampled_from(["AND", "OR", "DEFAULT", "CONCATENATE", "IFERROR"])
    old, new = st.sampled_from(["a", " ", "12"]), st.sampled_from(["", "$1"])
    operator = st.sampled_from(["+", "-", "*", "/", "&", "=", "<>", "<", ">=", "^"])
    return st.one_of(
        st.builds("{}({})".format, one, inner),
        st.builds("({}{}{})".format, inner, operator, inner),
        st.builds("IF({};{};{})".format, inner, inner, inner),
        st.builds("{}({};{})".format, two, inner, inner),
        st.builds("{}({};{})".format, st.sampled_from(["LEFT", "RIGHT", "ROUND"]), inner, st.integers(0, 4)),
        st.builds("MID({};{};{})".format, inner, st.integers(1, 4), st.integers(0, 4)),
        st.builds('SUBSTITUTE({};"{}";"{}")'.format, inner, old, new),
        st.builds("-{}".format, inner),
    )


FORMULAS = st.recursive(
    st.one_of(
        st.sampled_from(["[A]", "[B]", "[A]", "TRUE()", '""', '"x"', '"12"']),
        st.integers(-20, 2000).map(str),
        st.floats(0, 1e6).map(lambda number: f"{number:.4f}"),
    ),
    _calls,
    max_leaves=6,
)
NOW = dt.datetime(2026, 11, 23)


@settings(max_examples=400)
@given(FORMULAS, st.lists(st.tuples(CELLS, CELLS), min_size=1, max_size=6))
def test_the_compiler_says_what_the_interpreter_says(formula: str, rows: list[tuple[Cell, Cell]]) -> None:
    frame = pl.DataFrame(rows, schema={"A": pl.String, "B": pl.String}, orient="row")
    node = parse(formula)
    found = formula_column(frame, node, Scope(now=NOW))
    for at, (a, b) in enumerate(rows):
        try:
            meant, fault = landed(evaluate(node, Scope(cells={"A": a, "B": b}, now=NOW))), None
        except FormulaFault as caught:
            meant, fault = None, f"{caught.code} {caught.message}"
        assert (found.values[at], found.faults[at]) == (meant, fault), (formula, a, b)


def test_a_missing_column_is_an_error_in_every_row() -> None:
    found = formula_column(pl.DataFrame({"A": ["1", "2"]}), parse("=[B]"), Scope())
    assert found.values.to_list() == [None, None]
    assert found.faults.to_list() == ["#REF! there is no column [B]"] * 2


def test_the_row_number_is_that_of_the_row() -> None:
    frame = pl.DataFrame({"\0row": [2, 5], "A": ["x", "x"]})
    assert formula_column(frame, parse("=ROWNUMBER()"), Scope()).values.to_list() == ["2", "5"]
