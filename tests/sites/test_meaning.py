"""What a document means beyond the requests: keys, open fields, languages, changes, and what holds between fields."""

from __future__ import annotations

from typing import Any

import pytest

from datorum.core.model import RelationKind
from datorum.sites import Correction, SiteType, understand
from datorum.sites.rest import EXTENSION
from tests.sites.documents import NUMBER, TEXT, Json, listed, of, shown, takes

MOMENT = {"type": "string", "format": "date-time"}
GIVEN = {**MOMENT, "readOnly": True}


def said(description: str, schema: Json = TEXT) -> Json:
    return {**schema, "description": description}


def seeds(
    properties: Json, parameters: list[Json] | None = None, conflict: str | None = None, **corrected: Any
) -> SiteType:
    """The record type of a document that has one, and beds that seeds may point at."""
    seed = of(id={**NUMBER, "readOnly": True}, **properties)
    bed = of(id={**NUMBER, "readOnly": True}, name=TEXT)
    create = takes(shown(seed, "201"), seed)
    if conflict is not None:
        create["responses"]["409"] = {"description": conflict}
    document: Json = {
        "openapi": "3.1.0",
        "info": {"title": "Quillmoss", "version": "1"},
        "paths": {
            "/seeds": {"get": {**shown(of(items=listed(seed))), "parameters": parameters or []}, "post": create},
            "/seeds/{id}": {"get": shown(seed), "patch": takes(shown(seed), seed)},
            "/beds": {"get": shown(listed(bed)), "post": takes(shown(bed), bed)},
            "/beds/{id}": {"get": shown(bed)},
        },
    }
    if corrected:
        correction = Correction(**corrected)
        document["paths"]["/seeds"][EXTENSION] = correction.model_dump(mode="json", exclude_defaults=True)
    return next(one for one in understand(document).record_types if one.name == "seeds")


@pytest.mark.parametrize(
    ("field", "conflict", "is_key"),
    [
        ({"batch": said("Unique among seeds.")}, None, True),
        ({"batch": said("Unlike any other.")}, None, True),
        ({"batch": said("Need not be unique.")}, "The batch is taken.", False),
        ({"batch": TEXT}, "A seed with this batch exists already.", True),
        ({"batch": TEXT}, "It exists already.", False),
        ({"batch": TEXT}, None, False),
        ({"sku": TEXT}, "It exists already.", True),
        ({"bed_id": said("The bed it grows in.", NUMBER)}, "The bed_id is taken.", False),
        ({"bed_id": said("Unique: a bed has one seed.", NUMBER)}, "It exists already.", True),
        ({"company_no": said("The unique number of the company.")}, None, False),
        ({"stock": said("Unique.", {"type": "number"})}, None, False),
    ],
)  # fmt: skip
def test_a_field_is_a_key_where_that_is_said_or_a_conflict_names_it(
    field: Json, conflict: str | None, is_key: bool
) -> None:
    found = seeds(field, conflict=conflict)
    assert found.unique == (tuple(field) if is_key else ())


@pytest.mark.parametrize(
    "description",
    ["Unique within its bed.", "Unique per bed", "Must be unique together with bed_id.", "Unique for each bed."],
)
def test_fields_that_are_unique_together_are_no_keys_by_themselves(description: str) -> None:
    found = seeds({"label": said(description), "bed_id": NUMBER})
    assert (found.unique, found.unique_together) == ((), (("label", "bed_id"),))


def test_a_record_shown_within_another_lends_it_no_keys() -> None:
    grower = of(id=NUMBER, reference=said("Unique among growers."))
    found = seeds({"grower": grower, "tag": of(code=said("Unique."))})
    assert found.unique == ("tag.code",)


