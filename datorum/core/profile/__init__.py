"""What the columns of a sheet hold."""

import polars as pl

from datorum.core.profile.column import ColumnProfile, profile_column
from datorum.core.table import data_columns


def profile(frame: pl.DataFrame) -> dict[str, ColumnProfile]:
    """One profile a column, by name, in the sheet's order."""
    return {name: profile_column(frame[name]) for name in data_columns(frame)}


__all__ = ["ColumnProfile", "profile", "profile_column"]
