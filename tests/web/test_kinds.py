"""Each kind of record as a practitioner takes it in: a file is dropped, its pictures are added, what is to become of
what is there is chosen, and the site's own pages show what came and what it leads to."""

from __future__ import annotations

import csv
import re
import zipfile
from collections.abc import Mapping
from pathlib import Path
from types import MappingProxyType
from typing import Any, NamedTuple

import pytest
from playwright.sync_api import Page, expect

from tests.processes import StandIn
from tests.stations.whole import ARTICLES, COMMENTS, CUSTOMERS, ENTRIES, OFFERS, PRODUCTS, TERMS, USERS, Rows
from tests.web.conftest import run_anyway
from tests.web.test_journey import field, station

Records = dict[str, list[dict[str, Any]]]
VOCABULARY = {"name": "category", "title": "Categories"}
TERMS_THERE: Records = {
    "vocabulary": [VOCABULARY],
    "term": [{"name": name, "slug": name.lower(), "vocabulary_name": "category"} for name in ("Beets", "Chard")],
}
ARTICLE = {"language": "en", "slug": "growing-1-en", "title": "Growing", "body": "<p>Soon.</p>", "status": "published"}


class Kind(NamedTuple):
    """A kind of record: rows, what the site has of what they mean, the site's table, a field with the value by which
    one record is looked at, what its page says, and what the pages say to which its fields lead. ``feeds``: by fields
    the columns that a person places; ``files``: what is added as an archive."""

    rows: Rows
    there: Records
    table: str
    record: tuple[str, Any]
    says: tuple[str, ...]
    leads: Mapping[str, str] = MappingProxyType({})
    feeds: Mapping[str, str] = MappingProxyType({})
    files: Mapping[str, bytes] = MappingProxyType({})


KINDS = {
    "users": Kind(USERS, {}, "user", ("username", "siv.rye"), ("siv@quillmoss.example", "author")),
    "products": Kind(
        PRODUCTS, TERMS_THERE, "product", ("sku", "QB-202"), ("Low bean",),
        leads={"media_ids": "bean-2.jpg"},
        files={f"shop/{name}": b"\xff\xd8\xff\xe0" + name.encode()
               for name in ("bean-1.jpg", "bean-2.jpg", "bean-3.jpg", "pod.jpg")},
    ),
    "offers": Kind(
        OFFERS,
        {"product": [{"sku": f"QB-20{at}", "name": f"Bean {at}", "slug": f"bean-{at}", "price": 3.0,
                      "status": "published"} for at in (1, 2, 3)]},
        "offer", ("code", "HARVEST-12"), ("percent", "QB-203"), feeds={"Products": "Articles"},
    ),
    "articles": Kind(
        ARTICLES,
        {**TERMS_THERE, "user": [{"username": "per.rye", "email": "per@quillmoss.example", "role": "author"}]},
        "article", ("slug", "dyrke-2-nb"), ("dyrke 2", "Read on."),
        leads={"translation_of": "growing-2-en", "author_id": "per.rye"},
    ),
    "comments": Kind(
        COMMENTS, {"article": [ARTICLE]}, "comment", ("body", "Sow later."), ("Alf Tyrivik", "approved"),
        leads={"article_id": "growing-1-en", "parent_id": "Mine never come up."},
    ),
    "course entries": Kind(
        ENTRIES, {"customer": [{"email": row["E-mail"], "name": row["Name"]} for row in CUSTOMERS]},
        "course_entry", ("reference", "C2024-2"), ("Saving bean seed",),
        leads={"media_ids": "entry-2.pdf", "customer_id": "Alf Tyrivik"},
        files={f"courses/{name}": data + name.encode() for name, data in (
            ("entry-1.pdf", b"%PDF-1.4 "), ("entry-2.pdf", b"%PDF-1.4 "), ("pod.jpg", b"\xff\xd8\xff\xe0"))},
    ),
}  # fmt: skip


def _begun(page: Page, name: str, rows: Rows, folder: Path) -> None:
    path = folder / f"{name}.csv"
    with path.open("w", newline="") as file:
        writer = csv.DictWriter(file, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)
    chooser = page.get_by_label("It becomes")
    option = chooser.locator("option", has_text=re.compile(f"^{name.capitalize()} on "))
    option.first.wait_for(state="attached")
    chooser.select_option(label=option.first.inner_text())
    page.get_by_label("File", exact=True).set_input_files(path)
    expect(station(page, "Map")).to_contain_text("fed")