@pytest.mark.parametrize(
    ("field", "link"),
    [
        ({"bed_number": {**TEXT, "description": "Must be unique."}}, None),
        ({"bed": of(id=NUMBER)}, ("bed.id", "id", False)),
        ({"bed": of(id=NUMBER, name=TEXT)}, ("bed.id", "id", False)),
        ({"beds": listed(of(id=NUMBER))}, ("beds.id", "id", True)),
        ({"beds": listed(of(id=NUMBER, rows=NUMBER))}, ("beds.id", "id", False)),
        ({"beds": listed(NUMBER)}, ("beds", "id", True)),
        ({"bed_name": TEXT}, ("bed_name", "name", False)),
        ({"bed": {**TEXT, "format": "uri-reference"}}, ("bed", "id", False)),
        ({"place": {**TEXT, "pattern": r"^\/beds\/[0-9]+$"}}, ("place", "id", False)),
        ({"place": said("Where it grows, such as /beds/7.")}, ("place", "id", False)),
        ({"place": said("Where it grows, in /beds.")}, None),
        ({"bed": TEXT}, None),
    ],
)  # fmt: skip
def test_a_field_points_at_a_record_by_object_address_list_or_name(
    field: Json, link: tuple[str, str, bool] | None
) -> None:
    found = [(one.field, one.by, one.many) for one in seeds({"label": TEXT, **field}).links if one.to == "beds"]
    assert found == ([link] if link else [])


def test_open_parts_are_told_with_what_they_take() -> None:
    found = seeds(
        {
            "metadata": {"type": "object", "additionalProperties": TEXT},
            "counts": {"type": "object", "additionalProperties": NUMBER},
            "anything": {"type": "object"},
            "closed": {"type": "object", "additionalProperties": False},
            "address": {**of(city=TEXT), "additionalProperties": True},
            "more_data": listed(of(id=NUMBER, key=TEXT, value=TEXT)),
            "titles": listed(of(language=TEXT, text=TEXT)),
            "names": said("By language code.", {"type": "object", "additionalProperties": TEXT}),
            "lines": listed(of(key=TEXT, value=TEXT, price=NUMBER)),
            "given": {"type": "object", "additionalProperties": TEXT, "readOnly": True},
        }
    )
    told = [(one.path, one.kind, one.type.value, one.languages) for one in found.open_fields]
    assert told == [
        ("metadata", "map", "text", False),
        ("counts", "map", "integer", False),
        ("anything", "map", "text", False),
        ("more_data", "pairs", "text", False),
        ("titles", "pairs", "text", True),
        ("names", "map", "text", True),
    ]
    paths = {field.path for field in found.fields}
    assert {"lines.price", "address.city"} <= paths
    assert not {"more_data.key", "titles.text"} & paths


def test_a_field_is_added_to_an_open_part_and_written_with_the_others() -> None:
    added = ({"path": "metadata.colour", "title": "Colour"}, {"path": "nowhere.colour"}, {"path": "metadata.size"})
    found = seeds({"metadata": {"type": "object", "additionalProperties": TEXT}}, added=added)
    titles = {field.path: field.title for field in found.fields if field.path.startswith("metadata.")}
    assert titles == {"metadata.colour": "Colour", "metadata.size": "Size, metadata"}
    assert {"metadata.colour", "metadata.size"} <= set(found.create.fields)
    assert "nowhere.colour" not in {field.path for field in found.fields}


def test_a_text_in_each_language_has_its_language_and_other_objects_have_none() -> None:
    found = seeds({"title": of(en=TEXT, nb=TEXT, de=TEXT), "range": of(no=TEXT, is_new=TEXT), "size": of(id=TEXT)})
    languages = {field.path: field.language for field in found.fields if field.path != "id"}
    assert languages == {
        "title.en": "en", "title.nb": "nb", "title.de": "de", "range.no": None, "range.is_new": None, "size.id": None,
    }  # fmt: skip


