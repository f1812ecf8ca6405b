"""Every row against every rule, a column at a time, a chunk of rows after the other."""

from __future__ import annotations

import datetime as dt
import difflib
from collections.abc import Collection, Iterator
from collections.abc import Mapping as AnyMapping
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
import polars as pl

from datorum.core.check.acceptance import Acceptance, with_accepted
from datorum.core.check.across import across, across_pairs, sums, without_lines
from datorum.core.check.field_check import CheckedField, FieldCheck
from datorum.core.check.findings import Where, findings_frame, no_findings, places
from datorum.core.check.keys import Keys
from datorum.core.check.link_rules import link_findings
from datorum.core.check.making import Maker, Named
from datorum.core.check.record_rules import SchemaRules, formula_findings, rule_fields
from datorum.core.check.suspicious import DayOrMonth, Median
from datorum.core.check.text_addresses import address_findings
from datorum.core.errors import InvalidMapping, Place
from datorum.core.files import Files
from datorum.core.formula import Scope
from datorum.core.link import LinkFared, LinkTarget, References, Resolved, resolved
from datorum.core.link.addresses import Leading, TextsFared, texts_fared
from datorum.core.model import WHOLE_ROW, FieldType, Finding, Mapping, RecordType
from datorum.core.shape.grains import RECORD, SHEET, Grains, flagged
from datorum.core.shape.kinds.rows_together import NO_HEAD
from datorum.core.shape.whole import shaped
from datorum.core.steps.landing import Landed, with_values
from datorum.core.table import FLAG, ROW


@dataclass(frozen=True)
class Checked:
    """What a check of as many records found: ``findings`` has the columns of ``FINDING_SCHEMA``, worst first, then by
    row."""

    rows: int
    findings: pl.DataFrame
    landed: dict[str, Landed]

    @property
    def held_records(self) -> pl.Series:
        """The numbers of the records with at least one finding that blocks."""
        return self.findings.filter(holding())["record"].unique()

    @property
    def held(self) -> int:
        return len(self.held_records)

    @property
    def ready(self) -> int:
        return self.rows - self.held

    @property
    def warned(self) -> int:
        """How many ready records have a warning."""
        warned = self.findings.filter(warning())["record"].unique()
        return len(warned.filter(~warned.is_in(self.held_records.implode())))


def check(
    frame: pl.DataFrame, record_type: RecordType, mapping: Mapping, today: dt.date, scope: Scope | None = None
) -> Checked:
    """Land every fed field of a sheet frame and hold it to every rule."""
    checker = Checker(record_type, mapping, today, scope)
    grains = shaped(mapping.shape, frame)
    part = checker.check_part(grains)
    findings = pl.concat([checker.add(part), checker.finish()])
    return Checked(grains.records.height, findings.sort(["blocks", "row"], descending=[True, False]), part.landed)


def holding() -> pl.Expr:
    """The findings that hold their rows."""
    return pl.col("blocks") & ~pl.col("accepted")


def warning() -> pl.Expr:
    """The findings that warn of rows that can go."""
    return ~pl.col("blocks") & ~pl.col("accepted")


class CheckedPart(NamedTuple):
    """What one look at some records gave: where the rows of each grain stand, by the path of a list (None: the records
    themselves); ``landed`` by path, each with the rows of its field's grain; what was ``found`` in them alone, and for
    what only the whole sheet tells the ``fields`` and ``keys`` by path."""

    where: dict[str | None, Where]
    landed: dict[str, Landed]
    found: list[pl.DataFrame]
    fields: dict[str, CheckedField]
    keys: dict[tuple[str, ...], pl.DataFrame]
    links: dict[str, Resolved]
    """Of links how the distinct values of ``landed`` fared."""
    named: dict[str, Named | None]
    """Of links what is to be made."""
    texts: dict[str, TextsFared]
    """Of texts with addresses in them how the distinct ones fared."""

    @property
    def sent(self) -> dict[str, Landed]:
        """``landed`` with the records that links mean in the place of their keys, the files in that of their names, and
        texts with the addresses that their records have here."""
        files = {path: one.sound for path, one in self.fields.items() if one.field.type is FieldType.FILE}
        meant = files | {path: one.value for path, one in self.links.items()}
        meant |= {path: one.texts for path, one in self.texts.items()}
        return self.landed | {path: with_values(self.landed[path], values) for path, values in meant.items()}

    @property
    def records(self) -> pl.Series:
        """The numbers of the records."""
        return self.where[None].records


