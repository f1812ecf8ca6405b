"""What formulas come to, by the standard's own rules."""

from __future__ import annotations

import datetime as dt
import json
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.formula import FUNCTIONS, FormulaFault, Scope, Value, interpret

ROW: dict[str, Value] = {
    "Surname": " berg ", "Price": "12.50", "Blank": "", "Count": "3", "a]b": "odd", "When": "31/01/2024 14:30",
    "Number": 7.0, "Yes": True,
}  # fmt: skip
SCOPE = Scope(
    cells=ROW, row=12, now=dt.datetime(2026, 11, 23, 9, 30), person="ada", parameters={"shop": "old"},
    tables={"Tiers": {"gold": "premium"}},
)  # fmt: skip
EXAMPLES = [
    line.split("  →  ")
    for line in Path(__file__).with_name("examples.txt").read_text().splitlines()
    if line.startswith(("=", "of", "1", " ")) and "  →  " in line
]


def of(formula: str) -> Value:
    return interpret(formula, SCOPE)


def answer_to(formula: str) -> Value | FormulaFault:
    try:
        return of(formula)
    except FormulaFault as found:
        return found


def fault(formula: str) -> FormulaFault:
    with pytest.raises(FormulaFault) as caught:
        of(formula)
    return caught.value


@pytest.mark.parametrize(("formula", "answer"), EXAMPLES)
def test_a_formula_comes_to_its_value_or_to_its_error_at_its_place(formula: str, answer: str) -> None:
    if answer.startswith("#"):
        found = fault(formula)
        assert f"{found.code} {found.at}" == answer
        assert found.message
        return
    meant = json.loads(answer)
    value = of(formula)
    assert type(value) is (float if type(meant) is int else type(meant))
    assert value == (pytest.approx(meant, rel=1e-14) if isinstance(value, float) else meant)


def test_a_formula_that_is_nested_too_deep_is_refused() -> None:
    for formula in ("=" + "(" * 500 + "1" + ")" * 500, "=" + "-" * 500 + "1"):
        assert fault(formula).code == "#SYNTAX!"


def test_a_near_name_is_offered() -> None:
    assert "PROPER is near" in fault("=PROPR([Surname])").message
    assert "[Surname] is near" in fault("=[Surnam]").message


def test_every_function_has_a_sentence_and_the_standard_ones_are_many() -> None:
    assert all(one.summary.endswith(".") for one in FUNCTIONS.values())
    assert sum(not one.extension for one in FUNCTIONS.values()) >= 90


@given(st.text(alphabet="=+-*/^&<>%()[];,.\"#ABIF019 '{}é\n", max_size=60))
def test_any_text_is_a_formula_or_a_fault_with_a_place_in_it(text: str) -> None:
    found = answer_to(text)
    assert not isinstance(found, FormulaFault) or found.at in range(len(text) + 1)


_ANY = st.one_of(
    st.sampled_from(["[Surname]", "[Price]", "[Blank]", "[When]", "TRUE()", '""', "-1", "0", "1E+300", "NA()"]),
    st.integers(-400, 3_000_000).map(str),
    st.text(alphabet="ab1,.:-/ %<>&ÆΣ", max_size=8).map(lambda text: f'"{text}"'),
)


@given(st.sampled_from(sorted(FUNCTIONS)), st.lists(_ANY, max_size=4))
def test_no_argument_makes_a_function_fall_over(name: str, arguments: list[str]) -> None:
    found = answer_to(f"={name}({';'.join(arguments)})")
    assert not isinstance(found, FormulaFault) or found.code.startswith("#")


@given(st.dates(dt.date(1950, 1, 1), dt.date(2100, 1, 1)), st.integers(-60, 60))
def test_days_of_work_are_counted_one_after_the_other(start: dt.date, count: int) -> None:
    """WORKDAY counts as one would on a calendar, and NETWORKDAYS counts them back."""
    step = dt.timedelta(days=1 if count > 0 else -1)
    day, left = start, abs(count)
    while left:
        day += step
        left -= day.weekday() < 5
    first, last = f"DATE({start.year};{start.month};{start.day})", f"DATE({day.year};{day.month};{day.day})"
    assert of(f"=WORKDAY({first};{count})={last}") is True
    if count:
        starts_at_work = 1 if start.weekday() < 5 else 0
        assert of(f"=ABS(NETWORKDAYS({first};{last}))") == abs(count) + starts_at_work


def test_every_function_has_an_example() -> None:
    written = Path(__file__).with_name("examples.txt").read_text()
    # THIS has a value only among steps, where test_step_formulas has it.
    missing = [name for name in FUNCTIONS if f"{name}(" not in written]
    assert missing == ["THIS"]
