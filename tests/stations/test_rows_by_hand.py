"""Corrected, left out, accepted: by hand, kept with who and when, and every count still adds up."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest
import xlsxwriter

from datorum.core.errors import InvalidCorrection, InvalidFormula, NotAllowed
from datorum.core.model import FieldMapping, Mapping
from datorum.core.shape import Condition, Correction, RowFilter
from datorum.core.steps import Case, Formula
from datorum.core.table import open_file
from datorum.stations import accept, check, correct, held, read, rules
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.stations.overview import CheckState
from datorum.store import models
from datorum.store.database import session
from demo.data import CustomersDemo
from tests.stations.conftest import Journey


def checked(journey: Journey) -> CheckState:
    """The counts after a check, which add up."""
    with session() as store:
        check.check_import(store, "ada", journey.import_id)
    state = journey.now().check
    assert state is not None
    assert state.ready + state.held + state.left_out == state.rows
    assert state.stale == ""
    return state


def change_mapping(journey: Journey, **parts: object) -> None:
    with session() as store:
        now = open_import(store, journey.import_id)
        changed = now.mapping.model_copy(update=parts)
        mapping_station.save_mapping(store, "ada", journey.import_id, now.mapping_version, changed)


def findings(journey: Journey) -> set[tuple[int, str, str]]:
    with session() as store:
        result = check.latest_check(store, journey.import_id)
        assert result is not None
        kept = store.query(models.StoredFinding).filter_by(check_id=result.id)
        return {(one.row, one.field, one.rule) for one in kept}


def test_a_corrected_cell_counts_and_can_be_taken_back(journey: Journey, demo: CustomersDemo) -> None:
    row = demo.manifest.impossible_date[0]
    before = checked(journey)
    with session() as store:
        correct.correct_cells(store, "ada", journey.import_id, [Correction(row, "Joined", "28/02/2020 10:00")])
    assert (state := journey.now().check)
    assert state.stale == "rows were corrected, left out or accepted"
    after = checked(journey)
    assert (after.held, after.ready) == (before.held - 1, before.ready + 1)
    with session() as store:
        [kept] = correct.corrections_of(store, journey.import_id)
        assert (kept.row, kept.value, kept.by) == (row, "28/02/2020 10:00", "ada")
        now = open_import(store, journey.import_id)
        place = now.rows.of([row]).columns.index("Joined") - 2
        [shown] = read.rows_of(store, now, [row])
        [cell] = shown.corrected
        assert (shown.cells[place], cell.place, cell.by) == ("28/02/2020 10:00", place, "ada")
        assert cell.supplied in ("31/02/2020 10:00", "30/02/2017 08:15", "31/04/2019 12:30")
        correct.take_back(store, "ada", journey.import_id, [(row, "Joined")])
    again = checked(journey)
    assert again == before.model_copy(update={"seconds": again.seconds})


def test_a_correction_names_a_row_and_a_column_that_are_there(small: Journey) -> None:
    with session() as store, pytest.raises(InvalidCorrection, match="no row 1"):
        correct.correct_cells(store, "ada", small.import_id, [Correction(1, "Tier", "x")])
    with session() as store, pytest.raises(InvalidCorrection, match="no column “Rank”"):
        correct.correct_cells(store, "ada", small.import_id, [Correction(2, "Rank", "x")])
    with session() as store, pytest.raises(InvalidCorrection, match="no row 9"):
        correct.leave_out(store, "ada", small.import_id, [2, 999_999])


def test_rows_left_out_by_hand_and_by_a_filter_are_counted_and_never_sent(
    journey: Journey, demo: CustomersDemo
) -> None:
    before = checked(journey)
    held = sorted(demo.manifest.held)
    with session() as store:
        correct.leave_out(store, "ada", journey.import_id, held)
    after = checked(journey)
    assert (after.held, after.left_out, after.ready) == (0, len(held), before.ready)
    with session() as store:
        found = ledger(store, journey.import_id, Question(records="left out", count=3))
    assert found.total == len(held)
    assert [(head.row, head.note) for head in found.records] == [(row, "left out by ada") for row in held[:3]]

    german = Condition(column="Country", test="is", value="Germany")
    change_mapping(journey, rows=RowFilter(conditions=(german,), first=10))
    filtered = checked(journey)
    assert (filtered.ready + filtered.held, filtered.rows) == (10, before.rows)
    planned = journey.rehearse().rehearse
    assert planned is not None
    assert planned.counts["left out"] == before.rows - 10
    assert sum(planned.counts.values()) == before.rows
    with session() as store:
        correct.leave_out(store, "ada", journey.import_id, held, out=False)
    assert (stale := journey.now().rehearse)
    assert stale.stale == "rows were corrected, left out or accepted"


def test_only_what_an_edit_touches_is_checked_again_and_the_findings_are_those_of_a_whole_check(
    journey: Journey, demo: CustomersDemo
) -> None:
    checked(journey)
    with session() as store:
        mapping = open_import(store, journey.import_id).mapping
        first = check.latest_check(store, journey.import_id)
    assert first is not None
    plan, tier = mapping.fields["plan"], demo.manifest.unknown_tier
    assert plan.value_table is not None
    pairs = {**plan.value_table.pairs, "Bonsai": "seedling", "Hedge": "seedling"}
    settled = plan.model_copy(update={"value_table": plan.value_table.model_copy(update={"pairs": pairs})})
    name = mapping.fields["name"].model_copy(update={"steps": (*mapping.fields["name"].steps, Case(to="upper"))})
    change_mapping(journey, fields={**mapping.fields, "plan": settled, "name": name})
    with session() as store:
        correct.correct_cells(store, "ada", journey.import_id, [Correction(tier[0], "Surname", "")])
    checked(journey)
    with session() as store:
        again = check.latest_check(store, journey.import_id)
        assert again is not None
        assert again.id == first.id, "the kept check is brought up to date, not made anew"
        groups, counts = again.groups, (again.ready, again.held, again.warned, again.left_out)
    partly = findings(journey)
    with session() as store:
        store.delete(store.get_one(models.CheckResult, first.id))
    whole = checked(journey)
    assert findings(journey) == partly
    assert (whole.ready, whole.held, whole.warned, whole.left_out) == counts
    with session() as store:
        result = check.latest_check(store, journey.import_id)
        assert result is not None
        assert result.groups == groups


def test_accepted_findings_hold_nothing_until_taken_back(journey: Journey, demo: CustomersDemo) -> None:
    before = checked(journey)
    unknown = demo.manifest.unknown_tier
    with session() as store:
        accept.accept(store, "ada", journey.import_id, "plan", "no value set", unknown[:2])
    assert (after := journey.now().check)
    assert (after.ready, after.held, after.stale) == (before.ready + 2, before.held - 2, "")
    with session() as store:
        accept.accept(store, "bo", journey.import_id, "plan", "no value set")
        assert next((one.row, one.by) for one in accept.accepted_findings(store, journey.import_id)) == (None, "bo")
    assert checked(journey).ready == before.ready + len(unknown)
    planned = journey.rehearse().rehearse
    assert planned is not None
    assert planned.counts["held"] == before.held - len(unknown)
    with session() as store:
        accept.take_back_acceptance(store, "ada", journey.import_id, "plan", "no value set")
        assert not accept.accepted_findings(store, journey.import_id)
    assert (back := journey.now())
    assert back.check is not None
    assert back.check.held == before.held
    assert back.rehearse is not None
    assert back.rehearse.stale


def test_the_ledger_shows_an_accepted_finding_as_accepted_at_map_and_at_check(
    journey: Journey, demo: CustomersDemo
) -> None:
    checked(journey)
    row = demo.manifest.unknown_tier[0]
    for station in ("map", "check"):
        question = Question(station=station, records="search", search=str(row))
        assert shown(journey, question, "plan") == ("held", "held")
    with session() as store:
        accept.accept(store, "ada", journey.import_id, "plan", "no value set", [row])
    for station in ("map", "check"):
        question = Question(station=station, records="search", search=str(row))
        head, cell = shown(journey, question, "plan")
        assert (head != "held", cell) == (True, "same")


def shown(journey: Journey, question: Question, path: str) -> tuple[str, str]:
    """The marks of the first record's head and of its cell of one field."""
    with session() as store:
        told = ledger(store, journey.import_id, question)
    return told.records[0].mark, next(line.cells[0].mark for line in told.lines if line.path == path)


