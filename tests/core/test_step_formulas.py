"""Every step has a formula that is the same: what it does to a column is what the interpreter makes of each value."""

from __future__ import annotations

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from datorum.core.formula import FormulaFault, Scope, interpret
from datorum.core.formula.compile import landed
from datorum.core.model import FieldMapping
from datorum.core.steps import AnyStep, Join, RowStep, Step
from datorum.core.steps.landing import blank_to_null, formula_of, land

_READ: TypeAdapter[Step] = TypeAdapter(AnyStep)
_SIGNS = ("add", "subtract", "multiply", "divide", "round")
STEPS: list[Step] = [
    _READ.validate_python(told)
    for told in (
        {"kind": "trim"},
        *({"kind": "case", "to": to} for to in ("lower", "upper", "proper", "sentence")),
        {"kind": "replace", "find": "a", "by": "$1"},
        {"kind": "replace", "find": "[0-9]+", "by": "#", "pattern": True},
        {"kind": "blank_when", "words": ["n/a", "-", "a b"]},
        {"kind": "read_date", "pattern": "D/M/YYYY"},
        {"kind": "read_date", "pattern": "D.M.YYYY H:MM", "zone": "Europe/Oslo"},
        {"kind": "read_date", "pattern": "D MMM YY"},
        {"kind": "read_date", "pattern": "seconds since 1970"},
        {"kind": "read_date", "pattern": "days and time since 1899-12-30", "zone": "Europe/Oslo"},
        {"kind": "swap_parts", "separator": ","},
        {"kind": "take_digits"},
        {"kind": "write_date", "pattern": "D.M.YYYY"},
        {"kind": "read_number", "decimal": "."},
        {"kind": "read_number", "decimal": ","},
        {"kind": "read_yes_no"},
        *({"kind": "take_part", "part": part} for part in ("first", "last", "all but first", "all but last")),
        {"kind": "split_list", "separator": ","},
        {"kind": "affix", "before": '"<', "behind": ">"},
        *({"kind": "arithmetic", "operation": sign, "number": 2} for sign in _SIGNS),
        {"kind": "default", "value": "none"},
        {"kind": "to_code", "of": "country"},
        {"kind": "to_code", "of": "language"},
        {"kind": "to_code", "of": "currency"},
        {"kind": "phone", "country": "NO"},
        {"kind": "shortcodes", "out": "advert"},
        {"kind": "slug", "language": "de"},
        {"kind": "html", "to": "clean"},
        {"kind": "html", "to": "text"},
        {"kind": "absolute_url", "base": "https://shop.example/a/"},
    )
]  # fmt: skip
TEXTS = st.one_of(
    st.none(),
    st.sampled_from(
        [
            "31/12/2020", "3/2/2021 ", "30/2/2021", "31.3.2024 2:30", "27.10.2024 2:30", "3 feb 19", "2024-03-05",
            "kr 1 204,50", "1,204.50 NOK", "1.204", "-5", "−5,00", "12,-", "1.2.3", "ja", "NO", "Norge", "de", "€",
            "22334455", "+47 22 33 44 55", "<p>a <b>b</b></p>", "&amp;", "b/c", "http://[", "a,b,,c", " , ",
            "Ada  Berg", "n/a", "N/A ", "A  B", "x\ny", "\t",
        ]
    ),
    st.text(alphabet="aBø1 ,.-/:<>&'\u00a0", max_size=10),
)  # fmt: skip


@settings(max_examples=60)
@given(st.lists(TEXTS, min_size=1, max_size=8))
@pytest.mark.parametrize("step", STEPS, ids=lambda step: step.sentence()[:40])
def test_a_step_does_what_its_formula_says(step: Step, texts: list[str | None]) -> None:
    values = blank_to_null(pl.Series("x", texts, dtype=pl.String))
    found = step.apply(values)
    for at, text in enumerate(values):
        try:
            meant, fails = landed(interpret(f"={step.formula('[x]')}", Scope(cells={"x": text}))), False
        except FormulaFault:
            meant, fails = None, text is not None
        value = blank_to_null(found.values)[at]
        assert found.failed[at] == fails, (text, meant, value)
        if not fails:
            assert value == (meant if meant and meant.strip() else None), text


def _land(frame: pl.DataFrame, **mapping: object) -> list[str | None]:
    return land(frame, FieldMapping.model_validate(mapping)).values.to_list()


