"""Which rows of a sheet go on, and why the others are left out."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from typing import Annotated, Literal, NamedTuple

import polars as pl
from pydantic import BaseModel, Field, field_validator, model_validator

from datorum.core.formula import (
    FormulaFault,
    Scope,
    check_names,
    column_reference,
    columns_of,
    formula_column,
    parse,
    quoted,
)
from datorum.core.shape.grains import RECORD, numbers_of
from datorum.core.table import ROW

Test = Literal[
    "is", "is not", "contains", "does not contain", "begins with", "ends with", "is blank", "is not blank",
    "is more than", "is less than",
]  # fmt: skip
_FORMULAS: dict[str, str] = {
    "is": "TRIM({cell})={value}",
    "is not": "NOT(TRIM({cell})={value})",
    "contains": "ISNUMBER(SEARCH({value};{cell}))",
    "does not contain": "NOT(ISNUMBER(SEARCH({value};{cell})))",
    "begins with": "LEFT(LOWER({cell});LEN({value}))=LOWER({value})",
    "ends with": "RIGHT(LOWER({cell});LEN({value}))=LOWER({value})",
    "is blank": 'TRIM({cell})=""',
    "is not blank": 'NOT(TRIM({cell})="")',
    "is more than": "VALUE({cell})>VALUE({value})",
    "is less than": "VALUE({cell})<VALUE({value})",
}


class Condition(BaseModel, frozen=True, extra="forbid"):
    """One thing that is asked of one column's supplied value."""

    column: str
    test: Test
    value: str = ""

    def formula(self) -> str:
        """The condition as a formula, without its equals sign."""
        return _FORMULAS[self.test].format(cell=column_reference(self.column), value=quoted(self.value))

    def sentence(self) -> str:
        """The condition as a person would say it."""
        test = f"{self.column} {self.test}"
        return test if self.test in ("is blank", "is not blank") else f"{test} “{self.value}”"


class RowFilter(BaseModel, frozen=True, extra="forbid"):
    """The rows that go on: those that meet the conditions and the formula, without the first ``skip`` of them, and of
    the rest no more than ``first``.

    A row for which the formula is an error goes on: nothing is left out for a reason that cannot be given.
    """

    conditions: tuple[Condition, ...] = ()
    match: Literal["all", "any"] = "all"
    formula: Annotated[str, Field(max_length=20_000)] = ""
    skip: Annotated[int, Field(ge=0, le=10**9)] = 0
    first: Annotated[int, Field(ge=1, le=10**9)] | None = None

    @field_validator("formula")
    @classmethod
    def _reads(cls, text: str) -> str:
        if text.strip():
            try:
                check_names(parse(text))
            except FormulaFault as fault:
                where = f" (at character {fault.at + 1})" if fault.at is not None else ""
                raise ValueError(f"{fault.message}{where}") from None
        return text

    @model_validator(mode="after")
    def _can_be_worked_out(self) -> RowFilter:
        # Each part may be sound, and all of them together too long.
        try:
            parse(self.whole_formula() or "=TRUE()")
        except FormulaFault as fault:
            raise ValueError(fault.message) from None
        return self

    @property
    def everything(self) -> bool:
        """Whether every row goes on."""
        return not (self.conditions or self.formula.strip() or self.skip or self.first is not None)

    def whole_formula(self) -> str | None:
        """The conditions and the formula as one formula that is TRUE for rows that go on."""
        parts = [condition.formula() for condition in self.conditions]
        terms = [f"{'AND' if self.match == 'all' else 'OR'}({';'.join(parts)})"] if parts else []
        if self.formula.strip():
            terms.append(f"({self.formula.strip().removeprefix('=')})")
        return f"=AND({';'.join(terms)})" if terms else None

    def columns(self) -> set[str]:
        """The columns that the conditions ask of."""
        return {condition.column for condition in self.conditions}

    def seen_columns(self) -> set[str]:
        """The columns that decide which rows go on, by the conditions or by the formula."""
        return self.columns() | (set(columns_of(parse(self.formula))) if self.formula.strip() else set())


