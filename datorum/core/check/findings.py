"""Findings as a frame."""

from __future__ import annotations

from collections.abc import Sequence

import polars as pl

FINDING_SCHEMA = {
    "row": pl.Int64,
    "field": pl.String,
    "rule": pl.String,
    "blocks": pl.Boolean,
    "value": pl.String,
    "message": pl.String,
    "accepted": pl.Boolean,
}


def findings_frame(
    rows: pl.Series,
    field: str,
    rule: str,
    values: pl.Series | Sequence[str | None] | None,
    says: pl.Series | Sequence[str] | str,
    *,
    blocks: bool = True,
) -> pl.DataFrame:
    """One finding a row, all of one rule on one field; ``says`` is one predicate for all, or one for each."""
    height = len(rows)
    values = [None] * height if values is None else values
    return pl.DataFrame(
        {
            "row": rows,
            "field": pl.repeat(field, height, dtype=pl.String, eager=True),
            "rule": pl.repeat(rule, height, dtype=pl.String, eager=True),
            "blocks": pl.repeat(blocks, height, dtype=pl.Boolean, eager=True),
            "value": pl.Series(values, dtype=pl.String),
            "message": pl.repeat(says, height, dtype=pl.String, eager=True) if isinstance(says, str) else list(says),
            "accepted": pl.repeat(False, height, dtype=pl.Boolean, eager=True),
        },
        schema=FINDING_SCHEMA,
    )


def no_findings() -> pl.DataFrame:
    return pl.DataFrame(schema=FINDING_SCHEMA)
