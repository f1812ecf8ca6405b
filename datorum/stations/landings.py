"""Whole columns landed once and remembered, so that an edit lands anew only what it touches."""

from __future__ import annotations

from functools import lru_cache

import polars as pl

from datorum.core.model import FieldMapping
from datorum.core.steps.landing import Landed, land
from datorum.store.sheets import load_frame

_NOT_LANDING = {"score", "reasons", "blank"}


def landed_field(sheet_id: int, mapping: FieldMapping) -> Landed:
    """One field over all rows of a kept sheet."""
    return _landed(sheet_id, mapping.model_dump_json(exclude=_NOT_LANDING))


def remembered(sheet_id: int, frame: pl.DataFrame, mapping: FieldMapping) -> Landed:
    """``landed_field`` in the form that ``core.check.check`` asks for; ``frame`` is the sheet's."""
    return landed_field(sheet_id, mapping)


@lru_cache(maxsize=256)
def _landed(sheet_id: int, mapping: str) -> Landed:
    return land(load_frame(sheet_id), FieldMapping.model_validate_json(mapping))
