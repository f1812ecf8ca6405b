"""The ledger: the site's fields down the side, records across, whatever is asked of it."""

from __future__ import annotations

import pytest

from datorum.core.errors import InvalidMapping
from datorum.core.model import FieldMapping, Mapping, ValueTable
from datorum.core.steps import Case, ReadNumber
from datorum.stations import check
from datorum.stations import map as mapping_station
from datorum.stations.imports import Opened, open_import
from datorum.stations.ledger import Ledger, Line, Question, ledger
from datorum.stations.ledger.shown import Cell, Station, dressed
from datorum.store.database import session
from tests.stations.conftest import Journey

SHEET = (
    b"E-mail Address;First Name;Surname;Tier;Total Spent\n"
    b"ada@quillmoss.example;Ada;Corfield;Grove;12.50\n"
    b"bo@quillmoss.example;Bo;Ryewick;Sapling;0\n"
    b"jun@quillmoss.example;Jun;;Bonsai;\n"
    b"ute@quillmoss.example;Ute;Ackersehren;grove;many\n"
)


@pytest.fixture
def four(begin: object) -> Journey:
    made: Journey = begin(SHEET)  # type: ignore[operator]
    return made


def asked(journey: Journey, **question: object) -> Ledger:
    with session() as store:
        return ledger(store, journey.import_id, Question.model_validate(question))


def line(told: Ledger, path: str) -> Line:
    return next(one for one in told.lines if one.path == path)


def opened(journey: Journey) -> Opened:
    with session() as store:
        return open_import(store, journey.import_id)


def test_every_field_of_the_site_has_a_line_the_key_first_then_what_is_required(four: Journey) -> None:
    told = asked(four)
    fields = {field.path for field in opened(four).record_type.writable}
    assert {one.path for one in told.lines} == fields
    groups = [one.group for one in told.lines]
    assert groups == sorted(groups, key=["Key", "Required", "Details", "More"].index)
    assert [one.path for one in told.lines if one.is_key] == ["email"]


def test_a_line_says_how_many_rows_land_fail_and_are_blank(four: Journey) -> None:
    told = asked(four)
    spent = line(told, "total_spent").fill
    assert spent is not None
    assert (spent.landed + spent.held, spent.blank, spent.whole) == (3, 1, True)
    plan = line(told, "plan").fill
    assert plan is not None
    assert (plan.landed, plan.held, plan.blank) == (3, 1, 0)
    assert line(told, "company").fill is None


def test_records_are_walked_by_offset_and_count(four: Journey) -> None:
    first = asked(four, records="first", count=3)
    assert ([head.row for head in first.records], first.total) == ([2, 3, 4], 4)
    rest = asked(four, records="first", count=3, offset=3)
    assert [head.row for head in rest.records] == [5]
    assert asked(four, records="first", offset=99).records == []


def test_random_records_are_the_same_for_one_seed(four: Journey) -> None:
    one = [head.row for head in asked(four, records="random", seed=3, count=4).records]
    assert one == [head.row for head in asked(four, records="random", seed=3, count=4).records]
    assert sorted(one) == [2, 3, 4, 5]


@pytest.mark.parametrize(
    ("search", "rows"), [("ryewick", [3]), ("QUILLMOSS", [2, 3, 4, 5]), ("4", [4]), ("nobody", []), ("12.5", [2])]
)
def test_records_are_found_by_what_any_cell_holds_or_by_their_number(
    four: Journey, search: str, rows: list[int]
) -> None:
    told = asked(four, records="search", search=search, count=7)
    assert ([head.row for head in told.records], told.total) == (rows, len(rows))


def test_a_mapping_that_is_not_saved_is_shown_and_changes_nothing(four: Journey) -> None:
    now = opened(four)
    loud = FieldMapping(columns=("Surname",), steps=(Case(to="upper"),))
    draft = now.mapping.model_copy(update={"fields": {**now.mapping.fields, "name": loud}})
    cells = line(asked(four, mapping=draft, count=4), "name").cells
    assert [(cell.upper, cell.lower) for cell in cells][:2] == [("Corfield", "CORFIELD"), ("Ryewick", "RYEWICK")]
    assert opened(four).mapping == now.mapping
    with pytest.raises(InvalidMapping, match="no field nickname"):
        asked(four, mapping=Mapping(fields={"nickname": loud}))


