"""Record types that define fields of others, and those that are the same records in a further language."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.sites import SiteDescription, describe
from datorum.sites.defining import Definer, definer_of, open_part
from tests.sites.documents import NUMBER, TEXT, Json, asks, listed, of, shown, takes

ANY = {"type": "object", "additionalProperties": TEXT}
KINDS = {"type": "string", "enum": ["seed", "bed"]}


def _list(schema: Json, parameters: list[Json] | None = None) -> dict[str, Json]:
    more = {"parameters": parameters} if parameters else {}
    return {
        "": {"get": {**asks(shown(listed(schema)), "page"), **more}, "post": takes(shown(schema, "201"), schema)},
        "/{id}": {"get": {**shown(schema), **more}, "patch": {**takes(shown(schema), schema), **more}},
    }


def _site(**lists: dict[str, Json]) -> SiteDescription:
    paths = {f"/{name.replace('_', '-')}{behind}": one for name, both in lists.items() for behind, one in both.items()}
    return describe(
        {"openapi": "3.1.0", "info": {"title": "Seeds", "version": "1"}, "paths": paths}, "http://seeds.example"
    )


def _required(schema: Json, *names: str) -> Json:
    return {**schema, "required": list(names)}


SEEDS = _list(of(id=NUMBER, name=TEXT, more=ANY))


@pytest.mark.parametrize(
    ("name", "schema", "found"),
    [
        # An enumeration says whose fields these are, in the singular too.
        (
            "custom_fields", of(key=TEXT, title=TEXT, kind=KINDS),
            Definer("custom-fields", "key", "title", {"kind": "seed"}),
        ),
        # So may what it is called.
        ("seed_attributes", of(code=TEXT, label=TEXT), Definer("seed-attributes", "code", "label", {})),
        # What it must have besides is said where any text will do …
        (
            "seed_fields", _required(of(name=TEXT, type={"type": "string", "enum": ["number", "text"]}), "type"),
            Definer("seed-fields", "name", None, {"type": "text"}),
        ),
        # … and where it is not known, none is made.
        ("seed_fields", _required(of(name=TEXT, width=NUMBER), "width"), None),
        ("custom_fields", of(key=TEXT, kind={"type": "string", "enum": ["bed"]}), None),
        ("beds", of(name=TEXT, kind=KINDS), None),
    ],
)  # fmt: skip
def test_what_defines_a_field_is_told_by_its_name_and_by_whose_fields_it_defines(
    name: str, schema: Json, found: Definer | None
) -> None:
    site = _site(seeds=SEEDS, **{name: _list({**schema, "properties": {"id": NUMBER, **schema["properties"]}})})
    seeds = site.type("seeds")
    assert definer_of(site, "seeds", seeds.open_fields[0]) == found
    if found is not None:
        changes = found.changes("sown_in", "Sown in")
        assert (changes[found.name_at], changes.items() >= found.always.items()) == ("sown_in", True)


def test_a_field_stands_in_an_open_part_by_its_path() -> None:
    seeds = _site(seeds=SEEDS).type("seeds")
    assert open_part(seeds, "more.sown_in") == seeds.open_fields[0]
    assert open_part(seeds, "name") is None
    assert open_part(seeds, "more.deep.er") is None


def _lang(**schema: Any) -> list[Json]:
    return [{"in": "query", "name": "lang", "schema": {"type": "string", **schema}}]


NOTE = _required(of(id=NUMBER, slug=TEXT, title=TEXT), "slug", "title")


def test_each_further_language_is_a_record_type_that_asks_for_it_and_makes_nothing() -> None:
    site = _site(notes=_list(NOTE, _lang(enum=["en", "nb", "de"], default="en")))
    assert sorted(site.types) == ["notes", "notes-de", "notes-nb"]
    plain, further = site.types["notes"], site.types["notes-nb"]
    assert (plain.language, plain.creates, plain.listing.constants) == (None, True, {})
    assert (further.language, further.translates, further.creates, further.delete) == ("nb", "notes", False, None)
    assert further.item is not None
    assert further.update is not None
    assert further.listing.constants == further.item.constants == further.update.constants == {"lang": "nb"}
    assert [field.path for field in plain.fields if field.required] == ["slug", "title"]
    assert not any(field.required for field in further.fields)


@pytest.mark.parametrize("schema", [{}, {"enum": ["en"]}, {"enum": ["small", "large"]}])
def test_what_names_no_languages_makes_no_further_types(schema: Json) -> None:
    assert list(_site(notes=_list(NOTE, _lang(**schema))).types) == ["notes"]


def test_where_records_cannot_be_changed_in_a_language_there_is_no_type_of_it() -> None:
    lists = _list(NOTE, _lang(enum=["en", "nb"], default="en"))
    del lists["/{id}"]["patch"]["parameters"]
    assert list(_site(notes=lists).types) == ["notes"]


@pytest.mark.parametrize(
    ("below", "fields", "keys"),
    [
        ("translations", {"language": TEXT}, (("leaflet_id", "language"),)),
        ("localizations", {"locale": TEXT, "name": TEXT}, (("leaflet_id", "locale"),)),
        # A remark says its language as well, and there may be many in one.
        ("remarks", {"language": TEXT}, ()),
        ("translations", {"text": TEXT}, ()),
        ("translations", {"language": TEXT, "slug": {**TEXT, "description": "Unique."}}, ()),
    ],
)
def test_translations_below_what_they_translate_are_told_apart_by_it_and_their_language(
    below: str, fields: Json, keys: tuple[tuple[str, ...], ...]
) -> None:
    above = _list(of(id=NUMBER, slug=TEXT))
    inner = {f"/{{leaflet_id}}/{below}{at}": one for at, one in _list(of(id=NUMBER, **fields)).items()}
    assert _site(leaflets=above | inner).types[below].unique_together == keys


@pytest.mark.parametrize(
    ("fields", "called_at"),
    [
        ({"slug": TEXT, "title": of(en=TEXT, nb=TEXT)}, "title.en"),
        ({"title": of(en=TEXT, nb=TEXT), "name": TEXT}, "name"),
        ({"slug": TEXT, "en": TEXT}, None),
    ],
)
def test_a_record_is_called_by_its_title_in_the_first_language_that_has_one(
    fields: Json, called_at: str | None
) -> None:
    site = _site(pages=_list(of(id=NUMBER, **fields), []))
    assert site.types["pages"].called_at == called_at
