"""The one assembly of the ledger: which records, then the cells of each field for them, whatever the station."""

from __future__ import annotations

from dataclasses import dataclass
from functools import partial

from sqlalchemy.orm import Session

from datorum.core.check import validate_mapping
from datorum.core.errors import NotFound
from datorum.core.model import Field as SiteField
from datorum.core.model import Mapping, RecordType
from datorum.stations.basis import Target
from datorum.stations.imports import Opened, open_import
from datorum.stations.landings import judged_counts
from datorum.stations.ledger.choose import choose
from datorum.stations.ledger.landed import CheckView, MapView
from datorum.stations.ledger.planned import PlannedView
from datorum.stations.ledger.shown import (
    BETWEEN_ITEMS,
    Cell,
    Fill,
    Ledger,
    Line,
    LinesQuestion,
    LinesTable,
    Question,
    View,
    dressed,
    hint,
)
from datorum.stations.link_view import labels_of
from datorum.stations.links import judged_as, link_hint, link_paths, links_of
from datorum.stations.rehearse import latest_plan
from datorum.stations.remembered import Remembered, state_of


def ledger(store: Session, import_id: int, question: Question) -> Ledger:
    """The ledger of an import at one station. Raises NotFound, or InvalidMapping for a mapping that does not fit."""
    if question.mapping is not None:
        # Of a mapping that is being edited no more is worked out than is shown.
        return _dressed(store, import_id, question)
    state = state_of(store, import_id)
    first = question.offset // _TOGETHER * _TOGETHER
    parts = []
    for offset in range(first, question.offset + question.count, _TOGETHER):
        together = question.model_copy(update={"offset": offset, "count": _TOGETHER})
        work_out = partial(_dressed, store, import_id, together)
        parts.append(_SEEN.get((import_id, together.model_dump_json()), state, work_out))
    return _shown(parts, question.offset - first, question)


_TOGETHER = 126
"""As many records are worked out together: that takes little longer than a few, and others walk on to them."""
_SEEN: Remembered[Ledger] = Remembered(48)


def _shown(parts: list[Ledger], at: int, question: Question) -> Ledger:
    """Of records that were worked out together those that are asked for, from the place ``at``."""
    wanted = slice(at, at + question.count)
    lines = [
        line.model_copy(update={"cells": [cell for one in same for cell in one.cells][wanted]})
        for same in zip(*(part.lines for part in parts), strict=True)
        for line in same[:1]
    ]
    records = [record for part in parts for record in part.records][wanted]
    return Ledger(total=parts[0].total, offset=question.offset, records=records, lines=lines)


def _dressed(store: Session, import_id: int, question: Question) -> Ledger:
    """The ledger with how each cell is shown."""
    shown, lines = _ledger(store, import_id, question), []
    for line in shown.lines:
        fed = question.station != "map" or line.fill is not None
        cells = [dressed(cell, question.station, fed=fed) for cell in line.cells]
        lines.append(line.model_copy(update={"cells": cells}))
    return shown.model_copy(update={"lines": lines})


def lines_of(store: Session, import_id: int, question: LinesQuestion) -> LinesTable:
    """All objects of a list of the first record that answers a question. Raises NotFound where none does."""
    path = question.path
    now = open_import(store, import_id)
    opened = _opened(store, now, question.model_copy(update={"count": 1}))
    heads = opened.view.heads() if opened else []
    if opened is None or not heads:
        raise NotFound("There is no such record.", remedy="Look at the ledger again.")
    fields = [
        field for field in opened.record_type.writable if field.in_list and f"{field.in_list}.".startswith(f"{path}.")
    ]
    columns = [opened.view.cells(field)[0] for field in fields]
    height = max(map(len, columns), default=0)
    objects = [
        [dressed(column[at] if at < len(column) else Cell(), question.station, fed=True) for column in columns]
        for at in range(height)
    ]
    title = opened.record_type.field(path).title
    titles = [title_within(field, opened.record_type) for field in fields]
    return LinesTable(record=heads[0], title=title, fields=titles, objects=objects)


@dataclass(frozen=True)
class _Opened:
    """What the records of a question are shown by."""

    view: View
    total: int
    record_type: RecordType
    keys: tuple[str, ...]


