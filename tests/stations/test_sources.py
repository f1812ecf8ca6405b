"""Sources of a site: read once for several imports, each with its own corrections, and second sheets that are
corrected, read otherwise and replaced as the main one is."""

from __future__ import annotations

from pathlib import Path

import pytest
import xlsxwriter
from sqlalchemy import func, select

from datorum.core.errors import InvalidCorrection, NotFound
from datorum.core.shape import Correction
from datorum.core.table import Dialect, open_file
from datorum.stations import archive, check, correct, held, read, shape, sources
from datorum.stations.imports import open_import
from datorum.stations.overview import overview
from datorum.store import models
from datorum.store.database import session
from datorum.store.sheets import drawn_on
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import ORDERS, SITE, Begin

HEADS = [{name: row[name] for name in ("Order no.", "Customer e-mail", "Ordered", "Sum")} for row in ORDERS]
LINES = "\n".join(
    ["Order no.,SKU,Qty,Price each",
     *(f"{row['Order no.']},{row['SKU']},{row['Qty']},{row['Price each']}" for row in ORDERS)]
)  # fmt: skip


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


@pytest.fixture
def book(tmp_path: Path) -> Path:
    """A workbook of people and of what they ordered."""
    path = tmp_path / "shop.xlsx"
    workbook = xlsxwriter.Workbook(str(path))
    people = workbook.add_worksheet("People")
    people.write_row(0, 0, ["E-mail", "Name"])
    for at, name in enumerate(("tone", "alf", "siri"), 1):
        people.write_row(at, 0, [f"{name}@quillmoss.example", name.title()])
    bought = workbook.add_worksheet("Orders")
    bought.write_row(0, 0, list(ORDERS[0]))
    for at, row in enumerate(ORDERS, 1):
        bought.write_row(at, 0, list(row.values()))
    workbook.close()
    return path


@pytest.fixture
def joined(start: Begin, tmp_path: Path) -> Journey:
    """Orders whose lines stand in a file of their own."""
    journey = start("orders", [HEADS[0], HEADS[1], HEADS[4]])
    path = tmp_path / "lines.csv"
    path.write_text(LINES)
    with session() as store:
        sources.add_file(store, "ada", journey.import_id, "lines.csv", path)
    with session() as store:
        told = shape.shape_view(store, journey.import_id)
        by_sheet = [one.shape for one in told.found if one.shape.kind == "with a second sheet"]
        shape.set_shape(store, "ada", journey.import_id, told.version, tuple(by_sheet))
    return journey


def test_two_imports_draw_on_one_workbook_that_is_kept_and_read_once(connected: int, book: Path) -> None:
    with session() as store:
        first = read.start_import(store, "ada", connected, "customers", "shop.xlsx", book).id
    with session() as store:
        [source] = sources.sources_of(store, connected)
        assert (source.name, source.sheets) == ("shop.xlsx", ["People", "Orders"])
        second = read.start_from_source(store, "ada", connected, "orders", source.id, "Orders").id
        same = read.start_from_source(store, "ada", connected, "customers", source.id, "People").id
    with session() as store:
        shown = [(now.sheet.dialect["sheet"], now.sheet.rows) for now in
                 (overview(store, number) for number in (first, second, same))]  # fmt: skip
        assert shown == [("People", 3), ("Orders", 7), ("People", 3)]
        assert drawn_on(store, first).id == drawn_on(store, same).id
        assert store.scalar(select(func.count()).select_from(models.OriginalPart)) == 1
        [source] = sources.sources_of(store, connected)
        assert [(one.import_id, one.sheet) for one in source.imports] == [
            (first, "People"), (second, "Orders"), (same, "People"),
        ]  # fmt: skip


def test_the_same_file_given_again_is_the_same_source(connected: int, book: Path) -> None:
    for _ in range(2):
        with session() as store:
            read.start_import(store, "ada", connected, "customers", "shop.xlsx", book)
    with session() as store:
        [source] = sources.sources_of(store, connected)
    assert len(source.imports) == 2


