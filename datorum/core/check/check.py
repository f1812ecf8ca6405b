"""Every row against every rule, a column at a time, a chunk of rows after the other."""

from __future__ import annotations

import datetime as dt
import difflib
from collections.abc import Collection, Iterator
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.check.acceptance import Acceptance, with_accepted
from datorum.core.check.across import OrderSums, across, across_pairs
from datorum.core.check.field_check import CheckedField, FieldCheck
from datorum.core.check.findings import findings_frame, no_findings
from datorum.core.check.keys import Keys
from datorum.core.check.record_rules import SchemaRules, formula_findings, rule_fields
from datorum.core.check.suspicious import DayOrMonth, Median
from datorum.core.errors import InvalidMapping, Place
from datorum.core.formula import Scope
from datorum.core.model import WHOLE_ROW, Finding, Mapping, RecordType
from datorum.core.steps.landing import Landed
from datorum.core.table import FLAG, FLAGS, ROW


@dataclass(frozen=True)
class Checked:
    """What a check found: ``findings`` has the columns of ``FINDING_SCHEMA``, worst first, then by row."""

    rows: int
    findings: pl.DataFrame
    landed: dict[str, Landed]

    @property
    def held_rows(self) -> pl.Series:
        """The row numbers with at least one finding that blocks."""
        return self.findings.filter(holding())["row"].unique()

    @property
    def held(self) -> int:
        return len(self.held_rows)

    @property
    def ready(self) -> int:
        return self.rows - self.held

    @property
    def warned(self) -> int:
        """How many ready rows have a warning."""
        warned = self.findings.filter(warning())["row"].unique()
        return len(warned.filter(~warned.is_in(self.held_rows.implode())))


def check(
    frame: pl.DataFrame, record_type: RecordType, mapping: Mapping, today: dt.date, scope: Scope | None = None
) -> Checked:
    """Land every fed field of a sheet frame and hold it to every rule."""
    checker = Checker(record_type, mapping, today, scope)
    part = checker.check_part(frame)
    findings = pl.concat([checker.add(part), checker.finish()])
    return Checked(frame.height, findings.sort(["blocks", "row"], descending=[True, False]), part.landed)


def holding() -> pl.Expr:
    """The findings that hold their rows."""
    return pl.col("blocks") & ~pl.col("accepted")


def warning() -> pl.Expr:
    """The findings that warn of rows that can go."""
    return ~pl.col("blocks") & ~pl.col("accepted")


class CheckedPart(NamedTuple):
    """What one look at some rows gave: ``landed`` by path, what was ``found`` in them alone, and for what only the
    whole sheet tells the ``fields`` and ``keys`` by path."""

    rows: pl.Series
    landed: dict[str, Landed]
    found: list[pl.DataFrame]
    fields: dict[str, CheckedField]
    keys: dict[str, pl.DataFrame]


class Checker:
    """A check in chunks. ``look`` sees one chunk and keeps nothing, so that several can be looked at at once; ``take``
    gives its findings, chunk by chunk in order; ``finish`` what only the whole sheet tells.

    ``accepted`` findings are told and hold nothing. ``only`` names the fields that are checked, and nothing else is;
    they should be ``related`` to no others. ``rows``, ``held``, ``ready`` and ``warned`` count all that was taken so
    far.
    """

    def __init__(
        self,
        record_type: RecordType,
        mapping: Mapping,
        today: dt.date,
        scope: Scope | None = None,
        only: Collection[str] | None = None,
        accepted: Collection[Acceptance] = (),
    ) -> None:
        validate_mapping(mapping, record_type)
        self._type = record_type
        self._scope = scope or mapping.scope(dt.datetime.combine(today, dt.time()))
        self._everything = only is None
        self._accepted = accepted
        self._wanted = [field for field in record_type.writable if only is None or field.path in only]
        self._fed = [field for field in self._wanted if is_fed(mapping, field.path)]
        self._fed_lists = fed_lists(mapping, record_type)
        feeds = {field.path: mapping.resolved(mapping.fields[field.path], field.path) for field in self._fed}
        self._checks = {field.path: FieldCheck(field, feeds[field.path], self._scope, today) for field in self._fed}
        self._match_key = mapping.match_key
        self._keys = {field.path: Keys(field, field.path == mapping.match_key) for field in self._fed
                      if (field.unique or field.path == mapping.match_key) and not field.in_list}  # fmt: skip
        self._medians = {field.path: Median(field) for field in self._fed}
        self._dates = {field.path: DayOrMonth(feeds[field.path]) for field in self._fed}
        self._sums = OrderSums(record_type)
        self._schema = SchemaRules(record_type)
        paths = {field.path for field in self._wanted}
        names = rules_on(record_type, paths)
        self._rules = [rule for rule in record_type.rules if self._everything or rule.rule in names]
        self._held: list[npt.NDArray[np.int64]] = []
        self._warned: list[npt.NDArray[np.int64]] = []
        self.rows = 0

    @property
    def held_rows(self) -> npt.NDArray[np.int64]:
        """The numbers of the rows with at least one finding that blocks."""
        return _numbers(self._held)

    @property
    def held(self) -> int:
        return len(self.held_rows)

    @property
    def ready(self) -> int:
        return self.rows - self.held

    @property
    def warned(self) -> int:
        return len(np.setdiff1d(_numbers(self._warned), self.held_rows))

    def check_part(self, frame: pl.DataFrame) -> CheckedPart:
        """Land the fields of some rows and hold each row to the rules."""
        rows = frame[ROW]
        fields = {path: check.check_part(frame, rows) for path, check in self._checks.items()}
        landed = {path: one.landed for path, one in fields.items()}
        found = [*self._unfed(rows), *self.across_fields(frame, landed), *(one.found for one in fields.values())]
        headers = rows.filter(frame[FLAG].eq_missing("header again"))
        if len(headers):
            # It is no record, and that is all there is to be said of it.
            found = [
                part.filter((pl.col("field") == WHOLE_ROW) | ~pl.col("row").is_in(headers.implode())) for part in found
            ]
        keys = {path: keys.hashed(rows, fields[path].sound_values) for path, keys in self._keys.items()}
        return CheckedPart(rows, landed, [part for part in found if part.height], fields, keys)

    def across_fields(self, frame: pl.DataFrame, landed: dict[str, Landed]) -> Iterator[pl.DataFrame]:
        """What the rules say that see more than one field of a row."""
        rows = frame[ROW]
        yield from across(rows, self._type, landed)
        for rule in self._rules:
            yield from formula_findings(rows, rule, landed, self._scope)
        if self._everything:
            yield _flagged(frame)
            yield from self._schema.findings(rows, self._fed, landed)
            yield from self._sums.without_lines(rows, landed)

    def add(self, part: CheckedPart) -> pl.DataFrame:
        """The findings on some more rows."""
        rows = part.rows
        self.rows += len(rows)
        key = part.landed.get(self._match_key or "")
        self._sums.see(rows, key.values if key else None, part.landed)
        parts = list(part.found)
        for field in self._fed:
            checked = part.fields[field.path]
            if self._medians[field.path].wanted:
                parts += self._medians[field.path].far(rows, checked.sound_values)
            if self._dates[field.path].open:
                self._dates[field.path].see(rows, checked.sound_values)
        for path, keys in self._keys.items():
            keys.take(part.keys[path])
        return self._counted(parts)

    def finish(self) -> pl.DataFrame:
        """The findings that only the whole sheet tells: keys that stand twice, sums over several rows, and so on."""
        parts: list[pl.DataFrame] = []
        for path, keys in self._keys.items():
            # Rows of one order repeat its key, each with a line of its own.
            if not (path == self._match_key and self._fed_lists):
                parts += keys.findings()
        for field in self._fed:
            parts += self._dates[field.path].findings(field)
        return self._counted([*parts, *self._sums.findings()])

    def _counted(self, parts: list[pl.DataFrame]) -> pl.DataFrame:
        findings = with_accepted(pl.concat([no_findings(), *parts]), self._accepted)
        self._held.append(findings.filter(holding())["row"].unique().to_numpy())
        self._warned.append(findings.filter(warning())["row"].unique().to_numpy())
        return findings

    def _unfed(self, rows: pl.Series) -> Iterator[pl.DataFrame]:
        for field in self._wanted:
            if (
                field.required
                and not field.nullable
                and field not in self._fed
                and (not field.in_list or field.in_list in self._fed_lists)
            ):
                yield findings_frame(rows, field.path, "required", None, "is fed by nothing, and the site requires it")


