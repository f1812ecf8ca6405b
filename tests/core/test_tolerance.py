"""What sites do to values by themselves explains a difference, and nothing else does."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.core.model import Field, FieldType
from datorum.core.verify.tolerance import TOLERANCES, explained

TEXT = Field(path="name", title="Name")
NUMBER = Field(path="price", title="Price", type=FieldType.NUMBER)
TIME = Field(path="at", title="At", type=FieldType.DATE_TIME)
LIST = Field(path="tags", title="Tags", type=FieldType.LIST)


@pytest.mark.parametrize(
    ("field", "sent", "found", "rule"),
    [
        (TEXT, " Ada ", "Ada", "trims"),
        (TEXT, "Ada\r\nLovelund  ", "Ada Lovelund", "spaces"),
        (TEXT, "Bergen", "BERGEN", "case"),
        (TEXT, "<p>Beans &amp; peas</p>", "Beans & peas", "html"),
        (TEXT, "<p class='x'>Beans</p>", "<p>Beans</p>", "html"),
        (TEXT, "a long description", "a long desc", "cuts"),
        (TEXT, "Bergen", "Oslo", ""),
        (TEXT, "Bergen", None, ""),
        (TEXT, "Bergen", "", ""),
        (NUMBER, 12.346, 12.35, "rounds"),
        (NUMBER, 1249, 1200, ""),
        (NUMBER, 12.346, 12.36, ""),
        (NUMBER, "n/a", 3, ""),
        (TIME, "2024-03-01T10:00:00Z", "2024-03-01T11:00:00Z", "zone"),
        (TIME, "2024-03-01T10:00:31Z", "2024-03-01T10:00:00Z", "seconds"),
        (TIME, "2024-03-01T10:00:00Z", "2024-03-03T10:00:00Z", ""),
        (TIME, "2024-03-01T10:00:00Z", "never", ""),
        (LIST, ["a", "b"], ["b", "a"], "reorders"),
        (LIST, ["a", "b"], ["b"], ""),
        (LIST, [{"n": 1}, {"n": 2}], [{"n": 2}, {"n": 1}], "reorders"),
    ],
)
def test_what_explains_a_difference(field: Field, sent: Any, found: Any, rule: str) -> None:
    assert explained(field, sent, found) == rule
    assert all(one.says for one in TOLERANCES.values())