def test_what_one_import_corrects_in_a_sheet_stands_in_no_other(connected: int, book: Path) -> None:
    with session() as store:
        one = read.start_import(store, "ada", connected, "customers", "shop.xlsx", book)
        first, source = one.id, drawn_on(store, one.id).original.source_id
    with session() as store:
        second = read.start_from_source(store, "ada", connected, "customers", source, "People").id
    with session() as store:
        correct.correct_cells(store, "ada", first, [Correction(2, "Name", "Tone H.")])
        correct.leave_out(store, "ada", first, [3])
    with session() as store:
        names = [[row.cells[1] for row in read.rows_at(store, open_import(store, number), 0, 9)]
                 for number in (first, second)]  # fmt: skip
        assert names == [["Tone H.", "Alf", "Siri"], ["Tone", "Alf", "Siri"]]
        assert [check.check_import(store, "ada", number).left_out for number in (first, second)] == [1, 0]


def test_a_source_goes_with_the_last_import_that_draws_on_it(connected: int, book: Path) -> None:
    with session() as store:
        first = read.start_import(store, "ada", connected, "customers", "shop.xlsx", book).id
        source = drawn_on(store, first).original.source_id
    with session() as store:
        second = read.start_from_source(store, "ada", connected, "orders", source, "Orders").id
    with session() as store:
        archive.remove_import(store, "ada", first)
    with session() as store:
        assert overview(store, second).sheet.rows == 7
        archive.remove_import(store, "ada", second)
    with session() as store:
        assert sources.sources_of(store, connected) == []
        assert store.scalar(select(func.count()).select_from(models.Chunk)) == 0


def test_a_source_of_another_site_is_not_there(connected: int, book: Path) -> None:
    with session() as store, pytest.raises(NotFound, match="no source 9"):
        read.start_from_source(store, "ada", connected, "customers", 9)


def test_a_sheet_of_another_source_joins_by_its_name_and_its_file(start: Begin, connected: int, book: Path) -> None:
    journey = start("orders", [HEADS[0], HEADS[1], HEADS[4]])
    with session() as store:
        read.start_import(store, "ada", connected, "customers", "shop.xlsx", book)
    with session() as store:
        source = next(one for one in sources.sources_of(store, connected) if one.name == "shop.xlsx")
        sources.add_sheet(store, "ada", journey.import_id, "Orders", source.id)
    with session() as store:
        now = overview(store, journey.import_id)
    assert [(one.role, one.rows) for one in now.beside] == [("Orders of shop.xlsx", 7)]


def test_cells_of_a_second_sheet_are_corrected_where_they_stand(joined: Journey, connected: int) -> None:
    with session() as store:
        correct.correct_cells(store, "ada", joined.import_id, [Correction(2, "Qty", "two")], "lines.csv")
    with session() as store:
        result = check.check_import(store, "ada", joined.import_id)
        group = next(one for one in result.groups if one["field"] == "lines.quantity")
        assert (group["sheet"], group["first_rows"]) == ("lines.csv", [2])
        assert check.finding_rows(store, result.id, "lines.quantity", group["rule"]) == [("lines.csv", 2)]
        now = open_import(store, joined.import_id)
        [row] = read.rows_of(store, now, [2], "lines.csv")
        assert (row.cells, row.corrected[0].supplied) == (["90001", "XX-900", "two", "20.00"], "2")
        # A row of the same number in the main sheet is another row.
        assert read.rows_of(store, now, [2])[0].corrected == []
        with pytest.raises(InvalidCorrection, match="no row 99"):
            correct.correct_cells(store, "ada", joined.import_id, [Correction(99, "Qty", "1")], "lines.csv")
        with pytest.raises(InvalidCorrection, match="no column “Sum”"):
            correct.correct_cells(store, "ada", joined.import_id, [Correction(2, "Sum", "1")], "lines.csv")
        with pytest.raises(NotFound):
            correct.correct_cells(store, "ada", joined.import_id, [Correction(2, "Qty", "1")], "other.csv")
    with session() as store:
        correct.take_back(store, "ada", joined.import_id, [(2, "Qty")], "lines.csv")
    with session() as store:
        result = check.check_import(store, "ada", joined.import_id)
    assert not [one for one in result.groups if one["field"] == "lines.quantity"]


