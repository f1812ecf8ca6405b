"""Rows of a sheet are found by what stands in them, and by what was wrong with their lines."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from datorum.core.shape import Correction
from datorum.stations import correct
from datorum.stations.find import MOST, rows_with_flag, rows_with_text
from datorum.stations.imports import open_import
from datorum.store.database import session
from tests.stations.conftest import Journey

SHEET = b"""E-mail;Name;City
ada@quillmoss.example;Ada Berg;Old Harbour
bo@quillmoss.example;Bo Ryewick
12@quillmoss.example;Cato [Mo];old harbour
E-mail;Name;City
"""


@pytest.fixture
def sheet(begin: Callable[[bytes], Journey]) -> Journey:
    return begin(SHEET)


@pytest.mark.parametrize(
    ("text", "found"),
    [
        ("old h", [(0, 2, 2), (2, 4, 2)]),
        ("RYEWICK", [(1, 3, 1)]),
        ("[mo]", [(2, 4, 1)]),
        ("3", [(1, 3, None)]),
        ("2", [(0, 2, None), (2, 4, 0)]),
        ("nowhere", []),
        ("  ", []),
    ],
)
def test_a_text_is_found_with_its_place_and_column(
    sheet: Journey, text: str, found: list[tuple[int, int, int | None]]
) -> None:
    with session() as store:
        assert rows_with_text(open_import(store, sheet.import_id).rows, text) == found


def test_a_corrected_cell_is_found_as_it_counts(sheet: Journey) -> None:
    with session() as store:
        correct.correct_cells(store, "ada", sheet.import_id, [Correction(3, "City", "Rugnes")])
    with session() as store:
        assert rows_with_text(open_import(store, sheet.import_id).rows, "rugnes") == [(1, 3, 2)]


def test_lines_are_found_by_their_fault(sheet: Journey) -> None:
    with session() as store:
        rows = open_import(store, sheet.import_id).rows
        assert [one.row for one in rows_with_flag(rows, "short")] == [3]
        assert [one.row for one in rows_with_flag(rows, "header again")] == [5]
        assert rows_with_flag(rows, "no such fault") == []


def test_no_more_are_found_than_anybody_walks_through(begin: Callable[[bytes], Journey]) -> None:
    many = begin(b"Name\n" + b"Ada\n" * 70_000 + b"Zoe\n")
    with session() as store:
        rows = open_import(store, many.import_id).rows
        found = rows_with_text(rows, "ada")
        assert rows_with_text(rows, "zoe") == [(70_000, 70_002, 0)]
    assert len(found) == MOST
    assert found[-1] == (MOST - 1, MOST + 1, 0)
