"""What every shape is: a value of the mapping that makes records of rows, or a list of what a record holds."""

from __future__ import annotations

from abc import ABC, abstractmethod

import polars as pl
from pydantic import BaseModel, SerializeAsAny

from datorum.core.shape.grains import Grains


class Shape(BaseModel, ABC, frozen=True, extra="forbid"):
    """One way in which a sheet's rows become records. Several are applied one after the other."""

    kind: str

    @abstractmethod
    def apply(self, grains: Grains) -> Grains:
        """The records with what this makes of them."""

    @abstractmethod
    def sentence(self) -> str:
        """What it does, in words."""


class Found(BaseModel, frozen=True):
    """A shape that a sheet has, with the reasons and counts in words; ``weight``: how much speaks for it, 0 to 1."""

    shape: SerializeAsAny[Shape]
    weight: float
    reasons: tuple[str, ...]


def values_of(frame: pl.DataFrame, name: str) -> pl.Series:
    """A column's cells without stray spaces, null where there is nothing."""
    return frame.select(
        pl.when(pl.col(name).str.strip_chars() != "").then(pl.col(name).str.strip_chars()).alias(name)
    ).to_series()
