"""What records that were read say of a site: keys that tell them apart or do not, and what fields point at."""

from __future__ import annotations

import datetime as dt
from typing import Any

import pytest

from datorum.core.model import Field, FieldType, SiteRecord
from datorum.sites import SiteDescription
from datorum.sites.rest import SiteType
from datorum.sites.rest.model import Link, Listing, OpenField, Writing
from datorum.stations.descriptions import Told, keep_description
from datorum.stations.samples import TypeSample, samples_of
from datorum.stations.sites import get_site
from datorum.store import models, snapshots
from datorum.store.database import session

WHOLE = FieldType.INTEGER


def kind(name: str, *fields: Field, unique: tuple[str, ...] = (), **more: Any) -> SiteType:
    create = Writing(method="post", path=f"/{name}", media="application/json")
    return SiteType(
        name=name, title=name, listing=Listing(path=f"/{name}"), create=create, id_field="id",
        fields=fields, unique=unique, **more,
    )  # fmt: skip


def text(path: str) -> Field:
    return Field(path=path, title=path)


SEEDS = kind("seeds", text("sku"), text("name"), Field(path="stock", title="Stock", type=WHOLE), unique=("sku",))
SALES = kind(
    "sales", text("what"), text("note"), Field(path="seed_id", title="Seed", type=WHOLE),
    Field(path="lines.count", title="Count", type=WHOLE, in_list="lines"), text("lines.article"), text("receipt"),
    unique=("note",),
    links=(Link(field="seed_id", to="seeds", by="id", confidence=0.9, why="its name"),),
    open_fields=(OpenField(path="more", title="More", why=""),),
)  # fmt: skip


def keep(site_id: int, name: str, bodies: list[dict[str, Any]]) -> None:
    """A snapshot as though it had been read."""
    with session() as store:
        site = get_site(store, site_id)
        made = models.Snapshot(
            site_id=site_id, record_type=name, description_id=site.description_id, by="ada",
            records_read=len(bodies), as_of=dt.datetime.now(dt.UTC),
        )  # fmt: skip
        store.add(made)
        store.flush()
        records = [SiteRecord(id=str(body["id"]), body=body) for body in bodies]
        unique = {"seeds": SEEDS, "sales": SALES}[name].unique
        for at in range(0, len(records), 30):
            snapshots.keep_chunk(store, made.id, snapshots.frame_of(records[at : at + 30], unique, None), None)


@pytest.fixture
def seen(connected: int) -> dict[str, TypeSample]:
    with session() as store:
        site = store.get_one(models.Site, connected)
        base = "https://quillmoss.example"
        told = SiteDescription(title="Sample", base_url=base, types={"seeds": SEEDS, "sales": SALES})
        keep_description(store, "ada", site, Told({}, None, told))
    seeds = [{"id": at, "sku": f"QB-{at:03}", "name": f"Bean {at}", "stock": at % 9} for at in range(1, 81)]
    sales = [
        {
            "id": at, "what": f"QB-{at:03}", "note": "same" if at < 4 else f"note {at}", "seed_id": at if at else 999,
            "lines": [{"count": at % 7 + 1, "article": f"QB-{at + 1:03}"}, {"count": 1, "article": "QB-001"}],
            "receipt": f"R{at}", "more": {"colour": "red", **({"size": 3} if at % 2 else {})},
        }
        for at in range(60)
    ]  # fmt: skip
    sales[0]["what"] = "QB-077"
    keep(connected, "seeds", seeds)
    keep(connected, "sales", sales)
    with session() as store:
        return {one.record_type: one for one in samples_of(store, connected)}


def test_stated_keys_are_confirmed_or_doubted_and_others_found(seen: dict[str, TypeSample]) -> None:
    seeds = {key.fields: key for key in seen["seeds"].keys}
    assert (seeds[("sku",)].stated, seeds[("sku",)].shared, seeds[("sku",)].records) == (True, 0, 80)
    assert not seeds[("name",)].stated
    assert ("stock",) not in seeds
    sales = {key.fields: key for key in seen["sales"].keys}
    assert (sales[("note",)].shared, sales[("note",)].example) == (1, "same")
    assert ("receipt",) in sales
    # What points elsewhere is no key, though its values all differ.
    assert ("what",) not in sales


def test_fields_that_hold_keys_of_others_point_at_them(seen: dict[str, TypeSample]) -> None:
    links = {link.field: link for link in seen["sales"].links}
    assert (links["what"].to, links["what"].by, links["what"].stated) == ("seeds", "sku", False)
    assert (links["what"].values, links["what"].found) == (60, 60)
    assert (links["lines.article"].to, links["lines.article"].by) == ("seeds", "sku")
    # Any count is among whole numbers that count records.
    assert "lines.count" not in links
    stated = links["seed_id"]
    assert (stated.stated, stated.values, stated.found) == (True, 60, 59)
    assert seen["seeds"].links == []


def test_names_in_open_parts_are_counted(seen: dict[str, TypeSample]) -> None:
    assert seen["sales"].names == {"more": [("colour", 60), ("size", 30)]}
