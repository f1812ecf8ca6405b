"""Records of the sheet in the ledger: at Map what lands, at Check what was found."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping as AnyMapping
from typing import Any, TypedDict

import polars as pl
from sqlalchemy.orm import Session

from datorum.core.check import Checker, as_findings, with_accepted
from datorum.core.link import LinkTarget, resolved
from datorum.core.link.keys import ROW_OF
from datorum.core.model import Field as SiteField
from datorum.core.model import Finding, Mapping
from datorum.core.model.link_rule import BETWEEN_PARTS
from datorum.core.shape.grains import RECORD, Grains
from datorum.core.steps.landing import Landed
from datorum.core.table import ROW
from datorum.core.typed import typed
from datorum.sites.rest.model import Link
from datorum.stations.check import acceptances, findings_of, latest_check
from datorum.stations.imports import Opened
from datorum.stations.landings import left_out_rows, scope_of, shown_field, shown_records, today
from datorum.stations.ledger.shown import BETWEEN_ITEMS, Cell, Mark, RecordHead
from datorum.stations.link_targets import targets
from datorum.stations.link_view import labels_of
from datorum.stations.links import judged_as, links_of
from datorum.store import models
from datorum.store.records import RecordRows

_Place = tuple[int, int, str]
"""A record, the number of a line in it or 0, and a field."""


class MapView:
    """Upper: supplied. Lower: landed, or why it does not land. Whatever the mapping, saved or not."""

    def __init__(self, store: Session, now: Opened, mapping: Mapping, numbers: list[int]) -> None:
        self._mapping = mapping
        self._type = now.record_type
        self._numbers = numbers
        self._grains = shown_records(now.source(mapping), tuple(numbers))
        self._rows = _rows_of(store, now, mapping, self._grains)
        # Only what can be said of each record alone: what the whole sheet tells is for Check.
        self._shown = {
            field.path: shown_field(now, mapping, judged_as(now, mapping, field), numbers)
            for field in now.record_type.writable
        }
        self._landed = {path: one.landed for path, one in self._shown.items() if one.landed is not None}
        checker = Checker(now.record_type, mapping, today(), scope_of(now, mapping))
        found = [*(one.found for one in self._shown.values()), *checker.across_fields(self._grains, self._landed)]
        findings = with_accepted(pl.concat(found), acceptances(store, now.item.id))
        self._findings = _by_place(as_findings(_worst_first(findings)))
        self._held = {record for (record, _, _), one in self._findings.items() if one.blocks and not one.accepted}
        self._left_out = _reasons(now, mapping, pl.Series(numbers, dtype=pl.Int64))
        self._counts = _counts(self._grains)
        self._links = _found(store, now, mapping, self._landed)

    def heads(self) -> list[RecordHead]:
        labels = self._labels()
        return [
            RecordHead(
                row=number,
                label=labels.get(number, ""),
                place=self._rows[number],
                mark="same" if number in self._left_out else "held" if number in self._held else "",
                note=self._left_out.get(number, ""),
                lines=self._counts[number],
            )
            for number in self._grains.records[RECORD]
        ]

    def cells(self, field: SiteField) -> list[list[Cell]]:
        by_record: dict[int, list[Cell]] = defaultdict(list)
        shown = self._shown[field.path]
        if shown.landed is None:
            for number in self._numbers:
                finding = self._findings.get((number, 0, field.path))
                by_record[number].append(Cell().model_copy(update=_told(finding) if finding else {}))
        else:
            supplied, values = shown.landed.supplied.to_list(), shown.landed.values.to_list()
            for number, upper, lower in zip(shown.records.to_list(), supplied, values, strict=True):
                line = len(by_record[number]) + 1 if field.in_list else 0
                cell = Cell(upper=upper, lower=lower, mark="same" if upper == lower else "")
                if field.path in self._links and lower is not None:
                    cell = self._links[field.path].get(lower, cell).model_copy(update={"upper": upper})
                finding = self._findings.get((number, line, field.path))
                by_record[number].append(cell.model_copy(update=_told(finding)) if finding else cell)
        return [by_record[number] for number in self._grains.records[RECORD]]

    def _labels(self) -> dict[int, str]:
        key = self._shown.get(self._mapping.match_key or "")
        if key is None or key.landed is None:
            return {}
        values = zip(key.records.to_list(), key.landed.values, key.landed.supplied, strict=True)
        return {number: value or supplied or "" for number, value, supplied in values}


class CheckView:
    """Upper: landed. Lower: what the last check said."""

    def __init__(self, store: Session, now: Opened, numbers: list[int]) -> None:
        self._map = MapView(store, now, now.mapping, numbers)
        result = latest_check(store, now.item.id)
        kept = findings_of(store, result.id, numbers) if result and result.sheet_id == now.sheet.id else []
        self._kept = _by_place(kept)
        self._held = {one.record for one in kept if one.blocks and not one.accepted}

    def heads(self) -> list[RecordHead]:
        return [
            head.model_copy(
                update={
                    "mark": "held" if head.row in self._held else "good",
                    "note": self._kept[head.row, 0, ""].message if (head.row, 0, "") in self._kept else "",
                }
            )
            if head.mark != "same"
            else head
            for head in self._map.heads()
        ]

    def cells(self, field: SiteField) -> list[list[Cell]]:
        numbers = [head.row for head in self._map.heads()]
        return [
            [self._cell(number, line if field.in_list else 0, field, cell) for line, cell in enumerate(cells, 1)]
            for number, cells in zip(numbers, self._map.cells(field), strict=True)
        ]

    def _cell(self, number: int, line: int, field: SiteField, cell: Cell) -> Cell:
        finding = self._kept.get((number, line, field.path))
        if finding is None:
            return cell.model_copy(
                update={
                    "upper": cell.lower,
                    "lower": None,
                    "note": "",
                    "mark": "good" if cell.lower is not None else "",
                }
            )
        shown = cell.lower if cell.lower is not None else cell.upper
        return cell.model_copy(update={"upper": shown, "lower": None, **_told(finding)})


def _found(
    store: Session, now: Opened, mapping: Mapping, landed: AnyMapping[str, Landed]
) -> dict[str, dict[str, Cell]]:
    """Of links by path the cell of each landed key: whom it finds, by name."""
    return {
        path: _cells_of(store, now, links_of(now)[path], target, landed[path].values.drop_nulls().unique())
        for path, target in targets(store, now, mapping).items()
        if path in landed
    }


def _cells_of(store: Session, now: Opened, link: Link, target: LinkTarget, keys: pl.Series) -> dict[str, Cell]:
    several = typed(now.record_type.field(link.field), keys).values.to_list() if target.many else []
    found = resolved(target, pl.Series(several, dtype=pl.List(pl.String)) if target.many else keys)
    means = [value if isinstance(value, list) else [value] if value else [] for value in found.value.to_list()]
    known = labels_of(store, now, link, [one for values in means for one in values if ROW_OF not in one])
    cells = {}
    for at, (key, state, count, place) in enumerate(zip(keys, found.state, found.records, found.place, strict=True)):
        labels = [known[value] for value in means[at] if value in known]
        said = BETWEEN_ITEMS.join(several[at] or [key]) if target.many else key.replace(BETWEEN_PARTS, " · ")
        shown = BETWEEN_ITEMS.join(f"→ {label.text}" for label in labels) or f"→ {said}"
        page = labels[0].page if len(labels) == 1 else None
        match state:
            case "found":
                note = "" if place == "on the site" else place or ""
                cells[key] = Cell(lower=shown, mark="good", note=note, page=page)
            case "awaited":
                cells[key] = Cell(lower=shown, mark="changed", note=place or "")
            case "made":
                article = "an" if target.one[:1] in "aeiou" else "a"
                cells[key] = Cell(lower=f"→ {said}", mark="changed", note=f"{article} {target.one} that is made first")
            case "fixed":
                cells[key] = Cell(
                    lower=f"→ record {target.rule.fixed}", mark="changed", note=f"no {target.one}: the fixed one"
                )
            case "left blank":
                cells[key] = Cell(lower=None, mark="changed", note=f"no {target.one}: left blank")
            case "unread":
                note = f"not looked for yet: the site’s {target.to} have not been read"
                cells[key] = Cell(lower=said, mark="same", note=note)
            case "missing":
                cells[key] = Cell(lower=None, mark="held", note=f"finds no {target.one}")
            case _:
                cells[key] = Cell(lower=None, mark="held", note=f"finds {count:,} {target.to}")
    return cells


def _by_place(findings: list[Any]) -> dict[_Place, Any]:
    """The worst finding of each place, of findings of which the worst come first."""
    return {(one.record or 0, one.line, one.field): one for one in reversed(findings)}


def _rows_of(store: Session, now: Opened, mapping: Mapping, grains: Grains) -> dict[int, str]:
    """Where each record stands in the sheet, in words."""
    records = RecordRows(store, now.source(mapping))
    several = any(shape.keys for shape in records.shapes)
    found = {}
    for number, row in grains.records.select(RECORD, ROW).iter_rows():
        rows = records.rows_of([number]) if several else [row]
        if number != row:
            found[number] = f"no row of its own, above row {row:,}"
        elif len(rows) == 1:
            found[number] = f"row {row:,}"
        elif rows[-1] - rows[0] == len(rows) - 1:
            found[number] = f"rows {rows[0]:,}–{rows[-1]:,}"
        else:
            found[number] = f"{len(rows):,} rows, {rows[0]:,} to {rows[-1]:,}"
    return found


def _counts(grains: Grains) -> dict[int, dict[str, int]]:
    """How many objects each record has in each list that a shape makes."""
    found: dict[int, dict[str, int]] = {number: dict.fromkeys(grains.lists, 0) for number in grains.records[RECORD]}
    for path, frame in grains.lists.items():
        for number, count in frame[RECORD].value_counts().iter_rows():
            if number in found:
                found[number][path] = count
    return found


def _worst_first(findings: pl.DataFrame) -> pl.DataFrame:
    return findings.sort(["accepted", "blocks"], descending=[False, True], maintain_order=True)


class _Told(TypedDict):
    mark: Mark
    note: str


def _told(finding: Finding | models.StoredFinding) -> _Told:
    """How a cell shows a finding."""
    if finding.accepted:
        return _Told(mark="same", note=f"accepted: {finding.message}")
    return _Told(mark="held" if finding.blocks else "warned", note=finding.message)


def _reasons(now: Opened, mapping: Mapping, records: pl.Series) -> dict[int, str]:
    """Why some of the records are left out."""
    out = left_out_rows(now, mapping)
    return dict(out.filter(pl.col("row").is_in(records.implode())).iter_rows()) if out.height else {}