class Checker:
    """A check in chunks. ``look`` sees one chunk and keeps nothing, so that several can be looked at at once; ``take``
    gives its findings, chunk by chunk in order; ``finish`` what only the whole sheet tells.

    ``accepted`` findings are told and hold nothing. ``only`` names the fields that are checked, and nothing else is;
    they should be ``related`` to no others. ``links``: whom fields mean, by path; without it a link is held to its
    field alone. ``files``: those that values may name; ``addresses``: where those in texts lead, by path. ``rows``,
    ``held``, ``ready`` and ``warned`` count all that was taken so far.
    """

    def __init__(
        self,
        record_type: RecordType,
        mapping: Mapping,
        today: dt.date,
        scope: Scope | None = None,
        only: Collection[str] | None = None,
        accepted: Collection[Acceptance] = (),
        links: AnyMapping[str, LinkTarget] | None = None,
        files: Files | None = None,
        addresses: AnyMapping[str, Leading] | None = None,
    ) -> None:
        validate_mapping(mapping, record_type)
        self._type = record_type
        self._scope = scope or mapping.scope(dt.datetime.combine(today, dt.time()))
        self._everything = only is None
        self._accepted = accepted
        self._wanted = [field for field in record_type.writable if only is None or field.path in only]
        self._fed = [field for field in self._wanted if is_fed(mapping, field.path)]
        self._fed_lists = fed_lists(mapping, record_type)
        self._seen = {field.path: mapping.fields[field.path].seen_columns() for field in self._fed}
        feeds = {field.path: mapping.resolved(mapping.fields[field.path], field.path) for field in self._fed}
        self._links = {field.path: links[field.path] for field in self._fed if links and field.path in links}
        self._leading = {field.path: addresses[field.path] for field in self._fed
                         if addresses and field.path in addresses}  # fmt: skip
        known = files or Files()
        self._makers = {path: Maker(path, target, target.making, self._scope, today, known)
                        for path, target in self._links.items() if target.making is not None}  # fmt: skip
        self._references = References(self._links)
        judged = {field.path: self._links[field.path].judged(field) if field.path in self._links else field
                  for field in self._fed}  # fmt: skip
        self._checks = {path: FieldCheck(field, feeds[path], self._scope, today, known)
                        for path, field in judged.items()}  # fmt: skip
        own = {field.path: field for field in self._fed if not field.in_list}
        alone = [(path,) for path, field in own.items() if field.unique]
        together = [group for group in dict.fromkeys([*alone, mapping.keys, *record_type.unique_together])
                    if group and own.keys() >= set(group)]  # fmt: skip
        self._keys = {group: Keys([own[path] for path in group], is_match_key=group == mapping.keys)
                      for group in together}  # fmt: skip
        self._by_column = _fed_by_column(mapping)
        self._used_up = {name for shape in mapping.shape for name in shape.used_columns()}
        self._medians = {field.path: Median(field) for field in self._fed}
        self._dates = {field.path: DayOrMonth(feeds[field.path]) for field in self._fed}
        self._schema = SchemaRules(record_type)
        paths = {field.path for field in self._wanted}
        names = rules_on(record_type, paths)
        self._rules = [rule for rule in record_type.rules if self._everything or rule.rule in names]
        self._held: list[npt.NDArray[np.int64]] = []
        self._warned: list[npt.NDArray[np.int64]] = []
        self.rows = 0

    @property
    def held_records(self) -> npt.NDArray[np.int64]:
        """The numbers of the records with at least one finding that blocks."""
        return _numbers(self._held)

    @property
    def held(self) -> int:
        return len(self.held_records)

    @property
    def ready(self) -> int:
        return self.rows - self.held

    @property
    def warned(self) -> int:
        return len(np.setdiff1d(_numbers(self._warned), self.held_records))

    def check_part(self, grains: Grains) -> CheckedPart:
        """Land the fields of some records and hold each to the rules."""
        where = places(grains, self._type)
        fields = {}
        for field in self._fed:
            frame = grains.seen_from(field.in_list, self._seen[field.path])
            fields[field.path] = self._checks[field.path].check_part(frame, where[field.in_list])
        landed = {path: one.landed for path, one in fields.items()}
        links = {
            path: resolved(target, fields[path].sound_typed if target.many else fields[path].sound)
            for path, target in self._links.items()
        }
        found = [
            *self._unfed(where),
            *self.across_fields(grains, landed, where),
            *(one.found for one in fields.values()),
        ]
        found = self._without_empty(where, landed, found)
        for path, one in links.items():
            field = self._type.field(path)
            found += link_findings(where[field.in_list], field, self._links[path], landed[path], one)
        texts = {path: texts_fared(leading, fields[path].sound) for path, leading in self._leading.items()}
        for path, fared in texts.items():
            place = where[self._type.field(path).in_list]
            found += address_findings(place, path, self._leading[path], landed[path], fared)
        named = {}
        for path, maker in self._makers.items():
            of_list = self._type.field(path).in_list
            seen = grains.seen_from(of_list, maker.seen_columns())
            named[path] = maker.named(seen, where[of_list], fields[path], links[path])
        frame = grains.records
        headers = where[None].records.filter(frame[FLAG].eq_missing("header again"))
        if len(headers):
            # It is no record, and that is all there is to be said of it.
            found = [
                part.filter((pl.col("rule") == "row") | ~pl.col("record").is_in(headers.implode())) for part in found
            ]
        records = where[None].records
        keys = {group: keys.hashed(records, [fields[path].sound_values for path in group])
                for group, keys in self._keys.items()}  # fmt: skip
        return CheckedPart(where, landed, [part for part in found if part.height], fields, keys, links, named,
                           texts)  # fmt: skip

    def _without_empty(
        self, where: dict[str | None, Where], landed: dict[str, Landed], found: list[pl.DataFrame]
    ) -> list[pl.DataFrame]:
        """What was found, but for what the site requires in objects of a list that a record need not have, where
        nothing has landed in one: there is no such object."""
        optional = {field.in_list for field in self._fed if field.list_optional}
        for path in sorted(one for one in optional if one):
            place, fields = where[path], [one for one in self._fed if one.in_list == path]
            blank = pl.select(pl.all_horizontal(
                *(landed[one.path].values.is_null() & (landed[one.path].failed == 0) for one in fields)
            )).to_series()  # fmt: skip
            if blank.any():
                empty = place.filter(blank)
                lines = pl.repeat(0, len(empty), dtype=pl.Int32, eager=True) if empty.lines is None else empty.lines
                none = pl.DataFrame({"record": empty.records, "line": lines, "rule": "required"})
                within = pl.col("field").str.starts_with(f"{path}.")
                found = [pl.concat([part.filter(~within),
                                    part.filter(within).join(none, on=["record", "line", "rule"], how="anti")])
                         for part in found]  # fmt: skip
        return found

    def across_fields(
        self, grains: Grains, landed: dict[str, Landed], where: dict[str | None, Where] | None = None
    ) -> Iterator[pl.DataFrame]:
        """What the rules say that see more than one field of a record."""
        where = where or places(grains, self._type)
        yield from across(where, self._type, landed)
        for rule in self._rules:
            yield from formula_findings(where, self._type, rule, landed, self._scope)
        if self._everything:
            yield from self._amiss(grains)
            yield from self._schema.findings(where, self._fed, landed)
            yield from sums(where, self._type, landed)
            yield from without_lines(where, self._type, landed)

    def _amiss(self, grains: Grains) -> Iterator[pl.DataFrame]:
        """What the reader and the shapes said of rows, told of the fields that are fed by what is amiss."""
        for part in (flagged(grains.records), *grains.odd):
            for (column, rule, blocks), rows in part.group_by("column", "rule", "blocks", maintain_order=True):
                # What is used up feeds no field of its own: it is of the row.
                used = str(column) in self._used_up
                paths = self._by_column.get(str(column), (WHOLE_ROW,) if used else ()) if column else (WHOLE_ROW,)
                for path in paths[:1]:
                    place = Where(rows[ROW], rows[RECORD], None, rows[SHEET])
                    yield findings_frame(
                        place, path, str(rule), rows["value"], rows["message"].to_list(), blocks=bool(blocks)
                    )

    def left_over(self, rows: pl.DataFrame) -> pl.DataFrame:
        """The findings on rows of other sheets that are of no record, which are given as what is amiss."""
        place = Where(rows[ROW], pl.repeat(None, rows.height, dtype=pl.Int64, eager=True), None, rows[SHEET])
        return findings_frame(place, WHOLE_ROW, NO_HEAD, rows["value"], rows["message"].to_list(), blocks=False)

    def add(self, part: CheckedPart) -> pl.DataFrame:
        """The findings on some more records."""
        self.rows += len(part.records)
        parts = list(part.found)
        for field in self._fed:
            checked = part.fields[field.path]
            where = part.where[field.in_list]
            if self._medians[field.path].wanted:
                parts += self._medians[field.path].far(
                    where, checked.sound_values, checked.landed.over_rows(checked.sound_typed)
                )
            if self._dates[field.path].open:
                self._dates[field.path].see(where, checked.sound_values)
        for group, keys in self._keys.items():
            keys.take(part.keys[group])
        for path, maker in self._makers.items():
            maker.take(part.named[path])
        for path, one in part.links.items():
            self._references.add(path, one, part.landed[path].codes)
        return self._counted(parts)

    def finish(self) -> pl.DataFrame:
        """The findings that only the whole sheet tells: keys that stand twice, sums over several rows, and so on."""
        parts: list[pl.DataFrame] = []
        for keys in self._keys.values():
            parts += keys.findings()
        for field in self._fed:
            parts += self._dates[field.path].findings(field)
        for maker in self._makers.values():
            parts += maker.findings()
        return self._counted(parts)

    @property
    def links(self) -> list[LinkFared]:
        """How the references fared of the records that were taken, link by link."""
        return self._references.done()

    @property
    def makers(self) -> tuple[Maker, ...]:
        """Of each link that has records made those that all rows name that were taken."""
        return tuple(self._makers.values())

    def _counted(self, parts: list[pl.DataFrame]) -> pl.DataFrame:
        findings = with_accepted(pl.concat([no_findings(), *parts]), self._accepted)
        self._held.append(findings.filter(holding())["record"].drop_nulls().unique().to_numpy())
        self._warned.append(findings.filter(warning())["record"].drop_nulls().unique().to_numpy())
        return findings

    def _unfed(self, where: dict[str | None, Where]) -> Iterator[pl.DataFrame]:
        for field in self._wanted:
            unfed = field.required and not field.nullable and field not in self._fed
            if unfed and (not field.in_list or field.in_list in self._fed_lists):
                place = where[field.in_list]
                yield findings_frame(place, field.path, "required", None, "is fed by nothing, and the site requires it")


