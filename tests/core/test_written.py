"""What is written for a spreadsheet can be opened there without harm, and comes back as it left."""

from __future__ import annotations

import csv
import io
import threading
import time
from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.in_order import in_order
from datorum.core.table import open_file, write_csv
from datorum.core.table.csv_writer import inert, revived
from datorum.core.table.held_writer import ROW_HEADER, WHY_HEADER, write_held

HEADERS = ("No", "Name", "Phone", "Formula")
ROWS = [
    (2, "E-mail is blank", ("00120", "Åse", "+47 22 33 44 55", "=1+1")),
    (5, "Name is too long; Tier has no value set", ("-5", "two\nlines", "@home", None)),
]


@pytest.mark.parametrize("suffix", [".csv", ".xlsx"])
def test_held_rows_come_back_cell_by_cell_with_their_lines_and_reasons(tmp_path: Path, suffix: str) -> None:
    path = tmp_path / f"held{suffix}"
    write_held(path, HEADERS, ROWS)
    with open_file(path, path.name) as file:
        frame = file.read(file.guess()).collect().frame
    assert frame[ROW_HEADER].to_list() == ["2", "5"]
    assert frame[WHY_HEADER].to_list() == [why for _, why, _ in ROWS]
    for at, (_, _, cells) in enumerate(ROWS):
        assert [revived(frame[name][at]) for name in HEADERS] == [cell or "" for cell in cells]


def test_no_cell_of_a_csv_begins_as_a_formula_does(tmp_path: Path) -> None:
    path = tmp_path / "held.csv"
    write_held(path, HEADERS, ROWS)
    cells = [cell for row in csv.reader(io.StringIO(path.read_text("utf-8-sig"))) for cell in row]
    assert "'=1+1" in cells
    assert "'+47 22 33 44 55" in cells
    assert "-5" in cells


@given(st.text(max_size=12))
def test_a_cell_that_was_made_inert_is_revived_as_it_was_unless_it_said_so_itself(cell: str) -> None:
    made = inert(cell)
    assert not made.startswith(("=", "@", "\t", "\r"))
    if not cell.startswith("'"):
        assert revived(made) == cell


def test_csv_is_read_back_by_any_reader_with_quotes_and_line_ends() -> None:
    data = write_csv(["a", "b"], [['say "hi"', "x,y"], ["two\r\nlines", None]])
    assert data.startswith(b"\xef\xbb\xbf")
    rows = list(csv.reader(io.StringIO(data.decode("utf-8-sig"), newline="")))
    assert rows == [["a", "b"], ['say "hi"', "x,y"], ["two\r\nlines", ""]]


def test_results_come_in_order_however_long_each_takes() -> None:
    waits = [0.03, 0.0, 0.02, 0.0, 0.01]

    def work(at: int) -> int:
        time.sleep(waits[at])
        return at

    assert list(in_order(work, range(5), at_once=3)) == [0, 1, 2, 3, 4]


def test_no_more_things_are_taken_than_are_worked_on() -> None:
    taken: list[int] = []

    def things() -> Iterator[int]:
        for at in range(10):
            taken.append(at)
            yield at

    results = in_order(lambda at: at, things(), at_once=2)
    assert next(results) == 0
    assert len(taken) <= 3


def test_an_error_in_the_work_is_raised_where_its_result_would_be() -> None:
    def work(at: int) -> int:
        if at == 2:
            raise ValueError("the third")
        return at

    results = in_order(work, range(5))
    assert [next(results), next(results)] == [0, 1]
    with pytest.raises(ValueError, match="the third"):
        next(results)


def test_two_things_are_worked_on_at_once() -> None:
    met = threading.Barrier(2, timeout=10)
    assert list(in_order(lambda at: met.wait() >= 0 or at, range(2), at_once=2)) == [True, True]
