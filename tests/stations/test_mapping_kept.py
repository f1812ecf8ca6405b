"""Mappings are kept in versions and by name, and used again on another file."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from pathlib import Path

import polars as pl
import pytest

from datorum.core.errors import InvalidMapping, NotFound
from datorum.core.model import FieldMapping, Mapping, ValueTable
from datorum.core.shape import Correction, RowFilter
from datorum.core.steps import Formula, Lookup, Trim, Unusable
from datorum.core.table import Dialect
from datorum.stations import correct, formula, library, read, versions
from datorum.stations import map as mapping_station
from datorum.stations.check import check_import, findings_of
from datorum.stations.earlier import Earlier, clear_learnt, earlier_like, learnt
from datorum.stations.imports import latest_mapping, open_import
from datorum.stations.ledger import Question, ledger
from datorum.store.database import session
from demo.data import CustomersDemo
from tests.stations.conftest import Journey
from tests.stations.test_rows_by_hand import change_mapping


def mapping_of(journey: Journey) -> Mapping:
    with session() as store:
        return open_import(store, journey.import_id).mapping


def test_versions_say_what_changed_and_lead_back(small: Journey) -> None:
    first = mapping_of(small)
    city = first.fields["address.city"].model_copy(update={"steps": (Trim(), Formula(text="=UPPER(THIS())"))})
    change_mapping(small, fields={**first.fields, "address.city": city})
    with session() as store:
        [now, before] = versions.versions_of(store, small.import_id)
        assert (now.version, before.version, before.changes) == (2, 1, [])
        [change] = now.changes
        assert (change.field, change.what) == ("address.city", "steps")
        assert "UPPER" in change.after
        assert versions.version_of(store, small.import_id, 1) == first
        assert versions.since(store, open_import(store, small.import_id), 1) == now.changes
        with pytest.raises(NotFound, match="no version 9"):
            versions.version_of(store, small.import_id, 9)


def test_a_kept_step_that_would_not_be_kept_now_holds_its_rows_and_says_why(small: Journey) -> None:
    """As a mapping of an earlier version may have one; so may one that was kept by name."""
    with session() as store:
        version = latest_mapping(store, small.import_id)
        fields = version.body["fields"]
        joined = next(path for path, fed in fields.items() if any(one["kind"] == "read_date" for one in fed["steps"]))
        steps = [{**one, "pattern": "SSS"} if one["kind"] == "read_date" else one for one in fields[joined]["steps"]]
        version.body = {**version.body, "fields": {**fields, joined: {**fields[joined], "steps": steps}}}
    with session() as store:
        checked = check_import(store, "ada", small.import_id)
        assert checked.ready == 0
        [broken_row, *_] = findings_of(store, checked.id, [2])
        assert "the second twice" in broken_row.message
    with session() as store:
        now = open_import(store, small.import_id)
        [broken] = [one for one in now.mapping.fields[joined].steps if isinstance(one, Unusable)]
    assert '"SSS"' in broken.was


def test_a_step_that_breaks_is_refused_before_it_is_kept(small: Journey, monkeypatch: pytest.MonkeyPatch) -> None:
    """Whatever the reason: here a step that nobody foresaw breaks in the engine."""

    def breaks(step: Trim, values: pl.Series) -> None:
        raise pl.exceptions.ComputeError("it cannot be")

    monkeypatch.setattr(Trim, "apply", breaks)
    with session() as store:
        now = open_import(store, small.import_id)
        fields = {**now.mapping.fields, "name": now.mapping.fields["name"].model_copy(update={"steps": (Trim(),)})}
        changed = now.mapping.model_copy(update={"fields": fields})
        with pytest.raises(InvalidMapping, match=r"Step 1 of .* cannot be worked out: it cannot be") as caught:
            mapping_station.save_mapping(store, "ada", small.import_id, now.mapping_version, changed)
        assert (caught.value.place.field, caught.value.place.step) == ("name", 1)


def test_a_mapping_kept_by_name_is_found_by_its_kind_of_record(small: Journey) -> None:
    with session() as store:
        kept = library.keep_mapping(store, "ada", small.import_id, " Old shop ")
        library.keep_mapping(store, "bo", small.import_id, "Old shop")
        found = library.kept(store, "mapping", "customers")
        assert [(one.name, one.by) for one in found if one.name == "Old shop"] == [("Old shop", "bo")]
        assert library.kept(store, "mapping", "orders") == []
        assert Mapping.model_validate(library.get_kept(store, kept.id).body) == mapping_of(small)
        library.remove_kept(store, "ada", kept.id)
        with pytest.raises(NotFound):
            library.get_kept(store, kept.id)


def test_a_named_value_table_serves_several_fields_and_steps(small: Journey) -> None:
    before = mapping_of(small)
    table = ValueTable(pairs={"Sapling": "sapling"}, otherwise="set", other="seedling")
    fields = {
        **before.fields,
        "plan": FieldMapping(columns=("Tier",), table="tiers"),
        "notes": FieldMapping(columns=("Tier",), steps=(Lookup(table="tiers", otherwise="keep"),)),
    }
    change_mapping(small, fields=fields, tables={"tiers": table})
    with session() as store:
        shown = ledger(store, small.import_id, Question(count=7))
        lines = {line.path: [cell.lower for cell in line.cells] for line in shown.lines}
        supplied = [cell.upper for cell in next(line.cells for line in shown.lines if line.path == "plan")]
        view = mapping_station.inspect_field(store, open_import(store, small.import_id), "plan", fields["plan"], None)
    assert lines["plan"] == ["sapling" if value == "Sapling" else "seedling" for value in supplied]
    assert lines["notes"] == ["sapling" if value == "Sapling" else value for value in supplied]
    assert {one.value: one.site_value for one in view.values}["Sapling"] == "sapling"


def test_what_was_decided_on_before_is_proposed_again(small: Journey, journey: Journey) -> None:
    before = mapping_of(small)
    plan = before.fields["plan"]
    decided = plan.model_copy(update={"value_table": ValueTable(pairs={"Bonsai": "seedling"})})
    change_mapping(small, fields={**before.fields, "plan": decided})
    with session() as store:
        now = open_import(store, journey.import_id)
        own = plan.model_copy(update={"value_table": ValueTable(pairs={"Hedge": ""})})
        table = mapping_station.completed_table(store, now, "plan", own).value_table
    assert table is not None
    assert (table.pairs["Bonsai"], table.pairs["Hedge"]) == ("seedling", "")


def test_the_mapping_of_an_earlier_file_like_this_one_is_offered_until_somebody_changes_this_ones(
    small: Journey, begin: Callable[[bytes], Journey], demo: CustomersDemo
) -> None:
    def offered(journey: Journey) -> Earlier | None:
        with session() as store:
            return earlier_like(store, open_import(store, journey.import_id))

    assert offered(small) is None
    before = mapping_of(small)
    change_mapping(small, rows=RowFilter(skip=2), parameters={"season": "Spring"})
    like = begin(demo.csv.replace(b"Tier", b"Club level", 1))
    found = offered(like)
    assert found is not None
    assert (found.import_id, found.new, found.gone) == (small.import_id, ["Club level"], ["Tier"])
    assert {one.what for one in found.differences} >= {"rows that go on", "parameters"}
    assert found.mapping.rows.skip == 2
    assert found.mapping.match_key == before.match_key
    change_mapping(like, parameters={"season": "Autumn"})
    assert offered(like) is None
    assert offered(begin(b"Sort;Price\nRye;3\n")) is None


def test_what_was_chosen_and_refused_is_gone_by_shown_and_cleared(begin: Callable[[bytes], Journey]) -> None:
    sheet = b"E-mail;Telephone;Xq\na@quillmoss.example;+47 22 33 44 55;bean\n"
    first = begin(sheet)
    fields = dict(mapping_of(first).fields)
    assert fields.pop("phone").columns == ("Telephone",)
    change_mapping(first, fields={**fields, "notes": FieldMapping(columns=("Xq",), steps=(Trim(),))})

    def fed(journey: Journey) -> dict[str, tuple[str, ...]]:
        return {path: one.columns for path, one in mapping_of(journey).fields.items()}

    assert fed(begin(sheet)) == {"email": ("E-mail",), "notes": ("Xq",)}
    with session() as store:
        told = {(one.field, *one.columns): one for one in learnt(store, "customers")}
        assert (told["phone", "telephone"].refused, told["notes", "Xq"].refused) == (True, False)
        assert told["notes", "Xq"].steps == ["Trim spaces, double ones inside too"]
        assert told["notes", "Xq"].import_id == first.import_id
        clear_learnt(store, "ada", "customers")
    with session() as store:
        assert learnt(store, "customers") == []
    assert fed(begin(sheet)) == {"email": ("E-mail",), "phone": ("Telephone",)}
    # What is decided after that counts again.
    change_mapping(first, fields=fields)
    with session() as store:
        assert {one.field for one in learnt(store, "customers")} == {"email", "phone"}


def test_what_was_decided_of_the_same_sources_sheets_counts_before_what_was_later_of_others(
    begin: Callable[[bytes], Journey],
) -> None:
    row = b"a@quillmoss.example;bean\n"
    ours, theirs = b"E-mail;Xq\n" + row, b"E-mail;Xq;Shelf;Bin;Lot\n" + row.replace(b"bean", b"bean;1;2;3")
    for sheet, path in ((ours, "notes"), (theirs, "company")):
        journey = begin(sheet)
        xq = FieldMapping(columns=("Xq",))
        fields = {path: fed for path, fed in mapping_of(journey).fields.items() if fed.columns != ("Xq",)}
        change_mapping(journey, fields={**fields, path: xq})
    assert mapping_of(begin(ours)).fields["notes"].columns == ("Xq",)
    assert mapping_of(begin(theirs)).fields["company"].columns == ("Xq",)


def test_another_file_comes_under_the_same_mapping_and_its_drift_is_told(
    small: Journey, demo: CustomersDemo, tmp_path: Path
) -> None:
    mapping = mapping_of(small)
    with session() as store:
        correct.correct_cells(store, "ada", small.import_id, [Correction(2, "City", "Ryewick")])
    lines = demo.csv.decode().splitlines(keepends=True)
    path = tmp_path / "next.csv"
    path.write_text(
        "".join([lines[0].replace("Surname", "Family name").replace("Old Theme", "New Theme"), *lines[1:40]])
    )
    with session() as store:
        read.read_file(store, "ada", small.import_id, "next.csv", path)
        assert correct.corrections_of(store, small.import_id) == []
    now = small.now()
    assert (now.sheet.filename, mapping_of(small)) == ("next.csv", mapping)
    assert now.map.missing == ["Surname"]
    assert {(one.before, one.after) for one in now.map.drift.renamed} == {("Surname", "Family name")}
    assert "New Theme" in now.map.drift.new


def test_telling_records_show_every_value_and_blank(journey: Journey, demo: CustomersDemo) -> None:
    with session() as store:
        found = ledger(store, journey.import_id, Question(records="telling", count=7))
        rows: list[int] = []
        for offset in range(0, found.total, 7):
            part = ledger(store, journey.import_id, Question(records="telling", count=7, offset=offset))
            rows += [head.row for head in part.records]
        tiers = open_import(store, journey.import_id).rows.of(rows)["Tier"]
        whole = open_import(store, journey.import_id).rows.beginning()["Tier"]
    assert len(rows) == found.total < 60
    assert {tier.strip() for tier in tiers} == {tier.strip() for tier in whole}
    assert set(rows) & set(demo.manifest.impossible_date)


def test_a_formula_is_tried_on_rows_and_says_where_it_does_not_read(small: Journey) -> None:
    with session() as store:
        now = open_import(store, small.import_id)
        tried = formula.try_formula(now, "=UPPER([Surname])&ROWNUMBER()", [3, 2], None, None, 0)
        assert [one.row for one in tried.results] == [3, 2]
        surname = now.rows.of([3])["Surname"].item()
        assert tried.results[0].value == f"{surname.upper()}3"
        steps = FieldMapping(columns=("Surname",), steps=(Trim(), Formula(text='="never"')))
        so_far = formula.try_formula(now, "=LOWER(THIS())", [3], None, steps, 1)
        assert (so_far.results[0].before, so_far.results[0].value) == (surname.strip(), surname.strip().lower())
        broken = formula.try_formula(now, "=UPPER([Surname]", [], None, None, 0)
        assert (broken.results, broken.at) == ([], 1)
        assert broken.problem
        unknown = formula.try_formula(now, "=[Surnam]", [], None, None, 0)
        assert "Surname" in unknown.problem
        failing = formula.try_formula(now, '=VALUE("x")', [2], None, None, 0)
        assert failing.results[0].value is None
        assert failing.results[0].problem
    assert "PROPER" in {one.name for one in formula.functions()}


def test_a_mapping_that_nobody_changed_is_suggested_anew_for_another_sheet(begin: Callable[[bytes], Journey]) -> None:
    members = b"<all><member><epost>a@x.example</epost><by>Ryewick</by></member><member><epost/><by/></member></all>"
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w") as archive:
        archive.writestr("towns.csv", "City,Postcode\n" + "Ryewick,0150\n" * 50)
        archive.writestr("members.xml", members)
    journey = begin(packed.getvalue())
    assert set(mapping_of(journey).fields) == {"address.city", "address.postcode"}

    def read_sheet(name: str) -> Mapping:
        with session() as store:
            kept = open_import(store, journey.import_id).sheet.dialect
            read.read_again(store, "ada", journey.import_id, Dialect.model_validate({**kept, "sheet": name}))
        return mapping_of(journey)

    suggested = read_sheet("members.xml › all/member")
    fed = {path: one.columns for path, one in suggested.fields.items()}
    assert fed == {"email": ("epost",), "address.city": ("by",)}
    changed = {"email": suggested.fields["email"].model_copy(update={"steps": (Trim(),)})}
    change_mapping(journey, fields=changed)
    # What somebody decided on stays, whatever is read.
    assert read_sheet("towns.csv").fields == changed
