"""Addresses within texts: found in markup whatever it looks like, and written anew without touching anything else."""

from __future__ import annotations

import time

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.link import Known, LinkTarget, key_table, read_text, said_of_text, text_parts, with_records
from datorum.core.link.addresses import AddressTarget, Leading, addresses_in, keys_in, texts_fared, web_address
from datorum.core.link.keys import OF_IMPORT, ROW_OF
from datorum.core.link.pending import addresses_meant, as_before
from datorum.core.model import Change, Field, LinkRule, RecordType
from datorum.core.model.text_addresses import AddressKey, TextAddresses

SLUG, BODY = Field(path="slug", title="Slug"), Field(path="body", title="Body")
KIND = RecordType(name="notes", title="Notes", fields=(SLUG, BODY))
NEW = "https://new.example/notes/7?a=1&b=2"


def _leading(missing: str = "keep", under: str = "") -> Leading:
    rule = TextAddresses.model_validate(
        {"hosts": ["www.old.example"], "to": [{"record_type": "notes", "by": "slug"}], "missing": missing}
    )
    on_site = key_table("site", "on the site", pl.Series(["rye"]), pl.Series(["7"]))
    in_sheet = key_table("sheet", "in this sheet", pl.Series(["oats"]), pl.Series([f"{ROW_OF}3{OF_IMPORT}5"]))
    addresses = key_table("site", "", pl.Series(["7"]), pl.Series([NEW]))
    target = LinkTarget(LinkRule(by=("slug",)), "notes", "note", (SLUG,), (on_site, in_sheet))
    return Leading(rule, (AddressTarget(target, addresses, under),))


def _fared(text: str, missing: str = "keep", under: str = "") -> tuple[str, list[str]]:
    found = texts_fared(_leading(missing, under), pl.Series([text]))
    return found.texts[0], found.nowhere[0]


WRITTEN = NEW.replace("&", "&amp;")


@pytest.mark.parametrize(
    ("text", "becomes"),
    [
        ('<a href="https://old.example/notes/rye">x</a>', f'<a href="{WRITTEN}">x</a>'),
        ("<A HREF='http://WWW.OLD.example/notes/rye.html'>x</A>", f"<A HREF='{WRITTEN}'>x</A>"),
        ("<a class=x href=/notes/rye/ id=y>x</a>", f"<a class=x href={WRITTEN} id=y>x</a>"),
        ('<a title="a > b" href="../rye">x</a>', f'<a title="a > b" href="{WRITTEN}">x</a>'),
        ('<a href="/?p=rye&amp;page=2">x</a>', f'<a href="{WRITTEN}">x</a>'),
        ('<a href="/notes/rye#top">x</a>', f'<a href="{WRITTEN}#top">x</a>'),
        ('<a href="/12-rye.html">x</a>', '<a href="/12-rye.html">x</a>'),
        ("/notes/rye", NEW),
        ("https://other.example/notes/rye", "https://other.example/notes/rye"),
        ('<a href="https://other.example/rye">x</a>', '<a href="https://other.example/rye">x</a>'),
        ('<a href="mailto:rye">x</a> <a href="#rye">y</a>', '<a href="mailto:rye">x</a> <a href="#rye">y</a>'),
        ('<a data-href="/notes/rye">x</a>', '<a data-href="/notes/rye">x</a>'),
        ("Sow rye, see /notes/rye.", "Sow rye, see /notes/rye."),
    ],
)  # fmt: skip
def test_an_address_that_leads_to_a_record_becomes_that_of_the_record_and_nothing_else_changes(
    text: str, becomes: str
) -> None:
    assert _fared(text)[0] == becomes


