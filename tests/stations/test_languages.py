"""Originals × languages: what is there, missing, or older than its original."""

from __future__ import annotations

from typing import Any

import httpx
import pytest

from datorum.core.errors import NotAllowed, NotFound, NotReady
from datorum.sites import SiteDescription
from datorum.stations.languages import Completeness, Translated, completeness, translated
from datorum.store.database import session
from tests.processes import TOKEN, StandIn
from tests.stations.whole import take

ARTICLES: list[dict[str, Any]] = [
    {"slug": "rye-en", "language": "en", "title": "Rye"},
    {"slug": "oats-en", "language": "en", "title": "Oats"},
    {"slug": "rug-nb", "language": "nb", "title": "Rug", "translation_of": 1},
    {"slug": "roggen-de", "language": "de", "title": "Roggen", "translation_of": 1},
    {"slug": "hafer-de", "language": "de", "title": "Hafer", "translation_of": 2},
    {"slug": "hafer-2-de", "language": "de", "title": "Hafer noch einmal", "translation_of": 2},
    {"slug": "nb-alone", "language": "nb", "title": "Bare norsk"},
    {"slug": "lost-de", "language": "de", "title": "Verloren", "translation_of": 99},
]


def _seen(connected: int, *, only_open: bool = False, offset: int = 0, count: int = 100) -> Completeness:
    with session() as store:
        return completeness(store, connected, "articles", only_open=only_open, offset=offset, count=count)


def test_each_original_is_told_in_each_language(connected: int, site: StandIn) -> None:
    site.have({"article": ARTICLES})
    take(connected, "articles")
    seen = _seen(connected)
    assert (seen.originals, seen.lost, seen.total) == (3, 1, 3)
    assert [(one.language, one.there, one.missing, one.older) for one in seen.languages] == [
        ("en", 2, 1, 0), ("de", 2, 1, 0), ("nb", 2, 1, 0)
    ]  # fmt: skip
    assert {one.label: [cell.state for cell in one.cells] for one in seen.rows} == {
        "Bare norsk": ["missing", "missing", "original"],
        "Oats": ["original", "twice", "missing"],
        "Rye": ["original", "there", "there"],
    }
    assert [one.label for one in seen.rows] == ["Bare norsk", "Oats", "Rye"]
    rye = seen.rows[-1].cells[1]
    assert rye.page is not None
    assert rye.days == 0


def test_only_what_is_to_be_done_is_shown_and_some_at_a_time(connected: int, site: StandIn) -> None:
    site.have({"article": ARTICLES})
    take(connected, "articles")
    assert [one.label for one in _seen(connected, only_open=True).rows] == ["Bare norsk", "Oats"]
    second = _seen(connected, only_open=True, offset=1, count=1)
    assert (second.total, [one.label for one in second.rows]) == (2, ["Oats"])


def test_a_translation_is_older_once_its_original_has_changed(connected: int, site: StandIn) -> None:
    site.have({"article": ARTICLES[:4]})
    changed = httpx.patch(f"{site.url}/api/articles/1", json={"title": "Rye, anew"},
                          headers={"Authorization": f"Bearer {TOKEN}"})  # fmt: skip
    changed.raise_for_status()
    take(connected, "articles")
    [oats, rye] = _seen(connected).rows
    assert [cell.state for cell in rye.cells] == ["original", "older", "older"]
    assert [cell.state for cell in oats.cells] == ["original", "missing", "missing"]


def test_what_was_not_read_or_is_no_translation_says_so(connected: int) -> None:
    with session() as store, pytest.raises(NotReady, match="have not been read"):
        completeness(store, connected, "articles")
    with session() as store, pytest.raises(NotAllowed, match="customers"):
        completeness(store, connected, "customers")
    with session() as store, pytest.raises(NotFound):
        completeness(store, connected, "clouds")


def test_a_site_says_which_of_its_records_are_translations(description: SiteDescription) -> None:
    found = {name: translated(kind) for name, kind in description.types.items()}
    assert {name: one for name, one in found.items() if one} == {"articles": Translated("language", "translation_of")}