class Selected(NamedTuple):
    """A frame parted: ``kept`` goes on; ``left_out`` has the columns ``row``, the number of a record, and
    ``reason``."""

    kept: pl.DataFrame
    left_out: pl.DataFrame


class Selection:
    """Parts a sheet's frames, in order, by a filter and by what people left out by hand (row → who)."""

    def __init__(self, filter: RowFilter, by_hand: Mapping[int, str] | None = None, scope: Scope | None = None) -> None:
        formula = filter.whole_formula()
        self._node = parse(formula) if formula else None
        self._filter = filter
        self._by_hand = by_hand or {}
        self._scope = scope or Scope()
        self._met = 0

    @property
    def counts(self) -> bool:
        """Whether it counts the records that it lets go on, so that frames must come to it in order."""
        return bool(self._filter.skip) or self._filter.first is not None

    @classmethod
    def of_all(cls) -> Selection:
        """The one that leaves nothing out."""
        return cls(RowFilter())

    def part(self, frame: pl.DataFrame) -> Selected:
        """The next frame's rows that go on, and the others with the reason of each."""
        if self._filter.everything and not self._by_hand:
            return Selected(frame, _none_left_out())
        reasons = pl.repeat(None, frame.height, dtype=pl.String, eager=True)
        reasons = self._unmet(frame, reasons)
        reasons = self._counted(frame, reasons)
        reasons = _by_hand(frame, reasons, self._by_hand)
        out = reasons.is_not_null()
        kept, records = frame.filter(~out), numbers_of(frame)
        left_out = pl.DataFrame({"row": records.filter(out), "reason": reasons.filter(out)})
        if RECORD in frame.columns:
            # A record of which some rows go on is not left out.
            stay = kept[RECORD].unique().implode()
            left_out = left_out.filter(~pl.col("row").is_in(stay)).unique("row", keep="first", maintain_order=True)
        return Selected(kept, left_out)

    def _unmet(self, frame: pl.DataFrame, reasons: pl.Series) -> pl.Series:
        if self._node is None:
            return reasons
        found = formula_column(frame, self._node, self._scope).values
        # A blank answer is an error's: only a plain FALSE (or zero) leaves a row out.
        unmet = found.is_in(["false", "0"]).fill_null(False)
        return reasons.set(unmet, "does not meet the filter")

    def _counted(self, frame: pl.DataFrame, reasons: pl.Series) -> pl.Series:
        skip, first = self._filter.skip, self._filter.first
        if not self.counts:
            return reasons
        met = reasons.is_null()
        records = numbers_of(frame)
        begins = met & pl.Series(records.set(~met, None).is_first_distinct()) if RECORD in frame.columns else met
        number = begins.cast(pl.Int64).cum_sum() + self._met
        self._met += int(begins.sum())
        early = met & (number <= skip)
        reasons = reasons.set(early, f"is among the first {skip:,}, which are skipped")
        if first is not None:
            reasons = reasons.set(met & (number > skip + first), f"comes after the {first:,} that were asked for")
        return reasons


def _by_hand(frame: pl.DataFrame, reasons: pl.Series, people: Mapping[int, str]) -> pl.Series:
    if not people:
        return reasons
    rows: Collection[int] = list(people)
    # Who leaves a record out leaves out all of its rows.
    records = numbers_of(frame)
    numbers = records.zip_with(records.is_in(rows), frame[ROW])
    at = numbers.is_in(rows).arg_true()
    given = [f"left out by {people[row]}" for row in numbers.gather(at)]
    return reasons.scatter(at, pl.Series(given, dtype=pl.String)) if given else reasons


def _none_left_out() -> pl.DataFrame:
    return pl.DataFrame(schema={"row": pl.Int64, "reason": pl.String})
