"""Findings that a person has accepted: they are still told, and hold nothing any more."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

import polars as pl

from datorum.core.said import is_acceptable


class Acceptance(NamedTuple):
    """The findings of one rule on one field, in the record of one row or, with no row, in all."""

    field: str
    rule: str
    row: int | None = None


def with_accepted(findings: pl.DataFrame, acceptances: Iterable[Acceptance]) -> pl.DataFrame:
    """Findings with ``accepted`` set by some acceptances."""
    kept = [one for one in acceptances if is_acceptable(one.rule)]
    if not kept or not findings.height:
        return findings
    for_good = {(one.field, one.rule) for one in kept if one.row is None}
    accepted = pl.any_horizontal(
        pl.lit(False), *((pl.col("field") == field) & (pl.col("rule") == rule) for field, rule in for_good)
    )
    by_row = pl.DataFrame(
        [(one.field, one.rule, one.row, True) for one in kept if one.row is not None],
        schema={"field": pl.String, "rule": pl.String, "record": pl.Int64, "in row": pl.Boolean},
        orient="row",
    ).unique()
    return (
        findings.with_columns(accepted.alias("accepted"))
        .join(by_row, on=["field", "rule", "record"], how="left", maintain_order="left")
        .with_columns((pl.col("accepted") | pl.col("in row").fill_null(False)).alias("accepted"))
        .drop("in row")
    )