def _opened(store: Session, now: Opened, question: Question) -> _Opened | None:
    """None where nothing was rehearsed yet."""
    if question.station in ("rehearse", "verify"):
        plan = latest_plan(store, now.item.id)
        if plan is None:
            return None
        target = Target.kept(plan)
        view = PlannedView(store, plan, target.record_type, question)
        return _Opened(view, view.total, target.record_type, (target.match_key, *target.key_with))
    mapping = question.mapping or now.mapping
    total, numbers = choose(store, now, mapping, question)
    shown = MapView(store, now, mapping, numbers) if question.station == "map" else CheckView(store, now, numbers)
    return _Opened(shown, total, now.record_type, mapping.keys)


def _ledger(store: Session, import_id: int, question: Question) -> Ledger:
    now = open_import(store, import_id)
    if question.mapping is not None:
        validate_mapping(question.mapping, now.record_type)
    opened = _opened(store, now, question)
    if opened is None:
        return Ledger(total=0, offset=0, records=[], lines=[])
    mapping = question.mapping or now.mapping
    links = link_paths(now)
    fills = question.station in ("map", "check")
    return Ledger(
        total=opened.total,
        offset=question.offset,
        records=opened.view.heads(),
        lines=[
            Line(
                path=field.path,
                title=title_within(field, opened.record_type),
                group=group_of(field, opened.record_type, opened.keys, links),
                hint=link_hint(now, mapping, field) or hint(field),
                is_key=field.path in opened.keys,
                in_list=field.in_list,
                link=field.path in links,
                fill=_fill(now, mapping, field) if fills else None,
                cells=cells,
            )
            for field in in_groups(opened.record_type, opened.keys, links)
            for cells in [_cells(store, now, opened.view, field, question, named=not fills and field.path in links)]
        ],
    )


def _cells(store: Session, now: Opened, view: View, field: SiteField, question: Question, *, named: bool) -> list[Cell]:
    """The cells of a field that are shown; those of links in a plan ``named`` by the records that their ids mean."""
    cells = [_at_line(cells, question.line if field.in_list else 1) for cells in view.cells(field)]
    link = links_of(now).get(field.path) if named else None
    if link is None:
        return cells

    def meant(text: str | None) -> list[str]:
        return [] if text is None else text.split(BETWEEN_ITEMS) if link.many else [text]

    known = labels_of(store, now, link, [one for cell in cells for text in (cell.upper, cell.lower)
                                         for one in meant(text)])  # fmt: skip

    def called(text: str | None) -> str | None:
        shown = (f"→ {known[one].text}" if one in known else one for one in meant(text))
        return None if text is None else BETWEEN_ITEMS.join(shown)

    return [
        cell.model_copy(update={"upper": called(cell.upper), "lower": called(cell.lower),
                                "page": known[cell.lower].page if cell.lower in known else None})
        for cell in cells
    ]  # fmt: skip


def _at_line(cells: list[Cell], line: int) -> Cell:
    return cells[line - 1] if line <= len(cells) else Cell(none=True)


_GROUPS = ("Key", "Required", "Links", "Details", "More")


def group_of(field: SiteField, record_type: RecordType, keys: tuple[str, ...], links: frozenset[str]) -> str:
    """The part of the ledger that a field stands in: one of a few, or that of its list."""
    if field.in_list:
        return record_type.field(min((path for path in record_type.lists if f"{field.path}".startswith(f"{path}.")),
                                     key=len)).title  # fmt: skip
    if field.path in keys:
        return "Key"
    if field.path in links:
        return "Links"
    return "Required" if field.required else "More" if "." in field.path else "Details"


def title_within(field: SiteField, record_type: RecordType) -> str:
    """A field's title, of one in a list without that of the list, under which it stands."""
    if field.in_list is None:
        return field.title
    title = field.title.removeprefix(f"{record_type.field(field.in_list).title}, ")
    return title[:1].upper() + title[1:]


def in_groups(record_type: RecordType, keys: tuple[str, ...], links: frozenset[str]) -> list[SiteField]:
    """The writable fields in the order of the ledger."""

    def place(field: SiteField) -> tuple[int, str]:
        group = group_of(field, record_type, keys, links)
        # What a record holds several of stands before the little that is left.
        return (_GROUPS.index("More"), group) if field.in_list else (_GROUPS.index(group) + (group == "More"), "")

    return sorted(record_type.writable, key=place)


def _fill(now: Opened, mapping: Mapping, field: SiteField) -> Fill | None:
    fed = mapping.fields.get(field.path)
    if fed is None or not fed.fed:
        return None
    counts = judged_counts(now, mapping, judged_as(now, mapping, field), fed)
    return Fill(landed=counts.landed, held=counts.held, blank=counts.blank, whole=now.rows.whole)
