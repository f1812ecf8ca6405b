"""What a person is asked of a step or a shape comes from its class, whole enough to be given."""

from __future__ import annotations

from typing import Any, get_args

import pytest
from pydantic import TypeAdapter

from datorum.core.forms import form_of
from datorum.core.shape.kinds import AnyShape
from datorum.core.steps import STEP_GROUPS, AnyStep

STEPS, SHAPES = (get_args(get_args(union)[0]) for union in (AnyStep, AnyShape))


@pytest.mark.parametrize("kind", STEPS, ids=lambda kind: kind.__name__)
def test_a_step_begins_as_one_that_can_be_kept(kind: Any) -> None:
    form = form_of(kind)
    begun = TypeAdapter(AnyStep).validate_python(form["begins"])
    assert isinstance(begun, kind)
    assert form["group"] in STEP_GROUPS
    assert form["label"]


@pytest.mark.parametrize("kind", [*STEPS, *SHAPES], ids=lambda kind: kind.__name__)
def test_what_is_asked_has_words_for_every_choice_and_a_way_to_be_given(kind: Any) -> None:
    form = form_of(kind)
    assert set(form["schema"]["required"]) <= set(form["schema"]["properties"])
    for name, one in form["schema"]["properties"].items():
        assert one["title"], name
        if "enum" in one:
            assert set(one["options"]) == set(one["enum"]), name
        if one["type"] == "object" or one.get("items", {}).get("type") == "object":
            assert one["editor"] in ("sets", "named sets"), name


@pytest.mark.parametrize("kind", SHAPES, ids=lambda kind: kind.__name__)
def test_a_shape_that_makes_a_list_asks_last_into_which(kind: Any) -> None:
    names = list(form_of(kind)["schema"]["properties"])
    assert "into" not in names or names[-1] == "into"
    # What it has come to know by itself is not asked.
    assert {"given", "names"}.isdisjoint(names)


def test_kinds_are_called_differently() -> None:
    labels = [form_of(kind)["label"] for kind in (*STEPS, *SHAPES)]
    assert len(set(labels)) == len(labels)
