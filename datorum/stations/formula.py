"""A formula while it is written: what it makes of some rows, and where it does not read."""

from __future__ import annotations

import polars as pl
from pydantic import BaseModel

from datorum.core.formula import FUNCTIONS, THIS, FormulaFault, Scope, check_names, columns_of, formula_column, parse
from datorum.core.model import FieldMapping, Mapping
from datorum.core.shape.grains import own_columns
from datorum.core.steps.landing import land
from datorum.core.table import ROW
from datorum.stations.imports import Opened
from datorum.stations.landings import beginning, scope_of, shown_records

_ROWS = 7


class FormulaResult(BaseModel):
    """What a formula makes of one row: a value, or why there is none."""

    row: int
    before: str | None
    value: str | None
    problem: str = ""


class FormulaView(BaseModel):
    """``problem`` says why the formula does not read, ``at`` is the character where, counted from 0."""

    problem: str = ""
    at: int | None = None
    results: list[FormulaResult] = []


class FunctionView(BaseModel):
    """One function that formulas know."""

    name: str
    signature: str
    summary: str
    group: str
    parameters: list[str]
    extension: bool


def try_formula(
    now: Opened,
    text: str,
    rows: list[int],
    mapping: Mapping | None,
    fed: FieldMapping | None,
    until: int,
    in_list: str | None = None,
) -> FormulaView:
    """A formula over some records, or over what they hold in a list, else the first; THIS() is what the first ``until``
    steps of a field land."""
    try:
        node = parse(text)
        whole = mapping or now.mapping
        grains = shown_records(now.source(whole), tuple(rows[:_ROWS])) if rows else beginning(now, whole)
        frame = grains.seen_from(in_list, columns_of(node)).head(_ROWS)
        check_names(node, set(own_columns(frame)))
    except FormulaFault as fault:
        return FormulaView(problem=fault.message, at=fault.at)
    scope = scope_of(now, whole)
    before = _so_far(frame, fed, scope, until)
    found = formula_column(frame.with_columns(before.alias(THIS)), node, scope)
    return FormulaView(
        results=[
            FormulaResult(row=row, before=old, value=value, problem=(fault or "").partition(" ")[2])
            for row, old, value, fault in zip(frame[ROW], before, found.values, found.faults, strict=True)
        ]
    )


def functions() -> list[FunctionView]:
    """Every function by name."""
    return [
        FunctionView(
            name=one.name,
            signature=one.signature,
            summary=one.summary,
            group=one.group,
            parameters=[parameter.name for parameter in one.parameters],
            extension=one.extension,
        )
        for _, one in sorted(FUNCTIONS.items())
    ]


def _so_far(frame: pl.DataFrame, fed: FieldMapping | None, scope: Scope, until: int) -> pl.Series:
    if fed is None or not fed.fed:
        return pl.repeat(None, frame.height, dtype=pl.String, eager=True)
    return land(frame.select(ROW, *own_columns(frame)), fed, scope, until=until).values
