"""Which records of a sheet answer a question of the ledger."""

from __future__ import annotations

import random

from sqlalchemy.orm import Session

from datorum.core.model import Mapping
from datorum.stations import find
from datorum.stations.check import found_records, latest_check
from datorum.stations.imports import Opened
from datorum.stations.landings import left_out_rows, telling_records
from datorum.stations.ledger.shown import Question
from datorum.store.records import RecordRows


def choose(store: Session, now: Opened, mapping: Mapping, question: Question) -> tuple[int, list[int]]:
    """How many records answer the question, and the numbers of those that are shown, in order."""
    first, last = question.offset, question.offset + question.count
    records = RecordRows(store, now.source(mapping))
    match question.records:
        case "first":
            return records.total, records.slice(first, question.count)
        case "telling":
            found = telling_records(now, mapping)
        case "random":
            # As many as anybody walks through, the same for one seed, without shuffling a million.
            chance = random.Random(question.seed)  # noqa: S311 (no secret)
            places = chance.sample(range(records.total), min(records.total, find.MOST))
            return len(places), records.number_at(places[first:last])
        case "left out":
            out = left_out_rows(now, mapping)["row"]
            return len(out), out.slice(first, question.count).to_list()
        case "search":
            found = _searched(now, records, question.search)
        case _:
            found = _with_findings(store, now, question)
    return len(found), found[first:last]


def _with_findings(store: Session, now: Opened, question: Question) -> list[int]:
    result = latest_check(store, now.item.id)
    if result is None or result.sheet_id != now.sheet.id:
        return []
    rule = question.rule if question.records == "finding" else None
    return found_records(store, result.id, question.field, rule)


def _searched(now: Opened, records: RecordRows, search: str) -> list[int]:
    """The record of the row of that number, or the records that contain a text in any column of their rows."""
    wanted = search.strip()
    if wanted.isdecimal() and now.rows.has(int(wanted)):
        return records.of_rows([int(wanted)])
    return records.of_rows([one.row for one in find.rows_with_text(now.rows, wanted)])