def test_parameters_reach_steps_and_the_row_filter_at_every_station(small: Journey) -> None:
    checked(small)
    formula = Formula(text='=PARAMETER("season") & " " & [Surname]')
    change_mapping(
        small,
        parameters={"season": "Spring", "least": "1010"},
        fields={**fields_of(small), "name": FieldMapping(columns=("Surname",), steps=(formula,))},
        rows=RowFilter(formula='=VALUE([Customer ID])>=VALUE(PARAMETER("least"))'),
    )
    state = checked(small)
    assert state.left_out > 0
    with session() as store:
        left_out = ledger(store, small.import_id, Question(records="left out"))
        telling = ledger(store, small.import_id, Question(records="telling"))
    assert left_out.total == state.left_out
    assert not {head.row for head in telling.records} & {head.row for head in left_out.records}
    [line] = [line for line in telling.lines if line.path == "name"]
    assert all((cell.lower or "").startswith("Spring ") for cell in line.cells)
    change_mapping(small, parameters={"season": "Spring", "least": "1020"})
    assert checked(small).left_out > state.left_out


def fields_of(journey: Journey) -> dict[str, FieldMapping]:
    with session() as store:
        return dict(open_import(store, journey.import_id).mapping.fields)


def test_a_formula_of_the_person_is_checked_again_when_somebody_else_maps(small: Journey) -> None:
    alone = Formula(text='=IF(PERSON()="ada";[E-mail Address];"")')
    feed = FieldMapping(columns=("E-mail Address",), steps=(alone,))
    change_mapping(small, fields={**fields_of(small), "email": feed})
    before = checked(small)
    with session() as store:
        now = open_import(store, small.import_id)
        saved = now.mapping.model_copy(update={"parameters": {"season": "Spring"}})
        mapping_station.save_mapping(store, "bo", small.import_id, now.mapping_version, saved)
    assert before.ready > 0
    assert checked(small).ready == 0


