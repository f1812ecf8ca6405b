"""Patterns in words: what is said is so, and what cannot be said is not."""

from __future__ import annotations

import pytest

from datorum.core.check.demands import demands
from datorum.core.model import Field, FieldType
from datorum.core.pattern_words import in_words
from datorum.core.patterns import pattern


@pytest.mark.parametrize(
    ("text", "words", "example"),
    [
        (r"^\+[1-9][0-9]{6,14}$", "a plus sign and 7 to 15 digits", "+4722334455"),
        (r"^[0-9]{5}$", "5 digits", "47223"),
        (r"^\d{4}-\d{2}$", "4 digits, a hyphen and 2 digits", "4722-47"),
        (r"^[A-Z]{2}$", "2 capital letters", "QM"),
        (r"^QM-[0-9]{4}$", "“QM”, a hyphen and 4 digits", "QM-4722"),
        (r"^[a-z0-9-]+$", "1 or more small letters, digits or hyphens", "quillmoss"),
        (r"^[A-Za-z][A-Za-z0-9_]*$", "a letter and any number of letters, digits or underscores", None),
        (r"^#?[0-9]{1,8}$", "perhaps a hash sign and 1 to 8 digits", None),
        (r"^[A-Z]?[0-9]{0,3}$", "perhaps a capital letter and up to 3 digits", None),
    ],
)
def test_a_pattern_is_said_in_words(text: str, words: str, example: str | None) -> None:
    form = in_words(text)
    assert form is not None
    assert form.words == words
    assert pattern(text).is_in(form.example)
    if example is not None:
        assert form.example == example


@pytest.mark.parametrize(
    "text",
    [
        "", "^$", "abc", r"^(a|b)$", r"^(?=.*\d).{8,}$", r"^[^@]+@[^@]+$", r"^.+$", r"^\p{L}+$", r"^[2-7]{3}$", r"^a\$",
        r"^(ab)+$", r"^[a-\d]$", "^[", r"^[[:alpha:]]$", r"^\bx$", r"^[0-9]{3}(-[0-9]{2})?$", "^a{2}{3}$", "^x{3,1}$",
    ],
)  # fmt: skip
def test_what_is_beyond_words_is_not_said(text: str) -> None:
    assert in_words(text) is None


@pytest.mark.parametrize(
    ("field", "says"),
    [
        (Field(path="a", title="A", pattern=r"^\+[1-9][0-9]{6,14}$"), "a plus sign and 7 to 15 digits, as +4722334455"),
        (Field(path="a", title="A", pattern=r"^(?=.*\d).{8,}$"), "of a form of the site’s own"),
        (Field(path="a", title="A", format="email", unique=True), "an e-mail address; no two records the same"),
        (Field(path="a", title="A", enum=("x", "y")), "one of x, y"),
        (Field(path="a", title="A", max_length=120), "text; at most 120 characters"),
        (Field(path="a", title="A", min_length=2, max_length=3), "text; 2 to 3 characters"),
        (
            Field(path="a", title="A", type=FieldType.INTEGER, minimum=0, maximum=1e9),
            "a whole number; 0 to 1,000,000,000",
        ),
        (Field(path="a", title="A", type=FieldType.NUMBER, minimum=0), "a number, such as 1204.50; 0 or more"),
        (Field(path="a", title="A", type=FieldType.NUMBER, above=0), "a number, such as 1204.50; more than 0"),
        (Field(path="a", title="A", type=FieldType.DATE), "a date, kept as 2019-02-03"),
    ],
)
def test_what_is_demanded_of_a_field_is_said_in_words(field: Field, says: str) -> None:
    assert demands(field) == says
