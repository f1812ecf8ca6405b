"""What every shape is: a value of the mapping that makes records of rows, or a list of what a record holds."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping, Sequence
from typing import Annotated, ClassVar, NamedTuple, Self

import polars as pl
from pydantic import BaseModel, SerializeAsAny

from datorum.core.forms import OnMenu, asked
from datorum.core.shape.grains import Grains


class Numbered(NamedTuple):
    """Rows with the record that each is of, and what is amiss with them: frames with the columns of ``ODD_SCHEMA``."""

    frame: pl.DataFrame
    odd: tuple[pl.DataFrame, ...] = ()


class Shape(OnMenu, ABC, frozen=True, extra="forbid"):
    """One way in which a sheet's rows become records. Several are applied one after the other. ``into``: the path of
    the list that it makes, where it makes one."""

    kind: str
    into: str = ""
    needs_all: ClassVar[bool] = False
    """Whether any row may bear on any record, so that it must see the whole sheet."""

    @abstractmethod
    def apply(self, grains: Grains) -> Grains:
        """The records with what this makes of them."""

    @abstractmethod
    def undo(self, grains: Grains) -> Grains:
        """The rows that would make these records: what ``apply`` makes of them is the same again. Raises NotAllowed
        where they do not fit into this shape."""

    @abstractmethod
    def sentence(self) -> str:
        """What it does, in words."""

    @abstractmethod
    def seen_columns(self) -> set[str]:
        """The columns that decide what is made."""

    def used_columns(self) -> set[str]:
        """The columns that it uses up: they need feed nothing besides."""
        return self.seen_columns()

    def made_columns(self) -> set[str]:
        """The columns that it makes, as far as they are known without the rows."""
        return set()

    def knowing(self, columns: Sequence[str]) -> Self:
        """The same, having seen which columns it makes."""
        return self

    @property
    def keys(self) -> tuple[str, ...]:
        """The columns that are alike on all rows of a record; none where each row is one."""
        return ()

    @property
    def keys_below(self) -> bool:
        """Whether the keys stand on a record's first row, and go for those below it without."""
        return False

    @property
    def sheets(self) -> tuple[str, ...]:
        """The names of the other sheets that it draws on."""
        return ()

    def numbered(self, frame: pl.DataFrame) -> Numbered:
        """Rows of whole records with what their record has filled in, and which one it is."""
        return Numbered(frame)

    def left_over(self, records: pl.DataFrame, sheets: Mapping[str, pl.DataFrame]) -> pl.DataFrame | None:
        """The rows of other sheets that are of none of all ``records``, as what is amiss; None where it draws on
        none."""
        return None


class OnSheet(Shape, frozen=True):
    """A shape that draws on one other sheet, by its name."""

    sheet: Annotated[str, asked("the sheet", editor="sheet")]

    @property
    def sheets(self) -> tuple[str, ...]:
        return (self.sheet,)


class Found(BaseModel, frozen=True):
    """A shape that a sheet has, with the reasons and counts in words; ``weight``: how much speaks for it, 0 to 1."""

    shape: SerializeAsAny[Shape]
    weight: float
    reasons: tuple[str, ...]


def values_of(frame: pl.DataFrame, name: str) -> pl.Series:
    """A column's cells without stray spaces, null where there is nothing, or no such column."""
    if name not in frame.columns:
        return pl.repeat(None, frame.height, dtype=pl.String, eager=True)
    values = frame[name].str.strip_chars()
    blank = (values == "").fill_null(False)
    return values.set(blank, None) if blank.any() else values
