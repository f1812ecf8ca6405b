"""The list of imports says how far each has come, and who changed it last."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import pytest

from datorum.core.errors import Conflict, NotFound
from datorum.core.model import Policy
from datorum.stations import imports, listing, read
from datorum.stations.check import check_import
from datorum.stations.imports import open_import
from datorum.stations.listing import Listed
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.test_rows_by_hand import change_mapping


def listed(journey: Journey) -> Listed:
    with session() as store:
        [found] = [one for one in listing.list_imports(store) if one.id == journey.import_id]
    return found


def test_an_import_is_listed_with_how_far_it_has_come(small: Journey, site: StandIn) -> None:
    assert listed(small).state == "read"
    change_mapping(small, parameters={"season": "Spring"})
    assert (listed(small).state, listed(small).changed_by) == ("mapped", "ada")
    with session() as store:
        result = check_import(store, "bo", small.import_id)
        counts = result.ready, result.held
    one = listed(small)
    assert (one.state, one.changed_by, (one.ready, one.held)) == ("checked", "bo", counts)
    small.rehearse()
    assert (listed(small).state, listed(small).has_run) == ("rehearsed", False)
    small.start()
    assert (listed(small).state, listed(small).has_run) == ("running", True)
    done = small.run().run
    assert done is not None
    assert (listed(small).state, listed(small).sent) == ("carried out", done.total)
    small.verify()
    assert (listed(small).state, listed(small).differ) == ("verified", 0)
    small.rehearse()
    assert listed(small).state == "rehearsed"


def test_what_was_changed_last_comes_first(begin: Callable[[bytes], Journey]) -> None:
    first, second = begin(b"E-mail;Name\na@quillmoss.example;A\n"), begin(b"E-mail;Name\nb@quillmoss.example;B\n")
    with session() as store:
        assert [one.id for one in listing.list_imports(store)] == [second.import_id, first.import_id]
        imports.rename(store, "bo", first.import_id, "Old shop")
    with session() as store:
        latest, _ = listing.list_imports(store)
    assert (latest.id, latest.name, latest.changed_by) == (first.import_id, "Old shop", "bo")


def test_another_file_gets_mapping_and_policy_of_an_import_it_is_to_be_like(small: Journey, tmp_path: Path) -> None:
    change_mapping(small, parameters={"season": "Spring"})
    small.set_policy(Policy(on_match="skip"))
    path = tmp_path / "next.csv"
    path.write_bytes(b"E-mail Address;First Name\nada@quillmoss.example;Ada\n")

    def another(like: int, kind: str = "customers") -> int:
        with session() as store:
            site_id = imports.get_import(store, small.import_id).site_id
            return read.start_import(store, "bo", site_id, kind, "next.csv", path, like=like).id

    made = another(small.import_id)
    with session() as store:
        now = open_import(store, made)
        assert now.mapping == open_import(store, small.import_id).mapping
        assert (now.mapping_version, now.policy.on_match, now.sheet.rows) == (2, "skip", 1)
    with pytest.raises(NotFound):
        another(10**6)
    with session() as store:
        imports.get_import(store, made).record_type = "orders"
    with pytest.raises(Conflict, match="is of orders, and this one of customers"):
        another(made)
