"""Every row against every rule, a column at a time."""

from __future__ import annotations

import datetime as dt
from collections.abc import Callable
from collections.abc import Mapping as AnyMapping
from dataclasses import dataclass

import polars as pl

from datorum.core.check.rules import RULES
from datorum.core.model import WHOLE_ROW, Field, FieldMapping, Finding, FindingGroup, Mapping, RecordType
from datorum.core.steps.landing import NO_VALUE_SET, Landed, land
from datorum.core.table import FLAG, FLAGS, ROW

FINDING_SCHEMA = {
    "row": pl.Int64,
    "field": pl.String,
    "rule": pl.String,
    "blocks": pl.Boolean,
    "value": pl.String,
    "message": pl.String,
}
_WIDEST_FUTURE = dt.timedelta(days=1)
_ROW_REMEDY = "Correct the row in the file and read it again."
_REMEDIES = {rule.name: rule.remedy for rule in RULES} | {
    "step": "Change the step to one that reads this value, take such words as blank, or correct the rows.",
    "no value set": "Set the value in the field's value table.",
    "row": _ROW_REMEDY,
    "same key twice": "Leave one of the rows out of the file, or correct its key.",
    "in the future": "Look whether day and month, or the century, are read right.",
}
_TITLES = {
    "required": "is blank",
    "type": "is of another type",
    "enum": "is not a value the site accepts",
    "format": "is not in the site's format",
    "longest": "is too long",
    "shortest": "is too short",
    "pattern": "is not of the site's form",
    "range": "is out of range",
    "step": "could not be read",
    "no value set": "has no value set",
    "row": "is not a whole row",
    "same key twice": "stands twice in the sheet",
    "in the future": "lies in the future",
}


@dataclass(frozen=True)
class Checked:
    """What a check found: ``findings`` has the columns of ``FINDING_SCHEMA``, worst first, then by row."""

    rows: int
    findings: pl.DataFrame
    landed: dict[str, Landed]

    @property
    def held_rows(self) -> pl.Series:
        """The row numbers with at least one finding that blocks."""
        return self.findings.filter(pl.col("blocks"))["row"].unique()

    @property
    def held(self) -> int:
        return len(self.held_rows)

    @property
    def ready(self) -> int:
        return self.rows - self.held

    @property
    def warned(self) -> int:
        """How many ready rows have a warning."""
        warned = self.findings.filter(~pl.col("blocks"))["row"].unique()
        return len(warned.filter(~warned.is_in(self.held_rows.implode())))


def check(
    frame: pl.DataFrame,
    record_type: RecordType,
    mapping: Mapping,
    today: dt.date,
    landing: Callable[[pl.DataFrame, FieldMapping], Landed] = land,
) -> Checked:
    """Land every fed field of a sheet frame and hold it to every rule of its field.

    ``landing`` may remember what an earlier call landed from the same frame.
    """
    rows = frame[ROW]
    parts = [_flagged(frame)]
    landed: dict[str, Landed] = {}
    for field in record_type.writable:
        fed = mapping.fields.get(field.path)
        if fed is None or not fed.fed:
            if field.required:
                parts.append(_unfed(rows, field))
            continue
        landed[field.path] = landing(frame, fed)
        parts.extend(_field_findings(rows, field, mapping, landed[field.path], today))
    if mapping.match_key and mapping.match_key in landed:
        parts.append(_same_key(rows, record_type.field(mapping.match_key), landed[mapping.match_key]))
    findings = pl.concat([part for part in parts if part.height] or [pl.DataFrame(schema=FINDING_SCHEMA)])
    return Checked(frame.height, findings.sort(["blocks", "row"], descending=[True, False]), landed)


def as_findings(findings: pl.DataFrame) -> list[Finding]:
    """The rows of a findings frame as values."""
    return [Finding(**row) for row in findings.iter_rows(named=True)]


