"""The numbers that requests name things by."""

from __future__ import annotations

from typing import Annotated

from fastapi import Path, Query
from pydantic import Field

Id = Annotated[int, Path(ge=1, le=2**31 - 1)]
"""The number of an import, a site, a version and the like, in an address."""
RowNumber = Annotated[int, Field(ge=0, le=2**53)]
"""A line of a file."""
Place = Annotated[int, Field(ge=0, le=2**31 - 1)]
"""A place in a list, counted from 0."""
Role = Annotated[str, Query(max_length=1000)]
"""The role in which an import draws on a sheet; its main one has none."""
