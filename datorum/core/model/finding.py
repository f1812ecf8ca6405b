"""What checks say."""

from __future__ import annotations

from pydantic import BaseModel

WHOLE_ROW = ""
"""The field of a finding that concerns a row as a whole."""


class Finding(BaseModel, frozen=True):
    """One thing that one rule says about one field of one row."""

    row: int
    field: str
    rule: str
    blocks: bool
    value: str | None
    message: str


class FindingGroup(BaseModel, frozen=True):
    """The findings of one rule on one field, counted."""

    field: str
    rule: str
    blocks: bool
    title: str
    remedy: str
    count: int
    first_rows: tuple[int, ...]
    values: tuple[tuple[str, int], ...]
