"""Numbers among which a column's value is, as one parameter."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any

from sqlalchemy import BigInteger, ColumnElement, any_, bindparam
from sqlalchemy.dialects.postgresql import ARRAY


def among(column: Any, numbers: Collection[int]) -> ColumnElement[bool]:
    """Whether a column is one of some numbers. A statement with ``in_`` is written anew for each number of numbers,
    which takes longer than a small statement itself."""
    found: ColumnElement[bool] = column == any_(bindparam(None, list(numbers), ARRAY(BigInteger)))
    return found
