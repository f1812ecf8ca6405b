"""Items of a plan that stand for records which other imports are to bring."""

from __future__ import annotations

from typing import NamedTuple

FIRST = 2**40
"""The number of the first of them, behind any row."""


class Brought(NamedTuple):
    """A record that another import is to bring, by its number there."""

    import_id: int
    record: int


class Awaited:
    """The numbers that such records have in a plan, given as they are met."""

    def __init__(self) -> None:
        self._items: dict[Brought, int] = {}

    def item(self, one: Brought) -> int:
        """The item that stands for a record."""
        return self._items.setdefault(one, FIRST + len(self._items))

    @property
    def items(self) -> dict[int, Brought]:
        """What each item stands for."""
        return {item: one for one, item in self._items.items()}
