"""Sheets that nobody prepared land by suggestion alone: every row but the planted faults is ready."""

from __future__ import annotations

from collections.abc import Callable

import pytest

from datorum.stations.check import check_import, found_records
from datorum.stations.imports import open_import
from datorum.store.database import session
from tests.messy import messy
from tests.stations.conftest import Journey


@pytest.mark.parametrize("seed", range(8))
def test_all_rows_but_the_planted_faults_are_ready(begin: Callable[[bytes], Journey], seed: int) -> None:
    sheet = messy(seed)
    journey = begin(sheet.data)
    with session() as store:
        result = check_import(store, "ada", journey.import_id)
        held = set(found_records(store, result.id, None, None))
        mapping = open_import(store, journey.import_id).mapping
    assert held - sheet.faults - sheet.beside == set()
    assert sheet.faults - held == set()
    groups = {(one["field"], one["rule"]): one["count"] for one in result.groups if one["blocks"]}
    # A header that stands among the rows is told as that, and not field by field.
    assert groups == {("", "row"): len(sheet.beside & held) + 2, ("email", "format"): 2, ("email", "same key twice"): 1}
    assert not any(step.kind == "formula" for fed in mapping.fields.values() for step in fed.steps)
    fed = {path for path, one in mapping.fields.items() if one.fed}
    assert {"email", "name", "phone", "plan", "joined_at", "birth_date", "newsletter", "total_spent"} <= fed
