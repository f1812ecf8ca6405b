"""Every row against every rule, a column at a time, a chunk of rows after the other."""

from __future__ import annotations

import datetime as dt
import difflib
from collections.abc import Callable, Iterator
from dataclasses import dataclass

import jsonschema_rs
import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.check.across import OrderSums, across
from datorum.core.check.findings import findings_frame, no_findings
from datorum.core.check.rules import RULES
from datorum.core.check.suspicious import DayOrMonth, Median, suspicious
from datorum.core.errors import InvalidMapping, Place
from datorum.core.model import WHOLE_ROW, Field, FieldMapping, Finding, Mapping, RecordType
from datorum.core.steps.landing import NO_VALUE_SET, Landed, land
from datorum.core.table import FLAG, FLAGS, ROW
from datorum.core.values import nest, to_json

Landing = Callable[[pl.DataFrame, FieldMapping], Landed]


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
    landing: Landing = land,
) -> Checked:
    """Land every fed field of a sheet frame and hold it to every rule.

    ``landing`` may remember what an earlier call landed from the same frame.
    """
    checker = Checker(record_type, mapping, today, landing)
    findings = pl.concat([checker.add(frame), checker.finish()])
    return Checked(frame.height, findings.sort(["blocks", "row"], descending=[True, False]), checker.landed)


class Checker:
    """A check in chunks: ``add`` gives what can be said of each, ``finish`` what only the whole sheet tells.

    ``landed`` is what the last chunk landed; ``rows``, ``held``, ``ready`` and ``warned`` count all so far.
    """

    def __init__(self, record_type: RecordType, mapping: Mapping, today: dt.date, landing: Landing = land) -> None:
        validate_mapping(mapping, record_type)
        self._type = record_type
        self._mapping = mapping
        self._today = today
        self._landing = landing
        self._fed = [field for field in record_type.writable if _is_fed(mapping, field)]
        self._keys = {field.path: _Keys(field, field.path == mapping.match_key) for field in self._fed
                      if (field.unique or field.path == mapping.match_key) and not field.many}  # fmt: skip
        self._medians = {field.path: Median() for field in self._fed}
        self._dates = {field.path: DayOrMonth(mapping.fields[field.path]) for field in self._fed}
        self._sums = OrderSums(record_type)
        self._rest = _record_validator(record_type)
        self._held: list[npt.NDArray[np.int64]] = []
        self._warned: list[npt.NDArray[np.int64]] = []
        self.landed: dict[str, Landed] = {}
        self.rows = 0

    @property
    def held(self) -> int:
        return len(_numbers(self._held))

    @property
    def ready(self) -> int:
        return self.rows - self.held

    @property
    def warned(self) -> int:
        return len(np.setdiff1d(_numbers(self._warned), _numbers(self._held)))

    def add(self, frame: pl.DataFrame) -> pl.DataFrame:
        """The findings on some more rows."""
        rows = frame[ROW]
        self.rows += frame.height
        self.landed = {field.path: self._landing(frame, self._mapping.fields[field.path]) for field in self._fed}
        parts = [_flagged(frame), *(self._unfed(rows)), *across(rows, self._type, self.landed)]
        for field in self._fed:
            parts += self._field_findings(rows, field, self.landed[field.path])
        key = self.landed.get(self._mapping.match_key or "")
        self._sums.see(rows, key.values if key else None, self.landed)
        parts += [part for part in (self._sums.without_lines(rows, self.landed),) if part is not None]
        parts += self._record_findings(rows)
        return self._counted(parts)

    def finish(self) -> pl.DataFrame:
        """The findings that only the whole sheet tells: keys that stand twice, sums over several rows, and so on."""
        parts: list[pl.DataFrame] = []
        for path, keys in self._keys.items():
            # Rows of one order repeat its key, each with a line of its own.
            if not (path == self._mapping.match_key and any(f.many for f in self._fed)):
                parts += keys.findings()
        for field in self._fed:
            swapped = self._dates[field.path].findings(field)
            parts += [swapped] if swapped is not None else []
        return self._counted([*parts, *self._sums.findings()])

    def _counted(self, parts: list[pl.DataFrame]) -> pl.DataFrame:
        findings = pl.concat([no_findings(), *(part for part in parts if part.height)])
        self._held.append(findings.filter(pl.col("blocks"))["row"].unique().to_numpy())
        self._warned.append(findings.filter(~pl.col("blocks"))["row"].unique().to_numpy())
        return findings

    def _unfed(self, rows: pl.Series) -> Iterator[pl.DataFrame]:
        lines_fed = any(field.many for field in self._fed)
        for field in self._type.writable:
            if field.required and not field.nullable and field not in self._fed and (not field.many or lines_fed):
                yield findings_frame(rows, field.path, "required", None, "is fed by nothing, and the site requires it")

    def _field_findings(self, rows: pl.Series, field: Field, landed: Landed) -> Iterator[pl.DataFrame]:
        yield from _unread(rows, field, self._mapping.fields[field.path], landed)
        sound = landed.failed == 0
        for rule in RULES:
            if not rule.applies(field):
                continue
            broken = rule.breaks(field, landed.values).fill_null(False) & sound
            if rule.name != "required":
                broken = broken & landed.values.is_not_null()
            if broken.any():
                values = landed.values.filter(broken)
                says = [rule.says(field, value or "") for value in values]
                yield findings_frame(rows.filter(broken), field.path, rule.name, values, says, blocks=rule.blocks)
                sound = sound & ~broken
        values = landed.values.set(~sound, None)
        yield from suspicious(rows, field, values, self._today)
        far = self._medians[field.path].far(rows, field, values)
        if far is not None:
            yield far
        self._dates[field.path].see(rows, values)
        if field.path in self._keys:
            self._keys[field.path].see(rows, values)

    def _record_findings(self, rows: pl.Series) -> Iterator[pl.DataFrame]:
        """What the site's rules on a whole record say of each, where it has such rules."""
        if self._rest is None:
            return
        by_path = {field.path: self.landed[field.path].values.to_list() for field in self._fed}
        fields = {field.path: field for field in self._fed}
        broken, says = [], []
        for index, row in enumerate(rows):
            values = {path: _json(fields[path], column[index]) for path, column in by_path.items()}
            body = nest({path: value for path, value in values.items() if value is not None}, self._type.lists)
            error = next(self._rest.iter_errors(body), None)
            if error is not None:
                broken.append(row)
                says.append(f"breaks a rule of the site: {error.message}")
        if broken:
            yield findings_frame(pl.Series(broken, dtype=pl.Int64), WHOLE_ROW, "site's rule", None, says)