def _add(page: Page, files: Mapping[str, bytes], folder: Path) -> None:
    """Give the import the files that its cells name, in one archive."""
    archive = folder / "files.zip"
    with zipfile.ZipFile(archive, "w") as packed:
        for name, data in files.items():
            packed.writestr(name, data)
    reading = page.get_by_role("form", name="How the file is read")
    reading.get_by_role("button", name="Files", exact=True).click()
    panel = page.get_by_role("complementary", name="Files")
    panel.get_by_label("Archive or files").set_input_files(archive)
    expect(panel.get_by_role("img", name=f"{len(files)} here, 0 to be fetched, 0 missing")).to_be_visible()


def _sent(page: Page, choices: dict[str, str], planned: str) -> None:
    """Rehearse with some choices, see what is planned, and run."""
    station(page, "Rehearse").click()
    page.get_by_role("button", name=re.compile("^Rehearse( again)?$")).wait_for()
    for label, chosen in choices.items():
        with page.expect_response(lambda answer: answer.request.method == "PUT"):
            page.get_by_label(label).select_option(label=chosen)
    page.get_by_role("button", name=re.compile("^Rehearse( again)?$")).click()
    expect(station(page, "Rehearse")).to_contain_text(planned)
    run_anyway(page, re.compile(r"^Run [\d,]+ record"))
    expect(page.get_by_role("heading", name="Done")).to_be_visible()


@pytest.mark.parametrize("name", KINDS)
def test_a_kind_goes_from_its_file_to_the_sites_own_page(name: str, page: Page, site: StandIn, tmp_path: Path) -> None:
    kind = KINDS[name]
    site.have(kind.there)
    _begun(page, name, kind.rows, tmp_path)
    if kind.files:
        _add(page, kind.files, tmp_path)
    for title, column in kind.feeds.items():
        station(page, "Map").click()
        field(page, title).click()
        page.get_by_role("group", name="Columns that feed nothing").get_by_role("button", name=column).click()
        # A rehearsal that is begun before the mapping is saved says that this has changed.
        with page.expect_response(lambda answer: answer.request.method == "PUT" and answer.url.endswith("/mapping")):
            page.get_by_role("menuitem", name=f"Feed {title}").click()
        expect(field(page, title)).to_contain_text(column)
    _sent(page, {}, f"{len(kind.rows)} create")
    at, value = kind.record
    [record] = [one for one in site.bodies(kind.table) if one.get(at) == value]
    own = f"{site.url}/{name.replace(' ', '-')}/{record['id']}"
    page.goto(own)
    for text in kind.says:
        expect(page.locator("body")).to_contain_text(text)
    for path, text in kind.leads.items():
        page.get_by_role("row", name=path).get_by_role("link").first.click()
        expect(page.locator("body")).to_contain_text(text)
        page.goto(own)
    assert site.mails() == 0


def test_comments_that_are_there_are_changed_and_new_ones_ignored(page: Page, site: StandIn, tmp_path: Path) -> None:
    there = {"article_id": 1, "author_name": "Tone Hasselvik", "author_email": "c1@quillmoss.example",
             "body": "Mine never come up.", "status": "waiting", "posted_at": "2024-04-01T11:02:00Z"}  # fmt: skip
    site.have({"article": [ARTICLE], "comment": [there]})
    _begun(page, "comments", COMMENTS, tmp_path)
    _sent(page, {"On no match": "leave the row out"}, "1 update")
    [kept] = site.bodies("comment")
    assert (kept["status"], kept["body"]) == ("approved", there["body"])


@pytest.mark.parametrize(
    ("choices", "planned", "named"),
    [
        ({}, "4 create", {"chard": "Chard", "beets": "Beets"}),
        ({"On a match": "leave it as it is"}, "4 create", {"chard": "Old chard", "beets": "Beets"}),
    ],
    ids=["merged", "ignored"],
)
def test_terms_that_are_there_are_merged_into_or_ignored(
    choices: dict[str, str], planned: str, named: dict[str, str], page: Page, site: StandIn, tmp_path: Path
) -> None:
    old = {"name": "Old chard", "slug": "chard", "vocabulary_name": "category"}
    site.have({"vocabulary": [VOCABULARY], "term": [old]})
    _begun(page, "terms", TERMS, tmp_path)
    _sent(page, choices, planned)
    kept = {one["slug"]: one for one in site.bodies("term")}
    assert {slug: kept[slug]["name"] for slug in named} == named
    page.goto(f"{site.url}/terms/{kept['beets']['id']}")
    page.get_by_role("row", name="parent_id").get_by_role("link").click()
    expect(page.locator("body")).to_contain_text("Roots")
