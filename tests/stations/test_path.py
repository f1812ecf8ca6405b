"""From the file to the proof, with the manifest's numbers."""

from __future__ import annotations

from pathlib import Path

import pytest

from datorum.core.errors import Conflict, InvalidMapping, NotReady, SiteUnavailable
from datorum.core.model import FieldMapping, Mapping, Policy
from datorum.core.steps import Case
from datorum.core.table import Dialect, open_file
from datorum.stations import check, held, read
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.stations.verify import mismatches_of
from datorum.store.database import session
from demo.data import CustomersDemo
from tests.processes import StandIn
from tests.stations.conftest import Journey


def test_the_demo_goes_from_file_to_proof(journey: Journey, demo: CustomersDemo, site: StandIn) -> None:
    manifest = demo.manifest
    before = {body["email"]: body for body in site.bodies()}
    planned = journey.rehearse().rehearse
    assert planned is not None
    creates = manifest.rows - len(manifest.held) - manifest.already_on_site
    assert planned.counts == {
        "create": creates,
        "update": len(manifest.changed),
        "unchanged": len(manifest.identical),
        "left out": 0,
        "delete": 0,
        "unnamed": 0,
        "held": len(manifest.held),
    }
    assert sum(planned.counts.values()) == manifest.rows
    assert planned.records_on_site == manifest.already_on_site

    done = journey.run().run
    assert done is not None
    assert (done.state, done.done, done.failed) == ("done", creates + len(manifest.changed), 0)
    after = {body["email"]: body for body in site.bodies()}
    assert len(after) == manifest.already_on_site + creates
    assert site.mails() == 0
    kept = {email for email, body in before.items() if after[email]["member_number"] == body["member_number"]}
    assert kept == set(before), "what the sheet does not feed stays as it was"

    verified = journey.verify().verify
    assert verified is not None
    assert (verified.mismatches, verified.compared) == (0, creates + len(manifest.changed))

    again = journey.rehearse().rehearse
    assert again is not None
    assert (again.counts["create"], again.counts["update"]) == (0, 0)


def test_a_check_is_kept_with_its_counts(journey: Journey, demo: CustomersDemo) -> None:
    with session() as store:
        result = check.check_import(store, "ada", journey.import_id)
    assert (result.held, result.ready) == (len(demo.manifest.held), demo.manifest.rows - len(demo.manifest.held))


@pytest.mark.parametrize("name", ["held.csv", "held.xlsx"])
def test_held_rows_come_back_as_a_spreadsheet_with_their_reasons(
    journey: Journey, demo: CustomersDemo, tmp_path: Path, name: str
) -> None:
    with session() as store:
        check.check_import(store, "ada", journey.import_id)
        held.write_held_rows(store, journey.import_id, tmp_path / name)
    with open_file(tmp_path / name, name) as file:
        rows = file.read(file.guess()).collect().frame.to_dicts()
    assert {int(row["Row"]) for row in rows} == demo.manifest.held
    bonsai = next(row for row in rows if row["Tier"] == "Bonsai")
    assert "Plan “Bonsai” has no value set" in bonsai["Why held"]


def test_a_plan_goes_stale_when_sheet_mapping_or_policy_changes(small: Journey) -> None:
    def stale() -> str:
        planned = small.now().rehearse
        assert planned is not None
        return planned.stale

    small.rehearse()
    assert stale() == ""
    small.set_policy(Policy(on_match="skip"))
    assert stale() == "the policy changed"
    with session() as store, pytest.raises(Conflict, match="policy changed"):
        small.start()

    small.rehearse()
    with session() as store:
        now = open_import(store, small.import_id)
        changed = now.mapping.model_copy(update={"left_out": ("Old Theme",)})
        mapping_station.save_mapping(store, "ada", small.import_id, now.mapping_version, changed)
    assert stale() == "the mapping changed"

    small.rehearse()
    with session() as store:
        read.read_again(store, "ada", small.import_id, Dialect(encoding="windows-1252"))
    assert stale() == "the sheet was read again"


def test_a_check_goes_stale_when_the_mapping_changes(small: Journey) -> None:
    with session() as store:
        check.check_import(store, "ada", small.import_id)
        now = open_import(store, small.import_id)
        mapping_station.save_mapping(store, "ada", small.import_id, now.mapping_version, Mapping(match_key="email"))
    found = small.now().check
    assert found is not None
    assert found.stale == "the mapping changed"