def test_a_value_that_does_not_land_says_why_in_its_cell_and_marks_its_record(four: Journey) -> None:
    told = asked(four, records="first", count=4)
    plan = line(told, "plan").cells[2]
    assert (plan.upper, plan.lower, plan.mark, plan.note) == ("Bonsai", None, "held", "has no value set")
    assert [head.mark for head in told.records][2] == "held"


def test_check_shows_what_landed_and_what_was_found(four: Journey) -> None:
    with session() as store:
        check.check_import(store, "ada", four.import_id)
    held = asked(four, station="check", records="held", count=7)
    assert {head.row for head in held.records} >= {4}
    found = asked(four, station="check", records="finding", field="plan", rule="no value set")
    assert [head.row for head in found.records] == [4]
    cell = line(found, "plan").cells[0]
    assert (cell.upper, cell.mark, cell.note) == ("Bonsai", "held", "has no value set")
    assert line(found, "email").cells[0].mark == "good"


def test_before_a_check_no_record_is_held_and_before_a_rehearsal_there_is_none(four: Journey) -> None:
    assert asked(four, records="held").total == 0
    assert asked(four, station="rehearse").records == []
    assert asked(four, station="verify").records == []


def test_a_field_is_looked_into_step_by_step(four: Journey) -> None:
    fed = FieldMapping(columns=("Total Spent",), steps=(ReadNumber(decimal="."),))
    with session() as store:
        now = open_import(store, four.import_id)
        view = mapping_station.inspect_field(store, now, "total_spent", fed, 5)
        assert [(step.before, step.after, bool(step.problem)) for step in view.steps] == [("many", None, True)]
        assert (view.landed, view.held, view.blank) == (2, 1, 1)
        plan = now.mapping.fields["plan"]
        tiers = mapping_station.inspect_field(store, now, "plan", plan, None)
    assert {(one.value, one.count) for one in tiers.values} >= {("Bonsai", 1)}
    assert tiers.accepted == ["seedling", "sapling", "grove", "orchard"]


def test_a_value_table_is_completed_by_what_is_beyond_doubt_and_keeps_what_was_decided(four: Journey) -> None:
    decided = FieldMapping(columns=("Tier",), value_table=ValueTable(pairs={"Grove": "orchard"}))
    with session() as store:
        now = open_import(store, four.import_id)
        completed = mapping_station.completed_table(store, now, "plan", decided)
    assert completed.value_table is not None
    assert completed.value_table.pairs["Grove"] == "orchard"
    assert completed.value_table.pairs["Sapling"] == "sapling"
    assert "Bonsai" not in completed.value_table.pairs


@pytest.mark.parametrize(
    ("station", "cell", "fed", "lines", "marked", "tone"),
    [
        ("map", Cell(upper="x"), True, (None, "–"), "", "slate"),
        ("map", Cell(upper="x"), False, (None, ""), "", ""),
        (
            "map",
            Cell(upper="x", mark="held", note="is fed by nothing"),
            False,
            (None, "fed by nothing"),
            "lower",
            "brick",
        ),
        ("map", Cell(upper="x", mark="same", note="accepted: is odd"), True, (None, "accepted"), "", "slate"),
        ("map", Cell(upper="x", lower="y", mark="same", note="accepted: is odd"), True, (None, None), "", "slate"),
        ("map", Cell(none=True), True, (None, "–"), "", "slate"),
        ("check", Cell(upper="x", mark="good"), True, (None, ""), "upper", ""),
        ("check", Cell(), True, ("–", ""), "", ""),
        ("check", Cell(upper="x", mark="warned", note="is far off"), True, (None, "far off"), "lower", "marigold"),
        ("rehearse", Cell(lower="y", mark="good"), True, (None, None), "lower", ""),
        ("verify", Cell(upper="Y", lower="y", mark="held", note="differs"), True, (None, None), "lower", "brick"),
        ("verify", Cell(upper="y", mark="held", note="not found"), True, (None, "not found"), "lower", "brick"),
        (
            "verify",
            Cell(lower="y", mark="same", note="not sent: the site has it so"),
            True,
            ("not sent", None),
            "",
            "slate",
        ),
        ("verify", Cell(), True, (None, ""), "", ""),
    ],
)
def test_a_cell_says_at_each_station_what_a_person_needs_there(
    station: Station, cell: Cell, fed: bool, lines: tuple[str | None, str | None], marked: str, tone: str
) -> None:  # fmt: skip
    shown = dressed(cell, station, fed=fed)
    assert ((shown.above, shown.below), shown.marked, shown.tone) == (lines, marked, tone)