@pytest.mark.parametrize(
    ("missing", "becomes"),
    [
        ("keep", 'See <a class="x" href="/gone">it</a> <img src="/gone.jpg"/>.'),
        ("hold", 'See <a class="x" href="/gone">it</a> <img src="/gone.jpg"/>.'),
        ("take off", 'See <a class="x" >it</a> .'),
    ],
)
def test_one_that_leads_nowhere_is_told_and_kept_or_taken_off(missing: str, becomes: str) -> None:
    text = 'See <a class="x" href="/gone">it</a> <img src="/gone.jpg"/>.'
    assert _fared(text, missing) == (becomes, ["/gone", "/gone.jpg"])


def test_records_are_looked_for_below_their_path_alone() -> None:
    text = '<a href="/shop/rye">x</a>'
    assert _fared(text, under="notes") == (text, ["/shop/rye"])
    assert _fared('<a href="/notes/rye">x</a>', under="/notes/")[1] == []


def test_what_is_not_there_yet_stays_open_in_the_text_and_is_filled_in() -> None:
    text, nowhere = _fared('<p><a href="/oats#a">oats</a> and <a href="/rye">rye</a></p>')
    met = []

    def item_of(of_import: int, row: int) -> int:
        met.append((of_import, row))
        return 40

    value = said_of_text(text, item_of)
    changes = {"body": Change(after=value)}
    assert (nowhere, met, addresses_meant(changes)) == ([], [(5, 3)], {40})
    parts = text_parts(value)
    assert parts is not None
    assert read_text(parts, {40: "→ Oats"}.get) == f'<p><a href="→ Oats">oats</a> and <a href="{WRITTEN}">rye</a></p>'

    def filled(addresses: dict[int, str | None]) -> object:
        return with_records(changes, Known({}, addresses), KIND)["body"].after

    whole = '<p><a href="{}">oats</a> and <a href="' + WRITTEN + '">rye</a></p>'
    assert filled({40: "https://new.example/o?x=1&y"}) == whole.format("https://new.example/o?x=1&amp;y#a")
    assert filled({40: None}) == as_before(value, {40}) == whole.format("/oats#a")
    assert filled({}) == value


@given(st.text(alphabet="<>a\"'= /hrefsc\x11\x12\x13#&;.", max_size=200))
def test_whatever_the_markup_a_text_without_old_addresses_is_not_touched(text: str) -> None:
    value, nowhere = _fared(text)
    assert not nowhere or any(one.value in nowhere for one in addresses_in(text))
    if not {"\x11", "\x12", "\x13"} & set(text):
        assert value == text


def test_hostile_markup_costs_little() -> None:
    began = time.process_time()
    for text in ("<a " * 60_000, '<a href="' * 40_000, "<a " + 'x="y" ' * 60_000, "<a href='x" + '"' * 100_000):
        addresses_in(text)
    assert time.process_time() - began < 5


@pytest.mark.parametrize("given", ["javascript:alert(1)", "data:text/html,x", "", None, 7])
def test_what_is_no_address_of_a_page_is_made_no_link(given: object) -> None:
    assert web_address(given) is None


def test_the_keys_in_an_address_are_its_parts_the_likeliest_first() -> None:
    assert keys_in("https://old.example/shop/12-rye.html?id=7&page=2#x") == [
        "https://old.example/shop/12-rye.html?id=7&page=2", "/shop/12-rye.html", "shop/12-rye.html", "7",
        "12-rye.html", "12-rye", "12",
    ]  # fmt: skip
    assert keys_in("/item?view=7&seed=QT-100&a=b&ref=12")[2:] == ["item", "12", "QT-100"], "no number of a page"
    assert keys_in("http://[broken/rye") == ["http://[broken/rye"]


def test_a_rule_says_what_it_does_and_needs_a_key() -> None:
    rule = TextAddresses(hosts=("old.example",), to=(AddressKey(record_type="notes", column="No.", under="notes"),))
    assert rule.sentence() == (
        "lead to notes by No. below /notes, of old.example; those that lead nowhere: kept as they are"
    )
    with pytest.raises(ValueError, match="by one of its fields"):
        AddressKey(record_type="notes")
