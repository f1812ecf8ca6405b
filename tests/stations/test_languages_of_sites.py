"""Texts in several languages go to sites that keep these as an inner map, as a sub-collection, or by a parameter."""

from __future__ import annotations

import asyncio
from collections.abc import Iterator
from pathlib import Path

import pytest

from datorum.core.errors import InvalidMapping
from datorum.core.model import FieldMapping, LinkRule, Mapping, Policy
from datorum.core.shape import Condition, RowFilter
from datorum.sites import SignIn
from datorum.stations import imports, sites
from datorum.stations import map as mapping_station
from datorum.stations.imports import open_import
from datorum.stations.languages import completeness
from datorum.store.database import session
from tests.processes import unguessable
from tests.stations.conftest import Journey, import_of
from tests.stations.small_site import SmallSite
from tests.stations.whole import take

ROWS = [
    {"Group": f"note-{at}", "Language": language, "Headline": f"{said} {at}", "Text": f"{said} {at}, part one."}
    for at in range(1, 5) for language, said in (("en", "Beans"), ("nb", "Bønner"))
]  # fmt: skip


@pytest.fixture
def small() -> Iterator[SmallSite]:
    site = SmallSite()
    with site.running():
        yield site


@pytest.fixture
def at_small(database: None, small: SmallSite) -> int:
    found = sites.connect_site("ada", unguessable(), f"{small.url}/openapi.json", SignIn())
    return asyncio.run(found).id


def _mapped(journey: Journey, mapping: Mapping) -> None:
    with session() as store:
        now = open_import(store, journey.import_id)
        mapping_station.save_mapping(store, "ada", journey.import_id, now.mapping_version, mapping)


def _fed(**columns: str) -> dict[str, FieldMapping]:
    return {path.replace("__", "."): FieldMapping(columns=(column,)) for path, column in columns.items()}


def _verified(journey: Journey) -> tuple[int, int]:
    """How many are done, and how many fields differ."""
    journey.rehearse()
    journey.run()
    done = journey.verify()
    assert done.run is not None
    assert done.verify is not None
    return done.run.done, done.verify.mismatches + done.run.failed


def test_an_inner_map_rows_in_several_languages_are_one_record(at_small: int, small: SmallSite, tmp_path: Path) -> None:
    journey = import_of(at_small, "pages", ROWS, tmp_path)
    with session() as store:
        suggested = open_import(store, journey.import_id).mapping
    assert [one.kind for one in suggested.shape] == ["in languages"]
    assert suggested.fields["title.nb"].columns == ("Headline (nb)",)
    fields = suggested.fields | _fed(slug="Group", body__en="Text (en)", body__nb="Text (nb)")
    _mapped(journey, suggested.model_copy(update={"fields": fields, "match_key": "slug"}))
    assert _verified(journey) == (4, 0)
    assert small.lists["pages"][0] == {
        "id": 1, "slug": "note-1", "title": {"en": "Beans 1", "nb": "Bønner 1"},
        "body": {"en": "Beans 1, part one.", "nb": "Bønner 1, part one."},
    }  # fmt: skip
    del small.lists["pages"][1]["title"]["nb"], small.lists["pages"][1]["body"]["nb"]
    del small.lists["pages"][2]["body"]["nb"]
    take(at_small, "pages")
    with session() as store:
        view = completeness(store, at_small, "pages")
    assert [(one.language, one.there, one.missing) for one in view.languages] == [("en", 4, 0), ("nb", 3, 1)]
    assert [[cell.state for cell in row.cells] for row in view.rows] == [
        ["original", "there"], ["original", "missing"], ["original", "partly"], ["original", "there"],
    ]  # fmt: skip


def test_a_sub_collection_translations_go_below_the_records_that_they_are_of(
    at_small: int, small: SmallSite, tmp_path: Path
) -> None:
    leaflets = import_of(at_small, "leaflets", ROWS, tmp_path)
    originals = RowFilter(conditions=(Condition(column="Language", test="is", value="en"),))
    _mapped(leaflets, Mapping(fields=_fed(slug="Group", title="Headline"), match_key="slug", rows=originals))
    assert _verified(leaflets) == (4, 0)
    translations = import_of(at_small, "translations", ROWS, tmp_path)
    others = RowFilter(conditions=(Condition(column="Language", test="is not", value="en"),))
    with session() as store:
        suggested = open_import(store, translations.import_id).mapping
    # Of each leaflet there is one in each language.
    assert suggested.keys == ("leaflet_id", "language")
    assert suggested.links["leaflet_id"] == LinkRule(by=("slug",))
    fed = suggested.fields | _fed(title="Headline")
    _mapped(translations, suggested.model_copy(update={"fields": fed, "rows": others}))
    assert _verified(translations) == (4, 0)
    assert small.lists["leaflets/3/translations"] == [{"id": 1, "language": "nb", "title": "Bønner 3"}]
    again = translations.rehearse().rehearse
    assert again is not None
    assert again.counts["unchanged"] == 4


def test_by_a_parameter_what_is_there_is_written_in_another_language_and_nothing_is_made(
    at_small: int, small: SmallSite, tmp_path: Path
) -> None:
    small.lists["notes"] = [{"id": at, "slug": f"note-{at}", "title": f"Beans {at}", "kind": "bed"} for at in (1, 2, 3)]
    journey = import_of(at_small, "notes-nb", [row for row in ROWS if row["Language"] == "nb"], tmp_path)
    _mapped(journey, Mapping(fields=_fed(slug="Group", title="Headline"), match_key="slug"))
    planned = journey.rehearse().rehearse
    assert planned is not None
    # The fourth is not on the site, and is made in its first language only.
    assert (planned.counts["update"], planned.counts["held"], planned.counts["create"]) == (3, 1, 0)
    assert _verified(journey) == (3, 0)
    assert small.spoken[2, "nb"] == {"title": "Bønner 2"}
    assert [one["title"] for one in small.lists["notes"]] == ["Beans 1", "Beans 2", "Beans 3"]
    with session() as store, pytest.raises(InvalidMapping, match="makes no notes in nb"):
        imports.set_policy(store, "ada", journey.import_id, Policy())
