"""Records written back as rows: as they count now, and making the same records again."""

from __future__ import annotations

from pathlib import Path

import polars as pl
import pytest

from datorum.core.errors import NotAllowed
from datorum.core.shape import Correction
from datorum.core.table import open_file
from datorum.core.table.sheets_writer import SheetsWriter
from datorum.stations import correct, export, read, shape, sources
from datorum.store.database import session
from tests.core.layouts import ENGLISH, SHEETS, head, line, orders
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import SITE, Begin


@pytest.fixture(autouse=True)
def _site(site: StandIn) -> None:
    site.have(SITE)


def records_of(journey: Journey) -> list[tuple[list[str | None], dict[str, list[list[str | None]]]]]:
    with session() as store:
        return [(one.cells, one.lists) for one in shape.records_page(store, journey.import_id, 0, 100).records]


def read_again(connected: int, path: Path) -> Journey:
    with session() as store:
        return Journey(read.start_import(store, "ada", connected, "orders", path.name, path).id)


@pytest.mark.parametrize("layout", list(SHEETS))
@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_what_is_downloaded_makes_the_same_records(
    start: Begin, connected: int, tmp_path: Path, layout: str, form: str
) -> None:
    journey = start("orders", SHEETS[layout](orders(20), ENGLISH))
    path = tmp_path / f"again.{form}"
    with session() as store:
        export.write_sheets(store, journey.import_id, path)
    assert records_of(read_again(connected, path)) == records_of(journey)


def test_what_was_corrected_and_left_out_by_hand_is_so_in_it(start: Begin, connected: int, tmp_path: Path) -> None:
    journey = start("customers", [{"E-mail": f"{name}@quillmoss.example", "Name": name} for name in ("a", "b", "c")])
    with session() as store:
        correct.correct_cells(store, "ada", journey.import_id, [Correction(2, "Name", "=Ada")])
        correct.leave_out(store, "ada", journey.import_id, [3])
        export.write_sheets(store, journey.import_id, tmp_path / "now.csv")
    text = (tmp_path / "now.csv").read_text("utf-8-sig")
    # No cell of it is run by a spreadsheet.
    assert text.splitlines() == ["E-mail,Name", "a@quillmoss.example,'=Ada", "c@quillmoss.example,c"]


def test_lines_of_a_second_sheet_stand_in_a_second_sheet(start: Begin, connected: int, tmp_path: Path) -> None:
    made = orders(12)
    journey = start("orders", [head(one, ENGLISH) for one in made])
    lines = pl.DataFrame(
        [{"Order no.": str(one["number"])} | line(item, ENGLISH) for one in made for item in one["lines"]]
    )
    lines.write_csv(tmp_path / "lines.csv")
    with session() as store:
        sources.add_file(store, "ada", journey.import_id, "lines.csv", tmp_path / "lines.csv")
    with session() as store:
        told = shape.shape_view(store, journey.import_id)
        joined = tuple(one.shape for one in told.found if one.shape.kind == "with a second sheet")
        shape.set_shape(store, "ada", journey.import_id, told.version, joined)
    with session() as store:
        export.write_sheets(store, journey.import_id, tmp_path / "both.xlsx")
        with pytest.raises(NotAllowed, match="takes several"):
            export.write_sheets(store, journey.import_id, tmp_path / "both.csv")
    with open_file(tmp_path / "both.xlsx", "both.xlsx") as file:
        assert [one.name for one in file.sheets] == ["orders", "lines.csv"]
        assert file.read(file.guess("lines.csv")).collect().height == lines.height
    assert len(records_of(read_again(connected, tmp_path / "both.xlsx"))) == 12


def test_sheets_have_names_that_a_workbook_takes(tmp_path: Path) -> None:
    with SheetsWriter(tmp_path / "names.xlsx") as writer:
        for name in ("a/b", "a:b", "x" * 40, "x" * 41, "??"):
            writer.add(name, pl.DataFrame({"a": ["1"]}))
            writer.add(name, pl.DataFrame({"a": ["2"], "b": ["kept back"]}))
    with open_file(tmp_path / "names.xlsx", "names.xlsx") as file:
        names = [one.name for one in file.sheets]
        assert len({name.lower() for name in names}) == 5
        assert file.read(file.guess(names[1])).collect().frame["a"].to_list() == ["1", "2"]
