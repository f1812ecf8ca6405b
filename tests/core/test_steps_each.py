"""Every kind of step on the values it was made for, and on those it was not."""

from __future__ import annotations

import polars as pl
import pytest
from pydantic import TypeAdapter, ValidationError

from datorum.core.steps import AnyStep, Step

_READ: TypeAdapter[Step] = TypeAdapter(AnyStep)


def step(kind: str, **settings: object) -> Step:
    return _READ.validate_python({"kind": kind, **settings})


def does(one: Step, value: str | None) -> str | None:
    stepped = one.apply(pl.Series([value], dtype=pl.String))
    found: str | None = "failed" if stepped.failed[0] else stepped.values[0]
    return found


@pytest.mark.parametrize(
    ("one", "value", "landed"),
    [
        (step("take_part", separator=" ", part="first"), "Ada Anne Corfield", "Ada"),
        (step("take_part", separator=" ", part="last"), "Ada Anne Corfield", "Corfield"),
        (step("take_part", separator=" ", part="all but first"), "Ada Anne Corfield", "Anne Corfield"),
        (step("take_part", separator=" ", part="all but last"), "Ada Anne Corfield", "Ada Anne"),
        (step("take_part", separator=",", part="last"), "Oslo", None),
        (step("take_part", separator=",", part="all but last"), "Oslo", "Oslo"),
        (step("split_list", separator=","), "roots, greens ,roots", '["roots", "greens", "roots"]'),
        (step("split_list", separator="|"), "one", '["one"]'),
        (step("affix", before="QM-", behind="!"), "7", "QM-7!"),
        (step("affix", before="QM-"), None, None),
        (step("arithmetic", operation="add", number=2.5), "1", "3.5"),
        (step("arithmetic", operation="subtract", number=2), "1", "-1"),
        (step("arithmetic", operation="multiply", number=1.25), "80", "100"),
        (step("arithmetic", operation="divide", number=4), "10", "2.5"),
        (step("arithmetic", operation="divide", number=0), "10", "failed"),
        (step("arithmetic", operation="round", number=1), "2.25", "2.3"),
        (step("arithmetic", operation="round", number=0), "-2.5", "-3"),
        (step("arithmetic", operation="add", number=1), "ten", "failed"),
        (step("default", value="none"), None, "none"),
        (step("default", value="none"), "x", "x"),
        (step("to_code", of="country"), "Tyskland", "DE"),
        (step("to_code", of="country"), "no", "NO"),
        (step("to_code", of="country"), "Quillmoss", "failed"),
        (step("to_code", of="language"), "Norwegian", "no"),
        (step("to_code", of="currency"), "€", "EUR"),
        (step("phone", country="NO"), "22 33 44 55", "+4722334455"),
        (step("phone"), "+49 (0)381 7907", "+493817907"),
        (step("phone"), "22 33 44 55", "failed"),
        (step("phone", country="NO"), "call me", "failed"),
        (step("swap_parts"), "Corfield, Ada Anne", "Ada Anne Corfield"),
        (step("swap_parts"), "Ada Corfield", "Ada Corfield"),
        (step("swap_parts", separator="/"), "Corfield / Ada", "Ada Corfield"),
        (step("take_digits"), "K-00042", "42"),
        (step("take_digits"), "K-000", "0"),
        (step("take_digits"), "7", "7"),
        (step("take_digits"), "A1B2", "failed"),
        (step("take_digits"), "none", "failed"),
        (step("slug"), "Røde rødbeter & løk", "rode-rodbeter-lok"),
        (step("slug", language="de"), "Grüne Gurken", "gruene-gurken"),
        (step("slug"), "***", None),
        (step("html", to="text"), "<p>Sow <b>early</b></p>", "Sow early"),
        (step("html", to="clean"), '<p onclick="x">a<script>b</script></p>', "<p>a</p>"),
        (step("absolute_url", base="https://shop.example/a/"), "b/c.jpg", "https://shop.example/a/b/c.jpg"),
        (step("absolute_url", base="https://shop.example/a/"), "/c.jpg", "https://shop.example/c.jpg"),
        (step("absolute_url", base="https://shop.example/"), "https://x.example/1", "https://x.example/1"),
        (step("write_date", pattern="D.M.YYYY"), "2019-02-03", "3.2.2019"),
        (step("write_date", pattern="D.M.YYYY"), "soon", "failed"),
        (step("replace", find="([0-9]+)", by="<$1>", pattern=True), "a12b3", "a<12>b<3>"),
        (step("blank_when", words=["n/a", "-"]), "-", None),
        (step("read_yes_no", yes=["sí"], no=["no"]), "SÍ", "true"),
        (step("read_yes_no", yes=["sí"], no=["no"]), "ja", "failed"),
    ],
)
def test_a_step_on_one_value(one: Step, value: str | None, landed: str | None) -> None:
    assert does(one, value) == landed


@pytest.mark.parametrize(
    "settings",
    [
        {"kind": "nothing"},
        {"kind": "case", "to": "camel"},
        {"kind": "take_part", "part": "middle"},
        {"kind": "arithmetic", "operation": "power"},
        {"kind": "arithmetic", "number": "many"},
        {"kind": "to_code", "of": "planet"},
        {"kind": "phone", "country": "NOR"},
        {"kind": "formula", "text": "=1+"},
        {"kind": "when", "condition": "=FOO()", "then": "=1"},
        {"kind": "read_date", "pattern": ""},
        {"kind": "replace", "find": "(", "by": "x", "pattern": True},
        {"kind": "write_date", "pattern": "-"},
        {"kind": "write_date", "zone": "Quillmoss"},
        {"kind": "phone", "country": "ZZ"},
        {"kind": "arithmetic", "number": 1e300},
        {"kind": "trim", "both": True},
    ],
)
def test_a_step_that_cannot_be_is_refused(settings: dict[str, object]) -> None:
    with pytest.raises(ValidationError):
        _READ.validate_python(settings)


@pytest.mark.parametrize(
    ("one", "says"),
    [
        (step("take_part", separator=",", part="last"), "behind the last “,”"),
        (step("arithmetic", operation="multiply", number=1.25), "Multiply by 1.25"),
        (step("default", value="none"), "none"),
        (step("to_code", of="country"), "country into its code"),
        (step("affix", before="QM-"), "“QM-” before the value"),
        (step("phone", country="no"), "NO"),
        (step("absolute_url", base="https://x.example/"), "https://x.example/"),
    ],
)
def test_a_step_reads_as_a_sentence_with_its_settings(one: Step, says: str) -> None:
    assert says in one.sentence()


def test_what_a_step_could_not_read_is_told_in_its_words() -> None:
    for one, value in (
        (step("to_code", of="country"), "Quillmoss"),
        (step("phone", country="NO"), "call me"),
        (step("read_number"), "many"),
        (step("read_yes_no"), "perhaps"),
        (step("write_date"), "soon"),
        (step("arithmetic"), "ten"),
    ):
        told = one.problem(value)
        assert told, one
        assert not told.endswith("."), "it is the predicate of a sentence"