def rules_on(record_type: RecordType, paths: Collection[str]) -> set[str]:
    """The names of the added rules that see any of these fields."""
    return {rule.rule for rule in record_type.rules if set(rule_fields(rule)) & set(paths)}


def related(record_type: RecordType, mapping: Mapping, paths: Collection[str]) -> set[str] | None:
    """These fields and all that some rule holds together with them; None where a rule holds the whole record, so that
    any change is a change to all."""
    if record_type.other_keywords is not None or fed_lists(mapping, record_type) or set(mapping.keys) & set(paths):
        return None
    together = list(across_pairs(record_type)) + [set(group) for group in record_type.unique_together]
    together += [set(rule_fields(rule)) for rule in record_type.rules]
    found = set(paths)
    while grown := {path for group in together if group & found for path in group} - found:
        found |= grown
    return found


def validate_mapping(mapping: Mapping, record_type: RecordType) -> None:
    """Raises InvalidMapping where a mapping names a field that the site has not, or does not take, or makes records
    otherwise than one of each row."""
    for shape in mapping.shape:
        if shape.into and shape.into not in record_type.lists:
            raise InvalidMapping(
                f"The site’s {record_type.name} hold no list {shape.into}.",
                remedy=f"They hold {', '.join(sorted(record_type.lists)) or 'none'}.",
                place=Place(field=shape.into),
            )
    writable = {field.path for field in record_type.writable}
    for path in (*mapping.fields, *mapping.keys):
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


def required_unfed(mapping: Mapping, record_type: RecordType) -> list[str]:
    """The paths of the fields that the site requires and nothing feeds; of a list that a record need not have only
    where anything feeds that."""
    lists = fed_lists(mapping, record_type)
    return [field.path for field in record_type.writable if field.required and not is_fed(mapping, field.path)
            and (not field.list_optional or field.in_list in lists)]  # fmt: skip


def _fed_by_column(mapping: Mapping) -> dict[str, list[str]]:
    """The paths of the fields that each column feeds."""
    found: dict[str, list[str]] = {}
    for path, fed in mapping.fields.items():
        for column in fed.columns:
            found.setdefault(column, []).append(path)
    return found


def _numbers(parts: list[npt.NDArray[np.int64]]) -> npt.NDArray[np.int64]:
    return np.unique(np.concatenate(parts)) if parts else np.empty(0, dtype=np.int64)