def group_findings(findings: pl.DataFrame, titles: AnyMapping[str, str]) -> list[FindingGroup]:
    """Findings by field and rule, those that block first, most frequent first. ``titles`` names fields by path."""
    groups: list[FindingGroup] = []
    for (field, rule, blocks), part in findings.group_by(["field", "rule", "blocks"], maintain_order=True):
        values = part["value"].drop_nulls().value_counts(sort=True).head(12)
        groups.append(
            FindingGroup(
                field=str(field),
                rule=str(rule),
                blocks=bool(blocks),
                title=f"{titles.get(str(field), 'Row') if field else 'Row'} {_TITLES[str(rule)]}",
                remedy=_REMEDIES[str(rule)],
                count=part.height,
                first_rows=tuple(part["row"].sort().head(5).to_list()),
                values=tuple(values.iter_rows()),
            )
        )
    return sorted(groups, key=lambda group: (not group.blocks, -group.count, group.field, group.rule))


def key_of(field: Field, values: pl.Series) -> pl.Series:
    """What two values of a match key are compared by: e-mail addresses without regard to case."""
    return values.str.to_lowercase() if field.format == "email" else values


def _field_findings(
    rows: pl.Series, field: Field, mapping: Mapping, landed: Landed, today: dt.date
) -> list[pl.DataFrame]:
    steps = mapping.fields[field.path].steps
    parts = []
    unread = (landed.failed > 0) & (landed.failed < NO_VALUE_SET)
    if unread.any():
        numbers = landed.failed.filter(unread).to_list()
        supplied = landed.supplied.filter(unread).to_list()
        says = [steps[number - 1].problem(value or "") for number, value in zip(numbers, supplied, strict=True)]
        parts.append(_frame(rows.filter(unread), field, "step", supplied, says))
    unset = landed.failed == NO_VALUE_SET
    if unset.any():
        supplied = landed.supplied.filter(unset).to_list()
        says = ["has no value set"] * len(supplied)
        parts.append(_frame(rows.filter(unset), field, "no value set", supplied, says))
    sound = landed.failed == 0
    for rule in RULES:
        if not rule.applies(field):
            continue
        broken = rule.breaks(field, landed.values).fill_null(False) & sound
        if rule.name != "required":
            broken = broken & landed.values.is_not_null()
        if broken.any():
            values = landed.values.filter(broken).to_list()
            says = [rule.says(field, value or "") for value in values]
            parts.append(_frame(rows.filter(broken), field, rule.name, values, says, blocks=rule.blocks))
            sound = sound & ~broken
    if "date" in field.type:
        future = (landed.values.str.slice(0, 10) > str(today + _WIDEST_FUTURE)).fill_null(False) & sound
        if future.any():
            values = landed.values.filter(future).to_list()
            says = ["lies in the future"] * len(values)
            parts.append(_frame(rows.filter(future), field, "in the future", values, says, blocks=False))
    return parts


def _frame(
    rows: pl.Series,
    field: Field,
    rule: str,
    values: list[str | None],
    says: list[str],
    *,
    blocks: bool = True,
) -> pl.DataFrame:
    return pl.DataFrame(
        {
            "row": rows.to_list(),
            "field": [field.path] * len(rows),
            "rule": [rule] * len(rows),
            "blocks": [blocks] * len(rows),
            "value": values,
            "message": says,
        },
        schema=FINDING_SCHEMA,
    )


def _flagged(frame: pl.DataFrame) -> pl.DataFrame:
    flagged = frame.filter(pl.col(FLAG).is_not_null())
    return pl.DataFrame(
        {
            "row": flagged[ROW],
            "field": [WHOLE_ROW] * flagged.height,
            "rule": ["row"] * flagged.height,
            "blocks": [True] * flagged.height,
            "value": [None] * flagged.height,
            "message": [FLAGS[flag] for flag in flagged[FLAG]],
        },
        schema=FINDING_SCHEMA,
    )


def _unfed(rows: pl.Series, field: Field) -> pl.DataFrame:
    says = ["is fed by nothing, and the site requires it"] * len(rows)
    return _frame(rows, field, "required", [None] * len(rows), says)


def _same_key(rows: pl.Series, field: Field, landed: Landed) -> pl.DataFrame:
    """Each row whose key an earlier row has: the first may go, the later ones are held."""
    frame = pl.DataFrame({"row": rows, "key": key_of(field, landed.values), "value": landed.values})
    frame = frame.filter(pl.col("key").is_not_null()).with_columns(pl.col("row").min().over("key").alias("first"))
    later = frame.filter(pl.col("row") != pl.col("first"))
    says = [f"is the same as in row {first:,}" for first in later["first"]]
    return _frame(later["row"], field, "same key twice", later["value"].to_list(), says)
