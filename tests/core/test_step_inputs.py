"""Every input of every step: it is refused with a sentence, or the step can be worked out, whatever the values."""

from __future__ import annotations

import types
import typing
from typing import Any

import polars as pl
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from pydantic import TypeAdapter, ValidationError

from datorum.core.formula import Scope
from datorum.core.model import FieldMapping
from datorum.core.shape import RowFilter
from datorum.core.steps import AnyStep, Formula, Step, Trim
from datorum.core.steps.landing import broken_steps, land, stages

_READ: TypeAdapter[Step] = TypeAdapter(AnyStep)
KINDS: tuple[type[Step], ...] = typing.get_args(typing.get_args(AnyStep)[0])
HOSTILE = (
    "", " ", "SSS", "HHH", "SSSSSSSSSS", "YYYY", "YYYY-MM-DD H:MM", "seconds since 1970", "days since 1904-01-01",
    "%", "%Q", "(", "(?", "[", "\\", "$9", "(?<=a)b", "(a+)+$", "a{1000}{1000}", "\x00", "\ud800", "é", "🥬",
    "No/where", "../etc", "Europe/Oslo", "=", "=1/0", '=THIS()&"x"', "=[a]", "=NOSUCH()", "=" + "(" * 300, "1E999",
    "NO", "ZZ", "Nor", "http://[", "x" * 999, '"', "'", "]", "[value]", "\n", "\u202e", "0",
)  # fmt: skip
VALUES = (
    "", " ", "5", "-7", "1e400", "0x1F", "31/12/2024", "2024-02-30", "1714559400", "99999999999999999", "abc",
    "K-00001", "<b>x", "a,b;c|d", "+4722334455", "\x00", "é" * 300, "🥬", '[1, "two"', "12:61", "=1/0", "100%", "[]",
    "NaN", "ja",
)  # fmt: skip
_NUMBERS = st.one_of(st.integers(-(10**40), 10**40), st.floats())


def inputs(kind: type[Step]) -> st.SearchStrategy[dict[str, Any]]:
    """Settings of a step of this kind, most of them odd."""
    texts = st.one_of(st.sampled_from(HOSTILE), st.text(max_size=12))
    found: dict[str, st.SearchStrategy[Any]] = {}
    for name, field in kind.model_fields.items():
        if name == "kind":
            found[name] = st.just(field.default)
            continue
        choices = typing.get_args(field.annotation)
        match field.annotation:
            case _ if typing.get_origin(field.annotation) is typing.Literal:
                found[name] = st.sampled_from(choices)
            case _ if field.annotation is bool:
                found[name] = st.booleans()
            case _ if field.annotation in (int, float):
                found[name] = _NUMBERS
            case types.GenericAlias():
                found[name] = st.lists(texts, max_size=4)
            case _:
                found[name] = texts
    return st.fixed_dictionaries({"kind": found.pop("kind")}, optional=found)


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.__name__)
@settings(max_examples=35)
@given(data=st.data())
def test_a_step_is_refused_or_can_be_worked_out(kind: type[Step], data: st.DataObject) -> None:
    drawn = data.draw(inputs(kind))
    try:
        step = _READ.validate_python(drawn)
    except ValidationError as error:
        for one in error.errors():
            assert one["type"] != "assertion_error"
        return
    frame = pl.DataFrame({"a": VALUES, "b": VALUES[::-1]})
    mapping = FieldMapping(columns=("a", "b"), steps=(step, Trim()))
    assert broken_steps(frame, mapping, Scope()) == []
    landed = land(frame, mapping)
    assert step.sentence()
    for value, failed in zip(landed.supplied, landed.failed, strict=True):
        if failed == 1:
            assert step.problem(value or "")
    stages(frame, mapping, Scope())


class Breaks(Formula):
    """As a step would be that nobody foresaw."""

    def over(self, frame: pl.DataFrame, values: pl.Series, scope: Scope) -> Any:
        raise pl.exceptions.ComputeError("it cannot be")


def test_a_step_that_breaks_holds_its_rows_and_no_others() -> None:
    frame = pl.DataFrame({"a": ["x", None]})
    mapping = FieldMapping(columns=("a",)).model_copy(update={"steps": (Trim(), Breaks(), Trim())})
    landed = land(frame, mapping)
    assert landed.values.to_list() == [None, None]
    assert landed.failed.to_list() == [2, 2]
    assert [(one.number, one.why) for one in broken_steps(frame, mapping, Scope())] == [(2, "it cannot be")]


def test_a_filter_whose_parts_are_sound_and_too_long_together_is_refused() -> None:
    many = [{"column": "a", "test": "is not", "value": "x"}] * 2_000
    with pytest.raises(ValidationError, match="long"):
        RowFilter.model_validate({"conditions": many})
    with pytest.raises(ValidationError):
        RowFilter.model_validate({"first": 10**30})