def rules_on(record_type: RecordType, paths: Collection[str]) -> set[str]:
    """The names of the added rules that see any of these fields."""
    return {rule.rule for rule in record_type.rules if set(rule_fields(rule)) & set(paths)}


def related(record_type: RecordType, mapping: Mapping, paths: Collection[str]) -> set[str] | None:
    """These fields and all that some rule holds together with them; None where a rule holds the whole record, so that
    any change is a change to all."""
    if record_type.other_keywords is not None or fed_lists(mapping, record_type) or mapping.match_key in paths:
        return None
    together = list(across_pairs(record_type))
    together += [set(rule_fields(rule)) for rule in record_type.rules]
    found = set(paths)
    while grown := {path for group in together if group & found for path in group} - found:
        found |= grown
    return found


def validate_mapping(mapping: Mapping, record_type: RecordType) -> None:
    """Raises InvalidMapping where a mapping names a field that the site has not, or does not take, or makes records
    otherwise than one of each row."""
    if mapping.shape or mapping.links:
        raise InvalidMapping(
            "The mapping makes records of several rows or looks for linked records, which checks and runs do not yet.",
            remedy="`datorum records` prints what it makes; take shape and links out to check each row by itself.",
        )
    writable = {field.path for field in record_type.writable}
    for path in (*mapping.fields, *([mapping.match_key] if mapping.match_key else ())):
        if path in writable:
            continue
        near = difflib.get_close_matches(path, writable, n=1)
        raise InvalidMapping(
            f"The site has no field {path} that an import can feed.",
            remedy=f"{near[0]} is near." if near else "Take it out of the mapping.",
            place=Place(field=path),
        )


def as_findings(findings: pl.DataFrame) -> list[Finding]:
    """The rows of a findings frame as values."""
    return [Finding(**row) for row in findings.iter_rows(named=True)]


def is_fed(mapping: Mapping, path: str) -> bool:
    """Whether anything feeds a field."""
    fed = mapping.fields.get(path)
    return fed is not None and fed.fed


def fed_lists(mapping: Mapping, record_type: RecordType) -> frozenset[str]:
    """The paths of the lists of objects that anything feeds, and of those that they stand in."""
    fed = {field.in_list for field in record_type.writable if field.in_list and is_fed(mapping, field.path)}
    return frozenset(path for path in record_type.lists if any(f"{one}.".startswith(f"{path}.") for one in fed))


def _numbers(parts: list[npt.NDArray[np.int64]]) -> npt.NDArray[np.int64]:
    return np.unique(np.concatenate(parts)) if parts else np.empty(0, dtype=np.int64)


def _flagged(frame: pl.DataFrame) -> pl.DataFrame:
    flagged = frame.filter(pl.col(FLAG).is_not_null())
    return findings_frame(flagged[ROW], WHOLE_ROW, "row", None, [FLAGS[flag] for flag in flagged[FLAG]])
