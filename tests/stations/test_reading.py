"""A file that is read while somebody waits tells how far it is, and can be stopped with nothing kept."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import polars as pl
import pytest

from datorum.core.errors import Stopped, UnreadableFile
from datorum.core.table import Dialect
from datorum.core.table.sheet import PackedFrame
from datorum.stations import listing, read, reading, work
from datorum.stations.imports import open_import
from datorum.store import sheets
from datorum.store.database import session
from datorum.store.sheets import drawn_on
from tests.stations.conftest import Journey

HEADER = "Customer ID,E-mail Address\n"


@pytest.fixture
def several_chunks(tmp_path: Path) -> Path:
    """More rows than are worked on at a time."""
    path = tmp_path / "customers.csv"
    path.write_text(HEADER + "".join(f"{number},grower{number}@quillmoss.example\n" for number in range(150_000)))
    return path


@pytest.fixture
def at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    """Tell of every chunk, however fast they come."""
    monkeypatch.setattr(work, "_TELL_EVERY", 0.0)


def count_imports() -> int:
    with session() as store:
        return len(listing.list_imports(store))


@pytest.mark.usefixtures("at_once")
def test_others_see_how_far_a_reading_is(connected: int, several_chunks: Path) -> None:
    seen: list[tuple[int, float]] = []
    with session() as store, reading.told_progress("mine", "ada") as progress:

        def look(rows: int, share: float | None) -> None:
            progress(rows, share)
            with session() as other:
                found = reading.reading_of(other, "mine", "ada")
                assert reading.reading_of(other, "mine", "bo") is None
                assert found is not None
                assert found.total is not None
                seen.append((found.done, found.done / found.total))

        read.start_import(store, "ada", connected, "customers", "customers.csv", several_chunks, look)
    assert len(seen) >= 3
    assert seen == sorted(seen)
    assert seen[-1] == (150_000, 1.0)
    with session() as store:
        assert reading.reading_of(store, "mine", "ada") is None


@pytest.mark.usefixtures("at_once")
def test_a_reading_that_is_stopped_keeps_nothing(connected: int, several_chunks: Path) -> None:
    with session() as store:
        reading.stop_reading(store, "mine", "ada")
    with pytest.raises(Stopped, match="stopped"), session() as store, reading.told_progress("mine", "ada") as progress:
        read.start_import(store, "ada", connected, "customers", "customers.csv", several_chunks, progress)
    assert count_imports() == 0


@pytest.mark.usefixtures("at_once")
def test_nobody_stops_the_reading_of_another(connected: int, several_chunks: Path) -> None:
    with session() as store, reading.told_progress("mine", "ada") as progress:
        with session() as other:
            reading.stop_reading(other, "mine", "bo")
        read.start_import(store, "ada", connected, "customers", "customers.csv", several_chunks, progress)
    assert count_imports() == 1


def test_a_file_that_is_divided_otherwise_has_its_lines_guessed_anew_unless_they_are_set(
    begin: Callable[[bytes], Journey],
) -> None:
    journey = begin(b"Export^^\nE-mail^Name^Tier\nada@x.example^Ada^Grove\nbo@x.example^Bo^Grove\n")

    def dialect(**changes: object) -> Dialect:
        with session() as store:
            kept = Dialect.model_validate(drawn_on(store, journey.import_id).dialect).model_copy(update=changes)
            sheet = read.read_again(store, "ada", journey.import_id, kept)
            return Dialect.model_validate(sheet.dialect)

    assert dialect(delimiter="~").header_line == 1
    assert dialect(delimiter="^").header_line == 2
    assert journey.now().sheet.headers == ["E-mail", "Name", "Tier"]
    assert dialect(header_line=1).header_line == 1
    assert dialect(delimiter=";", header_line=3).header_line == 3


def test_a_file_that_cannot_be_read_changes_nothing_of_the_import(small: Journey, tmp_path: Path) -> None:
    before = small.now().sheet
    bad = tmp_path / "bad.zip"
    bad.write_bytes(b"PK\x03\x04 and then nothing that is a ZIP")
    with pytest.raises(UnreadableFile), session() as store:
        read.read_file(store, "ada", small.import_id, "bad.zip", bad)
    assert small.now().sheet == before


def test_a_short_sheet_is_looked_at_whole_though_its_last_line_is_a_total(begin: Callable[[bytes], Journey]) -> None:
    rows = b"".join(b"person%d@quillmoss.example;Person;%d\n" % (number, number) for number in range(300))
    made = begin(b"E-mail;Name;Spent\n" + rows + b"Total;;99\n")
    with session() as store:
        now = open_import(store, made.import_id)
        assert (now.sheet.rows, now.rows.whole) == (300, True)


def test_chunks_are_joined_only_while_they_are_small() -> None:
    sizes = (3, 2, 70_000, 5, 60_000, 9, 4_000, 4_000, 9_000)
    parts = [PackedFrame(pl.DataFrame({"a": range(size)}), bytes([at])) for at, size in enumerate(sizes)]
    joined = list(sheets._without_crumbs(iter(parts)))
    assert [part.frame.height for part in joined] == [5, 70_000, 5, 68_009, 9_000]
    assert sum(part.frame.height for part in joined) == sum(sizes)
    # What came as it stays is kept as it came.
    assert [part.packed for part in joined] == [None, bytes([2]), bytes([3]), None, bytes([8])]
    wider = list(sheets._without_crumbs([
        PackedFrame(pl.DataFrame({"a": [1]})), PackedFrame(pl.DataFrame({"a": [2], "b": [3]})),
    ]))  # fmt: skip
    assert wider[0].frame.to_dicts() == [{"a": 1, "b": None}, {"a": 2, "b": 3}]