def test_a_free_formula_sees_the_row_and_the_value_so_far() -> None:
    frame = pl.DataFrame({"a": ["x", "y", None], "b": ["1", "2", "3"]})
    steps = [{"kind": "case", "to": "upper"}, {"kind": "formula", "text": '=THIS()&"-"&[b]'}]
    assert _land(frame, columns=["a"], steps=steps) == ["X-1", "Y-2", "-3"]


def test_when_a_condition_holds_the_value_is_another() -> None:
    frame = pl.DataFrame({"a": ["x", "y"], "b": ["5", "50"]})
    steps = [{"kind": "when", "condition": "=[b]>10", "then": '="many"'}]
    assert _land(frame, columns=["a"], steps=steps) == ["x", "many"]


def test_a_value_is_looked_up_in_a_named_table() -> None:
    frame = pl.DataFrame({"a": ["x", "y", None]})
    scope = Scope(tables={"codes": {"x": "10"}})
    for otherwise, values, failed in (
        ("hold", ["10", None, None], [0, 1, 0]),
        ("keep", ["10", "y", None], [0, 0, 0]),
        ("blank", ["10", None, None], [0, 0, 0]),
    ):
        step = {"kind": "lookup", "table": "codes", "otherwise": otherwise}
        found = land(frame, FieldMapping.model_validate({"columns": ["a"], "steps": [step]}), scope)
        assert (found.values.to_list(), found.failed.to_list()) == (values, failed)


def test_a_value_table_says_what_becomes_of_anything_else() -> None:
    frame = pl.DataFrame({"a": ["x", "y", None]})
    for otherwise, values in (
        ({"otherwise": "keep"}, ["10", "y", None]),
        ({"otherwise": "blank"}, ["10", None, None]),
        ({"otherwise": "set", "other": "0"}, ["10", "0", None]),
    ):
        mapping = {"columns": ["a"], "value_table": {"pairs": {"x": "10"}, **otherwise}}
        found = land(frame, FieldMapping.model_validate(mapping))
        assert (found.values.to_list(), found.failed.to_list()) == (values, [0, 0, 0])


def test_a_formula_that_fails_says_why_and_holds_the_row() -> None:
    frame = pl.DataFrame({"a": ["1", "0"]})
    mapping = FieldMapping.model_validate({"columns": ["a"], "steps": [{"kind": "formula", "text": "=1/[a]"}]})
    found = land(frame, mapping)
    assert (found.values.to_list(), found.failed.to_list()) == (["1", None], [0, 1])


def test_a_formula_that_does_not_read_is_refused_with_its_place() -> None:
    with pytest.raises(ValidationError, match="at character 7"):
        FieldMapping.model_validate({"columns": ["a"], "steps": [{"kind": "formula", "text": "=LEFT([a"}]})


def test_the_steps_of_a_field_are_one_formula_that_is_the_same() -> None:
    frame = pl.DataFrame({"First": [" ada ", None, "bo"], "Last": ["BERG", "lie", " "]})
    steps = [{"kind": "trim"}, {"kind": "case", "to": "proper"}, {"kind": "join", "separator": ", "}]
    mapping = FieldMapping.model_validate({"columns": ["First", "Last"], "steps": steps})
    formula = formula_of(mapping)
    assert formula == '=TEXTJOIN(", ";TRUE();PROPER(COLLAPSE([First]));PROPER(COLLAPSE([Last])))'
    meant = [interpret(formula, Scope(cells=row)) for row in frame.to_dicts()]
    assert land(frame, mapping).values.to_list() == meant


def test_every_step_has_a_sentence_and_a_formula() -> None:
    kinds = {step.kind for step in STEPS}  # type: ignore[attr-defined]
    assert kinds | {"join", "formula", "when", "lookup", "phone_by_country", "unusable"} == set(_kinds())
    assert all(step.sentence() for step in STEPS)
    assert issubclass(Join, Step)
    assert not issubclass(Join, RowStep)


def _kinds() -> list[str]:
    schema = _READ.json_schema()
    return list(schema["discriminator"]["mapping"])


def test_a_free_formula_stands_in_the_one_formula_with_the_value_so_far() -> None:
    steps = [{"kind": "case", "to": "upper"}, {"kind": "formula", "text": '=this( )&"THIS()"&[THIS()]'}]
    mapping = FieldMapping.model_validate({"columns": ["a"], "steps": steps})
    assert formula_of(mapping) == '=(UPPER([a])&"THIS()"&[THIS()])'
