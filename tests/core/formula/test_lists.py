"""Formulas over what a record holds several of."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest

from datorum.core.check import as_findings, check
from datorum.core.formula import Scope, formula_column, gathered_in, parse
from datorum.core.model import FieldMapping, FormulaRule, Mapping
from datorum.core.shape.kinds import RowsTogether
from datorum.core.steps import Formula
from datorum.core.table import FLAG, ROW
from tests.core.schemas import kind_of

FRAME = pl.DataFrame(
    {
        "Discount": ["1", None, "0"],
        "lines.Qty": [["2", "1"], ["3"], []],
        "lines.Price": [["10", "2.5"], ["4"], []],
        "lines.Name": [["Moss", None], ["Fern"], []],
    },
    schema={"Discount": pl.String, **dict.fromkeys(("lines.Qty", "lines.Price", "lines.Name"), pl.List(pl.String))},
)


@pytest.mark.parametrize(
    ("formula", "values"),
    [
        ("SUM([lines.Qty]*[lines.Price])", ["22.5", "12", "0"]),
        ("SUM([lines.Qty]*[lines.Price])-[Discount]", ["21.5", "12", "0"]),
        ("SUM([lines.Price]-[Discount])", ["10.5", "4", "0"]),
        ("SUM(IF([lines.Qty]>1;[lines.Price];0))", ["10", "4", "0"]),
        ("COUNT([lines.Qty])", ["2", "1", "0"]),
        ("COUNTA([lines.Name])", ["1", "1", "0"]),
        ("MAX([lines.Price])", ["10", "4", "0"]),
        ("MIN([lines.Price];3)", ["2.5", "3", "3"]),
        ('TEXTJOIN(", ";TRUE();[lines.Name])', ["Moss", "Fern", None]),
        ("FIRST([lines.Price])", ["10", "4", None]),
        ("LAST([lines.Price])", ["2.5", "4", None]),
        ("[lines.Qty]", ["2", "3", None]),
        ('IF(COUNT([lines.Qty])=0;"none";"some")', ["some", "some", "none"]),
    ],
)
def test_a_formula_of_a_record_gathers_its_lines(formula: str, values: list[str | None]) -> None:
    assert formula_column(FRAME, parse(formula), Scope()).values.to_list() == values


def test_a_line_that_is_no_number_is_told_of_its_record_alone() -> None:
    frame = FRAME.with_columns(pl.Series("lines.Qty", [["two", "1"], ["3"], []]))
    found = formula_column(frame, parse("SUM([lines.Qty]*[lines.Price])"), Scope())
    assert found.values.to_list() == [None, "12", "0"]
    assert [fault is not None for fault in found.faults] == [True, False, False]


def test_what_is_gathered_is_told_by_the_functions_around_it() -> None:
    assert gathered_in(parse("SUM([a]*[b])<=[total]+[a]")) == {"b"}


def test_steps_and_rules_of_records_see_their_lines_and_those_of_lines_their_record() -> None:
    amount = {"type": "number"}
    lines = {"type": "array", "items": {"properties": {"quantity": amount, "note": {"type": "string"}}}}
    kind = kind_of({"properties": {"number": {"type": "string"}, "pieces": amount, "lines": lines}})
    rule = FormulaRule(number=1, formula="=SUM([lines.quantity])<5", sentence="is too much for one parcel")
    kind = kind.model_copy(update={"rules": (rule,)})
    cells = {"no": ["1", "1", "2"], "qty": ["2", "1", "6"]}
    frame = pl.DataFrame({ROW: [2, 3, 4], FLAG: pl.Series([None] * 3, dtype=pl.String), **cells})
    mapping = Mapping(
        fields={
            "number": FieldMapping(columns=("no",)),
            "pieces": FieldMapping(columns=("no",), steps=(Formula(text="=SUM([lines.qty])"),)),
            "lines.quantity": FieldMapping(columns=("qty",)),
            "lines.note": FieldMapping(columns=("qty",), steps=(Formula(text='=[no]&": "&[qty]'),)),
        },
        shape=(RowsTogether(key=("no",), lines=("qty",), into="lines"),),
        match_key="number",
    )
    checked = check(frame, kind, mapping, dt.date(2026, 11, 23))
    assert checked.landed["pieces"].values.to_list() == ["3", "6"]
    assert checked.landed["lines.note"].values.to_list() == ["1: 2", "1: 1", "2: 6"]
    assert [(one.record, one.rule) for one in as_findings(checked.findings)] == [(4, "rule 1")]