def test_what_would_make_a_duplicate_cannot_be_accepted(journey: Journey) -> None:
    checked(journey)
    with session() as store, pytest.raises(NotAllowed, match="duplicate"):
        accept.accept(store, "ada", journey.import_id, "email", "same key twice")


def test_held_rows_come_back_corrected(journey: Journey, demo: CustomersDemo, tmp_path: Path) -> None:
    before = checked(journey)
    path = tmp_path / "held.xlsx"
    with session() as store:
        held.write_held_rows(store, journey.import_id, path)
    with open_file(path, path.name) as file:
        rows = file.read(file.guess()).collect().frame
    corrected = rows.to_dicts()
    headers = [name for name in rows.columns if not name.startswith("\0")]
    for row in corrected:
        if row["Tier"] in ("Bonsai", "Hedge"):
            row["Tier"] = "Seedling"
    book = xlsxwriter.Workbook(str(tmp_path / "back.xlsx"))
    sheet = book.add_worksheet()
    sheet.write_row(0, 0, headers)
    for at, row in enumerate(corrected, 1):
        for column, name in enumerate(headers):
            sheet.write_string(at, column, row[name] or "")
    book.close()
    with session() as store:
        done = correct.patch(store, "ada", journey.import_id, "back.xlsx", tmp_path / "back.xlsx")
    unknown = len(demo.manifest.unknown_tier)
    assert (done.cells, done.rows, done.unchanged) == (unknown, unknown, before.held - unknown)
    assert checked(journey).held == before.held - unknown


def test_a_file_that_is_no_corrected_file_changes_nothing(small: Journey, tmp_path: Path) -> None:
    checked(small)
    for text, says in (
        ("Tier\nSapling\n", "no column “Row”"),
        ("Row,Rank\n2,x\n", "no column “Rank”"),
        ("Row,Tier\ntwo,x\n", "“two” is no row number"),
        ("Row,Tier\n900000,x\n", "no row 900,000"),
    ):
        path = tmp_path / "back.csv"
        path.write_text(text)
        with pytest.raises(InvalidCorrection, match=says), session() as store:
            correct.patch(store, "ada", small.import_id, "back.csv", path)
    with session() as store:
        assert correct.corrections_of(store, small.import_id) == []


def test_a_rule_of_ones_own_is_held_to_by_every_row(journey: Journey, connected: int) -> None:
    before = checked(journey)
    with session() as store:
        rule = rules.add_rule(
            store, "ada", connected, "customers", '=NOT([address.country]="DE")', "lives in Germany", blocks=False
        )
    try:
        after = checked(journey)
        assert after.warned > before.warned
        with session() as store:
            result = check.latest_check(store, journey.import_id)
            assert result is not None
            told = next(group for group in result.groups if group["rule"] == f"rule {rule.id}")
        assert told["title"].endswith("lives in Germany")
        with session() as store:
            mapping: Mapping = open_import(store, journey.import_id).mapping
        nowhere = {**mapping.fields, "address.country": FieldMapping(constant="NO")}
        change_mapping(journey, fields=nowhere)
        assert checked(journey).warned <= before.warned
    finally:
        with session() as store:
            rules.remove_rule(store, "ada", connected, rule.id)


def test_a_rule_that_cannot_be_worked_out_is_refused(connected: int) -> None:
    for formula, says in (("=[nothing]>1", "nothing"), ("=LEFT(", "character")):
        with session() as store, pytest.raises(InvalidFormula, match=says):
            rules.add_rule(store, "ada", connected, "customers", formula, "is odd", blocks=True)


@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_a_header_that_a_spreadsheet_would_run_comes_back_as_it_was(
    begin: Callable[[bytes], Journey], tmp_path: Path, form: str
) -> None:
    journey = begin(b"E-mail Address;Name;=Total;-Note;+1\nnobody;Bo;1;x;=1+1\nada@quillmoss.example;Ada;2;y;\n")
    assert checked(journey).held == 1
    path = tmp_path / f"held.{form}"
    with session() as store:
        held.write_held_rows(store, journey.import_id, path)
    if form == "csv":
        text = path.read_text("utf-8-sig")
        assert text.startswith("E-mail Address,Name,'=Total,'-Note,+1")
        path.write_text(text.replace("nobody", "bo@quillmoss.example").replace(",1,", ",7,"), "utf-8-sig")
    with session() as store:
        done = correct.patch(store, "ada", journey.import_id, path.name, path)
    assert done.cells == (2 if form == "csv" else 0)
    assert checked(journey).held == (0 if form == "csv" else 1)
