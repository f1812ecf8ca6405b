"""What a formula can see: one row, and what is known of the run."""

from __future__ import annotations

import datetime as dt
from collections.abc import Mapping
from dataclasses import dataclass, field

from datorum.core.formula.budget import Budget
from datorum.core.formula.values import Value

THIS = "\0this"
"""The cell of the value so far, for formulas among the steps of a field."""


@dataclass(frozen=True)
class Scope:
    """The cells of a row by column; the moment, person and parameters of the run; the named value tables.

    A cell of no text counts as blank. ``now`` is passed in, never read from a clock. ``budget``: the work that may be
    done; without one, each row has its own.
    """

    cells: Mapping[str, Value] = field(default_factory=dict)
    row: int = 0
    now: dt.datetime = dt.datetime(1970, 1, 1)
    person: str = ""
    parameters: Mapping[str, str] = field(default_factory=dict)
    tables: Mapping[str, Mapping[str, str]] = field(default_factory=dict)
    budget: Budget | None = None
