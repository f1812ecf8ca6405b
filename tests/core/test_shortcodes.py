"""Shortcodes are told from words in brackets, and dealt with by their names."""

from __future__ import annotations

import datetime as dt
import time

import polars as pl
import pytest

from datorum.core.check import check
from datorum.core.formula.shortcodes import names_of, treated
from datorum.core.model import Field, FieldMapping, Mapping, RecordType
from datorum.core.profile import profile
from datorum.core.steps import Html, Shortcodes
from datorum.core.suggest.steps import suggest_steps
from tests.core.test_concepts import sheet

BUILT = 'A [beds_row cols="2"]b [advert]Buy![/advert] c[/beds_row] d [sic] [1] [video src=x /] e'


@pytest.mark.parametrize(
    ("text", "names"),
    [
        (BUILT, {"beds_row": 1, "advert": 1, "video": 1}),
        ("[gallery-small] [break/]", {"gallery-small": 1, "break": 1}),
        ("[see note-1 below] [sic] [12] [a b] [x]", {}),
        ("[[x]] [/open", {}),
    ],
)
def test_a_shortcode_gives_values_ends_or_has_a_name_of_parts(text: str, names: dict[str, int]) -> None:
    assert dict(names_of(text)) == names


@pytest.mark.parametrize(
    ("step", "becomes"),
    [
        (Shortcodes(), "A b Buy! c d [sic] [1]  e"),
        (Shortcodes(out="advert"), "A b  c d [sic] [1]  e"),
        (Shortcodes(others="keep", off="Beds_Row"), "A b [advert]Buy![/advert] c d [sic] [1] [video src=x /] e"),
        (Shortcodes(others="out", keep="video"), "A  d [sic] [1] [video src=x /] e"),
        (Html(shortcodes="keep"), BUILT),
    ],
)  # fmt: skip
def test_each_is_taken_off_taken_out_or_kept_by_its_name(step: Shortcodes | Html, becomes: str) -> None:
    assert step.apply(pl.Series([BUILT, None])).values.to_list() == [becomes, None]
    assert not step.apply(pl.Series([BUILT])).failed.any()


def test_what_has_no_end_is_taken_out_alone_and_ends_without_a_beginning_go_too() -> None:
    assert treated("a [x_y]b [/z_z] c", "out") == "a b  c"


def test_a_text_of_brackets_alone_costs_little() -> None:
    began = time.process_time()
    treated("[a_b " * 100_000 + "[/a_b]" * 20_000, "out")
    assert time.process_time() - began < 5


BODY = Field(path="body", title="Body")


def _found(*steps: Shortcodes) -> list[str]:
    kind = RecordType(name="notes", title="Notes", fields=(BODY,))
    mapping = Mapping(fields={"body": FieldMapping(columns=("Text",), steps=steps)})
    found = check(sheet(Text=[BUILT, "plain [sic]"]), kind, mapping, dt.date(2026, 11, 29)).findings
    return found["message"].to_list()


def test_what_a_text_still_holds_is_told_until_there_is_a_rule_for_it() -> None:
    assert _found() == ["holds the shortcodes beds_row, advert, video"]
    assert _found(Shortcodes(others="keep")) == []


def test_a_rule_is_suggested_for_a_column_that_holds_any() -> None:
    def suggested(text: str) -> list[str]:
        return [one.kind for one in suggest_steps(BODY, list(profile(sheet(Text=[text, "x"])).values()), {})]

    assert "shortcodes" in suggested(BUILT)
    assert "shortcodes" not in suggested("plain [sic] text")