def test_lists_of_objects_stand_within_lists() -> None:
    found = seeds({"lines": listed(of(sku=TEXT, taxes=listed(of(rate=NUMBER))))})
    assert {field.path: field.in_list for field in found.fields if field.in_list} == {
        "lines.sku": "lines", "lines.taxes.rate": "lines.taxes",
    }  # fmt: skip
    assert found.record_type.lists == {"lines", "lines.taxes"}


def query(name: str, *values: str, **schema: Any) -> Json:
    return {"in": "query", "name": name, "schema": {**TEXT, **({"enum": list(values)} if values else {}), **schema}}


@pytest.mark.parametrize(
    ("parameters", "since", "newest"),
    [
        ([query("updated_since")], "updated_since", {}),
        ([query("modifiedAfter")], "modifiedAfter", {}),
        ([query("filter"), query("updated_at[gte]")], "updated_at[gte]", {}),
        ([query("created_since")], None, {}),
        ([query("sort", "name", "-updated_at")], None, {"sort": "-updated_at"}),
        ([query("sort_by", "updatedAt", "name"), query("sort_order", "asc", "desc")], None,
         {"sort_by": "updatedAt", "sort_order": "desc"}),
        ([query("order", "updated_at:desc")], None, {"order": "updated_at:desc"}),
        ([query("sort", "name", "-name")], None, {}),
    ],
)  # fmt: skip
def test_a_list_tells_what_has_changed_by_parameters_of_many_names(
    parameters: list[Json], since: str | None, newest: Json
) -> None:
    found = seeds({"name": TEXT, "updated_at": GIVEN}, parameters)
    assert (found.changed_at, found.listing.changed_since, found.listing.newest_first) == ("updated_at", since, newest)
    # A moment that nothing can be compared with is of no use.
    assert seeds({"name": TEXT}, parameters).listing.changed_since is None


def test_what_holds_between_fields_is_told_with_its_reason() -> None:
    amount = {"type": "number"}
    lines = listed(of(quantity=NUMBER, unit_price=amount))
    found = seeds(
        {
            "starts_on": {**TEXT, "format": "date"}, "ends_on": {**TEXT, "format": "date"},
            "sown": {**TEXT, "format": "date"}, "reaped": said("Not before sown.", {**TEXT, "format": "date"}),
            "price": amount, "sale_price": amount, "low": said("Below high.", amount), "high": amount,
            "lines": lines, "shipping": amount, "tax": amount, "discount": amount, "total": amount,
        }
    )  # fmt: skip
    held = {(one.kind, *one.parts.values()): one for one in found.relations}
    assert held.keys() == {
        (RelationKind.IN_ORDER, "reaped", "sown"), (RelationKind.IN_ORDER, "starts_on", "ends_on"),
        (RelationKind.BELOW, "low", "high"), (RelationKind.BELOW, "sale_price", "price"),
        (RelationKind.SUM, "total", "lines.quantity", "lines.unit_price", "shipping", "tax", "discount"),
    }  # fmt: skip
    assert held[(RelationKind.IN_ORDER, "reaped", "sown")].parts == {"last": "reaped", "first": "sown"}
    assert "says “Not before sown”" in held[(RelationKind.IN_ORDER, "reaped", "sown")].why
    assert held[(RelationKind.BELOW, "sale_price", "price")].confidence < 0.9
    assert found.record_type.relations == found.relations


def test_a_person_says_what_holds_and_what_does_not() -> None:
    dates = {"starts_on": {**TEXT, "format": "date"}, "ends_on": {**TEXT, "format": "date"}}
    assert seeds(dates, relations=()).relations == ()
    mine = {"kind": "in order", "parts": {"first": "ends_on", "last": "starts_on"}}
    lost = {"kind": "in order", "parts": {"first": "gone", "last": "starts_on"}}
    [held] = seeds(dates, relations=(mine, lost)).relations
    assert (held.parts, held.confidence) == (mine["parts"], 1.0)
    with pytest.raises(ValueError, match="is between first and last"):
        Correction(relations=({"kind": "in order", "parts": {"first": "a"}},))
