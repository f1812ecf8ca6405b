"""What checks say."""

from __future__ import annotations

from pydantic import BaseModel

WHOLE_ROW = ""
"""The field of a finding that concerns a row as a whole."""


class Finding(BaseModel, frozen=True):
    """One thing that one rule says about one field of one row. ``record``: the number of the record that the row is of,
    where it is of one; ``line``: of what a record holds several of, which one, from 1 on, 0 for the record's own;
    ``sheet``: the role of the sheet that the row is of."""

    record: int | None
    line: int = 0
    sheet: str = ""
    row: int
    field: str
    rule: str
    blocks: bool
    value: str | None
    message: str
    accepted: bool = False


class FindingGroup(BaseModel, frozen=True):
    """The findings of one rule on one field, counted, the ``first_rows`` of them in a ``sheet``; ``accepted`` of them
    hold nothing any more, and some rules' findings are not ``acceptable``. Where the site's own description
    ``demanded`` it, the site most likely refuses what was accepted."""

    field: str
    rule: str
    blocks: bool
    title: str
    remedy: str
    count: int
    accepted: int = 0
    acceptable: bool = True
    demanded: bool = False
    sheet: str = ""
    first_rows: tuple[int, ...]
    values: tuple[tuple[str, int], ...]

    def weight(self) -> tuple[bool, bool, int, str, str]:
        """By this the worst stand first: those that block, then by count; what is accepted last."""
        return self.accepted == self.count, not self.blocks, -self.count, self.field, self.rule
