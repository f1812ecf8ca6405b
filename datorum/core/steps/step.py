"""What every step is: a sentence for people and a function over a whole column."""

from __future__ import annotations

from typing import NamedTuple

import polars as pl
from pydantic import BaseModel


class Stepped(NamedTuple):
    """The values after a step, and where the step could not read its input.

    ``values`` is a String series with null for blank; ``failed`` a Boolean series of the same length.
    """

    values: pl.Series
    failed: pl.Series


class Step(BaseModel, frozen=True):
    """One transformation of one column, readable as a sentence."""

    def sentence(self) -> str:
        """The step as a person would say it."""
        raise NotImplementedError

    def apply(self, values: pl.Series) -> Stepped:
        """Transform a String series; null is blank and stays blank."""
        raise NotImplementedError

    def problem(self, value: str) -> str:
        """Why ``value`` could not be read, as the end of a sentence about it."""
        return "cannot be read"


def all_read(values: pl.Series) -> Stepped:
    """A step's answer when it cannot fail."""
    return Stepped(values, pl.repeat(False, len(values), dtype=pl.Boolean, eager=True))