def test_a_correction_of_a_joining_key_moves_the_line(joined: Journey) -> None:
    with session() as store:
        correct.correct_cells(store, "ada", joined.import_id, [Correction(2, "Order no.", "90002")], "lines.csv")
    with session() as store:
        page = shape.records_page(store, joined.import_id, 0, 5)
        check.check_import(store, "ada", joined.import_id)
    assert [len(one.lists["lines"]) for one in page.records] == [1, 3, 1]


@pytest.mark.parametrize("name", ["held.csv", "held.xlsx"])
def test_held_rows_of_both_sheets_come_back_in_one_file_and_are_taken_back(
    joined: Journey, tmp_path: Path, name: str
) -> None:
    with session() as store:
        correct.correct_cells(store, "ada", joined.import_id, [Correction(3, "Qty", "none")], "lines.csv")
        correct.correct_cells(store, "ada", joined.import_id, [Correction(2, "Ordered", "someday")])
    path = tmp_path / name
    with session() as store:
        before = check.check_import(store, "ada", joined.import_id)
        held.write_held_rows(store, joined.import_id, path)
        counts = before.held
    with open_file(path, name) as file:
        frame = file.read(file.guess()).collect().frame
    rows = dict(zip(frame["Row"], frame["Why held"], strict=True))
    assert "Ordered" not in rows
    assert "someday" in rows["2"]
    assert rows["3"].startswith("is of one record with row 3 of lines.csv")
    assert "none" in rows["3 of lines.csv"]
    mended = path.read_text("utf-8-sig") if name.endswith("csv") else None
    if mended is not None:
        path.write_text(mended.replace("someday", "2024-03-01").replace("none", "1"), "utf-8-sig")
        with session() as store:
            done = correct.patch(store, "ada", joined.import_id, name, path)
        assert (done.cells, done.rows) == (2, 2)
        with session() as store:
            assert check.check_import(store, "ada", joined.import_id).held < counts
        path.write_text(mended.replace("3 of lines.csv", "3 of others.csv"), "utf-8-sig")
        with session() as store, pytest.raises(InvalidCorrection, match="no row number"):
            correct.patch(store, "ada", joined.import_id, name, path)


def test_a_second_sheet_is_read_otherwise_and_replaced_under_the_mapping_there_is(
    joined: Journey, tmp_path: Path
) -> None:
    with session() as store:
        correct.correct_cells(store, "ada", joined.import_id, [Correction(2, "Qty", "9")], "lines.csv")
        before = check.check_import(store, "ada", joined.import_id).id
        kept = Dialect.model_validate(drawn_on(store, joined.import_id, "lines.csv").dialect)
    with session() as store:
        read.read_again(store, "ada", joined.import_id, kept.model_copy(update={"footer_lines": 1}), role="lines.csv")
    with session() as store:
        now = overview(store, joined.import_id)
        assert [(one.rows, one.by_hand.corrected) for one in now.beside] == [(6, 1)]
        assert now.check is not None
        assert now.check.stale == "the sheet was read again"
    path = tmp_path / "new.csv"
    path.write_text("\n".join(LINES.splitlines()[:3]))
    with session() as store:
        read.read_file(store, "ada", joined.import_id, "new.csv", path, role="lines.csv")
    with session() as store:
        now = overview(store, joined.import_id)
        assert [(one.role, one.filename, one.rows, one.by_hand.corrected) for one in now.beside] == [
            ("lines.csv", "new.csv", 2, 0)
        ]
        assert now.sheet.filename == "orders.csv"
        assert check.check_import(store, "ada", joined.import_id).id != before
        assert [one.name for one in sources.sources_of(store, now.site_id)] == ["new.csv", "orders.csv"]
    with session() as store, pytest.raises(NotFound):
        read.read_file(store, "ada", joined.import_id, "new.csv", path, role="nothing.csv")