def validate_mapping(mapping: Mapping, record_type: RecordType) -> None:
    """Raises InvalidMapping where a mapping names a field that the site has not, or does not take."""
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


def key_of(field: Field, values: pl.Series) -> pl.Series:
    """What two values of a match key are compared by: e-mail addresses without regard to case."""
    return values.str.to_lowercase() if field.format == "email" else values


def _is_fed(mapping: Mapping, field: Field) -> bool:
    fed = mapping.fields.get(field.path)
    return fed is not None and fed.fed


def _numbers(parts: list[npt.NDArray[np.int64]]) -> npt.NDArray[np.int64]:
    return np.unique(np.concatenate(parts)) if parts else np.empty(0, dtype=np.int64)


def _json(field: Field, text: str | None) -> object:
    try:
        return to_json(field, text)
    except (ValueError, ArithmeticError):
        return text


def _record_validator(record_type: RecordType) -> jsonschema_rs.Draft202012Validator | None:
    if record_type.rest is None:
        return None
    try:
        return jsonschema_rs.Draft202012Validator(record_type.rest)
    except (ValueError, jsonschema_rs.ValidationError):
        # A schema that is none cannot be held to; the site itself will judge.
        return None


def _unread(rows: pl.Series, field: Field, mapping: FieldMapping, landed: Landed) -> Iterator[pl.DataFrame]:
    unread = (landed.failed > 0) & (landed.failed < NO_VALUE_SET)
    if unread.any():
        supplied = landed.supplied.filter(unread)
        numbers = landed.failed.filter(unread)
        says = [mapping.steps[number - 1].problem(value or "") for number, value in zip(numbers, supplied, strict=True)]
        yield findings_frame(rows.filter(unread), field.path, "step", supplied, says)
    unset = landed.failed == NO_VALUE_SET
    if unset.any():
        yield findings_frame(
            rows.filter(unset), field.path, "no value set", landed.supplied.filter(unset), "has no value set"
        )


def _flagged(frame: pl.DataFrame) -> pl.DataFrame:
    flagged = frame.filter(pl.col(FLAG).is_not_null())
    return findings_frame(flagged[ROW], WHOLE_ROW, "row", None, [FLAGS[flag] for flag in flagged[FLAG]])


class _Keys:
    """The values of a field that must differ in every row: each later one that repeats an earlier is held."""

    def __init__(self, field: Field, is_match_key: bool) -> None:
        self._field = field
        self._rule = "same key twice" if is_match_key else "same value twice"
        self._parts: list[pl.DataFrame] = []

    def see(self, rows: pl.Series, values: pl.Series) -> None:
        """Take the sound values of some more rows."""
        keys = key_of(self._field, values)
        # A hash instead of the text, so that a million keys are eight megabytes.
        part = pl.DataFrame(
            {"row": rows, "key": keys.hash(seed=7), "loose": _loose(keys).hash(seed=7), "value": values}
        )
        self._parts.append(part.filter(values.is_not_null()))

    def findings(self) -> Iterator[pl.DataFrame]:
        frame = pl.concat(self._parts) if self._parts else None
        if frame is None or not frame.height:
            return
        frame = frame.with_columns(
            pl.col("row").min().over("key").alias("first"), pl.col("row").min().over("loose").alias("loose first")
        )
        later = frame.filter(pl.col("row") != pl.col("first"))
        if later.height:
            says = [f"is the same as in row {first:,}" for first in later["first"]]
            yield findings_frame(later["row"], self._field.path, self._rule, later["value"], says)
        alike = frame.filter((pl.col("row") == pl.col("first")) & (pl.col("loose first") != pl.col("row")))
        if alike.height:
            says = [f"is the key of row {first:,} in another spelling" for first in alike["loose first"]]
            yield findings_frame(alike["row"], self._field.path, "two spellings", alike["value"], says, blocks=False)


def _loose(keys: pl.Series) -> pl.Series:
    """Keys without case, spaces, hyphens and leading zeros, by which two spellings of one are told."""
    return keys.str.to_lowercase().str.replace_all(r"[\s\-_./]+", "").str.replace(r"^0+", "")
