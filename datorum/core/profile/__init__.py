"""What the columns of a sheet hold."""

import polars as pl

from datorum.core.profile.column import ColumnProfile
from datorum.core.profile.kinds import Kind
from datorum.core.profile.profiler import Profiler
from datorum.core.table import data_columns


def profile(frame: pl.DataFrame) -> dict[str, ColumnProfile]:
    """One profile a column of a sheet's frame, by name, in the sheet's order."""
    profiler = Profiler()
    profiler.add(frame)
    return profiler.finish(data_columns(frame))


def profile_column(values: pl.Series) -> ColumnProfile:
    """The profile of one String series."""
    return profile(values.to_frame())[values.name]


__all__ = ["ColumnProfile", "Kind", "Profiler", "profile", "profile_column"]