def test_nothing_is_rehearsed_without_a_match_key(small: Journey) -> None:
    with session() as store:
        now = open_import(store, small.import_id)
        without = now.mapping.model_copy(update={"match_key": None})
        mapping_station.save_mapping(store, "ada", small.import_id, now.mapping_version, without)
    with pytest.raises(NotReady, match="match key"):
        small.rehearse()


def test_two_people_do_not_overwrite_each_others_mapping(small: Journey) -> None:
    with session() as store:
        version = open_import(store, small.import_id).mapping_version
        mapping_station.save_mapping(store, "ada", small.import_id, version, Mapping(left_out=("Notes",)))
    with session() as store, pytest.raises(Conflict, match="changed meanwhile by ada"):
        mapping_station.save_mapping(store, "bo", small.import_id, version, Mapping(left_out=("Tier",)))


def test_a_mapping_onto_a_field_that_is_not_there_is_refused(small: Journey) -> None:
    wrong = Mapping(fields={"shoe_size": FieldMapping(constant="43")})
    with session() as store, pytest.raises(InvalidMapping, match="shoe_size"):
        mapping_station.save_mapping(store, "ada", small.import_id, 1, wrong)


def test_an_edit_shows_in_the_ledger_before_it_is_saved(journey: Journey) -> None:
    with session() as store:
        mapping = open_import(store, journey.import_id).mapping
        name = mapping.fields["name"].model_copy(update={"steps": (*mapping.fields["name"].steps, Case(to="upper"))})
        edited = mapping.model_copy(update={"fields": {**mapping.fields, "name": name}})
        shown = ledger(store, journey.import_id, Question(mapping=edited, count=7))
    assert len(shown.records) == 7
    [first, *_] = next(line.cells for line in shown.lines if line.path == "name")
    assert (first.upper, first.lower) == ("Ragnhild · Bjørkeholten", "RAGNHILD BJØRKEHOLTEN")
    with session() as store:
        assert open_import(store, journey.import_id).mapping == mapping


def test_the_ledger_shows_supplied_and_landed_and_why_not(journey: Journey, demo: CustomersDemo) -> None:
    row = demo.manifest.impossible_date[0]
    with session() as store:
        found = ledger(store, journey.import_id, Question(records="search", search=str(row)))
    [head] = found.records
    [cell] = next(line.cells for line in found.lines if line.path == "joined_at")
    assert (head.row, head.mark) == (row, "held")
    assert cell.upper in ("31/02/2020 10:00", "30/02/2017 08:15", "31/04/2019 12:30")
    assert (cell.lower, cell.mark) == (None, "held")
    assert cell.note == "is no such day"


def test_the_ledger_chooses_its_records(journey: Journey, demo: CustomersDemo) -> None:
    with session() as store:
        check.check_import(store, "ada", journey.import_id)

        def rows(**question: object) -> list[int]:
            found = ledger(store, journey.import_id, Question.model_validate({"count": 7, **question}))
            return [record.row for record in found.records]

        assert rows(records="held") == sorted(demo.manifest.held)[:7]
        tiers = rows(station="check", records="finding", field="plan", rule="no value set")
        assert tiers == demo.manifest.unknown_tier
        assert rows(records="random", seed=1) != rows(records="random", seed=2)
        assert rows(records="first", offset=7)[0] > rows(records="first")[-1]


def test_what_the_site_alters_is_found_by_verification(small: Journey, site: StandIn) -> None:
    small.rehearse()
    site.behave(alter_city=True)
    small.run()
    verified = small.verify().verify
    assert verified is not None
    assert verified.mismatches > 50
    with session() as store:
        [first, *_] = mismatches_of(store, verified.id)
    assert (first.field, first.found) == ("address.city", first.sent.upper())


def test_a_site_that_is_down_fails_the_rehearsal_with_a_remedy(small: Journey, site: StandIn) -> None:
    site.behave(unavailable_every=1, retry_after=0)
    with pytest.raises(SiteUnavailable):
        small.rehearse()
    planned = small.now().rehearse
    assert planned is not None
    assert planned.state == "failed"
    assert "answers 503" in planned.error
    assert "address is right" in planned.error
