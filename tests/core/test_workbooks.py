"""Workbooks of every age give what their cells say, and tell what a sheet on screen would hide."""

from __future__ import annotations

from pathlib import Path

import pytest
import xlsxwriter

from datorum.core.errors import UnreadableFile
from datorum.core.table import ROW, Limits, Sheet, open_file


def sheet_of(path: Path, sheet: str = "", limits: Limits | None = None) -> Sheet:
    with open_file(path, path.name, limits) as file:
        return file.read(file.guess(sheet)).collect()


@pytest.fixture
def old_workbook() -> Path:
    """A workbook of the binary format, as shops' old exports still are: the sheets Growers, Empty and Orders."""
    return Path(__file__).parents[1] / "files" / "growers.xls"


def test_an_old_workbook_gives_text_dates_numbers_and_truth_as_they_are(old_workbook: Path) -> None:
    sheet = sheet_of(old_workbook)
    assert sheet.frame["No"].to_list() == ["00120", "1E5", " x "]
    assert sheet.frame["Name"].to_list() == ["Åse Bjørkvik", "Jörg Müßig", "Bo"]
    assert sheet.frame["Joined"].to_list() == ["2019-02-01", "2019-02-02", "2019-02-03"]
    assert sheet.frame["Last seen"][0] == "2024-03-01 13:45:00"
    assert sheet.frame["Plots"].to_list() == ["2.5", "5", "7.5"]
    assert sheet.frame["Active"].to_list() == ["false", "true", "true"]
    assert sheet.frame[ROW].to_list() == [2, 3, 4]


def test_every_sheet_of_an_old_workbook_is_offered(old_workbook: Path) -> None:
    with open_file(old_workbook, "growers.xls") as file:
        assert [ref.name for ref in file.sheets] == ["Growers", "Empty", "Orders"]
        assert file.guess().sheet == "Growers"
        assert file.read(file.guess("Orders")).collect().frame["number"].to_list() == ["7"]


def test_an_old_workbook_is_known_by_its_bytes_whatever_it_is_called(old_workbook: Path, tmp_path: Path) -> None:
    renamed = tmp_path / "growers.csv"
    renamed.write_bytes(old_workbook.read_bytes())
    assert sheet_of(renamed).frame["Name"][2] == "Bo"


def test_an_old_workbook_that_is_cut_short_says_so(old_workbook: Path, tmp_path: Path) -> None:
    cut = tmp_path / "cut.xls"
    cut.write_bytes(old_workbook.read_bytes()[:1500])
    with pytest.raises(UnreadableFile):
        sheet_of(cut)


def book_of(path: Path, rows: list[list[object]]) -> Path:
    book = xlsxwriter.Workbook(str(path), {"strings_to_numbers": False})
    sheet = book.add_worksheet("Sheet")
    for at, row in enumerate(rows):
        for column, value in enumerate(row):
            if isinstance(value, str):
                sheet.write_string(at, column, value)
            elif value is not None:
                sheet.write(at, column, value)
    book.close()
    return path


def test_numbers_are_written_as_a_person_reads_them(tmp_path: Path) -> None:
    values: list[object] = [12, 12.5, 0.1, 1e15, 1234567890123, 1e-7, -3, 0, 2**53]
    sheet = sheet_of(book_of(tmp_path / "n.xlsx", [["n"], *[[value] for value in values]]))
    read = sheet.frame["n"].to_list()
    assert [float(cell) for cell in read] == [float(str(value)) for value in values]
    assert read[:4] == ["12", "12.5", "0.1", "1000000000000000"]
    assert all("E" not in cell.upper() for cell in read[:5])


def test_cells_with_the_error_of_a_formula_are_told_with_their_places(tmp_path: Path) -> None:
    path = tmp_path / "errors.xlsx"
    book = xlsxwriter.Workbook(str(path))
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, ["a", "b"])
    sheet.write_formula(1, 0, "=1/0", None, "#DIV/0!")
    sheet.write_number(1, 1, 1)
    sheet.write_formula(2, 0, '="x"&"y"', None, "xy")
    sheet.write_number(2, 1, 2)
    book.close()
    found = sheet_of(path)
    assert found.frame["a"].to_list() == ["", "xy"]
    assert found.notes == ("1 cell holds the error of a formula and is read as blank: A2.",)


def test_blank_lines_between_rows_are_counted_and_rows_keep_their_numbers(tmp_path: Path) -> None:
    rows: list[list[object]] = [["sku"], ["a"], [None], ["b"], [None], [None], ["c"]]
    sheet = sheet_of(book_of(tmp_path / "gaps.xlsx", rows))
    assert sheet.frame[ROW].to_list() == [2, 4, 7]
    assert sheet.blank_lines == 3


def test_headers_that_stand_twice_or_are_empty_get_names(tmp_path: Path) -> None:
    rows: list[list[object]] = [["sku", "name", "name", None, "x"], ["a", "b", "c", "d", "e"]]
    sheet = sheet_of(book_of(tmp_path / "twice.xlsx", rows))
    assert sheet.headers == ("sku", "name", "name (2)", "Column 4", "x")
    assert sheet.frame.row(0)[2:] == ("a", "b", "c", "d", "e")
    assert len(sheet.notes) == 2


def test_a_title_above_a_header_is_passed_over(tmp_path: Path) -> None:
    rows: list[list[object]] = [["Seed packets of the autumn"], [None], ["sku", "name", "price"]]
    rows += [[f"QM-{number}", "Beet", number] for number in range(5)]
    sheet = sheet_of(book_of(tmp_path / "title.xlsx", rows))
    assert sheet.headers == ("sku", "name", "price")
    assert sheet.frame[ROW][0] == 4


def test_limits_hold_for_workbooks_too(tmp_path: Path) -> None:
    path = book_of(tmp_path / "wide.xlsx", [[f"c{number}" for number in range(30)], ["x"] * 30])
    with pytest.raises(UnreadableFile, match="30 columns; 20 is the limit"):
        sheet_of(path, limits=Limits(columns=20))
    tall = book_of(tmp_path / "tall.xlsx", [[cell] for cell in ("a", *"x" * 60)])
    with pytest.raises(UnreadableFile, match="more than 50 rows"):
        sheet_of(tall, limits=Limits(rows=50))
