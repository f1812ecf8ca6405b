"""A site of another style altogether: all of it is read, and the sheet of customers goes into it and is proven
there."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from datorum.core.model import FieldMapping
from datorum.core.steps import WriteDate
from datorum.sites import SignIn
from datorum.sites.snapshot import read_whole
from datorum.stations import read, sites
from datorum.stations.descriptions import description_of
from datorum.stations.imports import open_import
from datorum.stations.map import save_mapping
from datorum.store.cluster import LocalCluster
from datorum.store.database import session
from demo.data import CustomersDemo, World, generate_world
from demo.shop.seed import seeded
from tests.conftest import fresh
from tests.processes import KEY, Shop, free_ports, unguessable
from tests.stations.conftest import Journey


@pytest.fixture(scope="module")
def shop(cluster: LocalCluster) -> Iterator[Shop]:
    with Shop(fresh(cluster, "shop"), free_ports(1)[0]) as running:
        yield running


@pytest.fixture
def old(database: None, shop: Shop) -> int:
    """The shop as a site of Datorum's; its key is given as a token, for it asks for but one."""
    return asyncio.run(sites.connect_site("ada", unguessable(), shop.description_url, SignIn(token=KEY))).id


@pytest.fixture(scope="module")
def world(demo: CustomersDemo) -> World:
    return generate_world(demo)


def test_all_that_the_old_shop_has_is_read(old: int, shop: Shop, world: World) -> None:
    shop.have(seeded(world))
    with session() as store:
        site = sites.get_site(store, old)
    description = description_of(site)

    async def counted(name: str) -> int:
        async with sites.opened(site, description, name) as reached:
            return len(await read_whole(reached.read_all))

    async def all_of_them() -> dict[str, int]:
        return {
            name: await counted(name) for name in ("customers", "members", "categories", "items", "vouchers", "texts")
        }

    assert asyncio.run(all_of_them()) == {
        "customers": 2412, "members": 917, "categories": 74, "items": 538, "vouchers": 318, "texts": 420,
    }  # fmt: skip


HAS = {"customers": 2412, "members": 917, "categories": 74, "items": 538, "vouchers": 318, "texts": 420}
FIELDS = {
    "email": "email", "name": "fullname", "company": "firm", "phone": "tel",
    "plan": "tier", "joined_at": "since", "birth_date": "born", "language": "lang", "newsletter": "wants_news",
    "total_spent": "spent", "address.street": "addr_street", "address.street2": "addr_street2",
    "address.postcode": "addr_zip", "address.city": "addr_city", "address.country": "addr_country",
}  # fmt: skip
"""What the old shop calls the fields of the new site."""
LOCAL = WriteDate(pattern="YYYY-MM-DD HH:MM:SS")


def test_the_customers_go_into_the_old_shop_by_the_same_mapping_but_for_field_names(
    old: int, shop: Shop, begin: Callable[[bytes], Journey], demo: CustomersDemo, tmp_path: Path
) -> None:
    shop.have({})
    # The mapping for the new site, completed by a person; here it is a few steps of the suggested one.
    path = tmp_path / "some.csv"
    path.write_bytes(b"".join(demo.csv.splitlines(keepends=True)[:400]))
    new = begin(path.read_bytes())
    with session() as store:
        item = read.start_import(store, "ada", old, "customers", path.name, path)
        suggested = open_import(store, new.import_id).mapping
        now = open_import(store, item.id)
        fields: dict[str, FieldMapping] = {}
        for there, here in FIELDS.items():
            fed = suggested.fields[there]
            # The shop takes its local time without an offset.
            steps = tuple(step for step in fed.steps if step.kind != "write_date")
            fields[here] = fed.model_copy(update={"steps": steps})
        fields["since"] = fields["since"].model_copy(update={"steps": (*fields["since"].steps, LOCAL)})
        mapping = now.mapping.model_copy(update={"fields": fields, "match_key": "email"})
        save_mapping(store, "ada", item.id, now.mapping_version, mapping)
    journey = Journey(item.id)
    planned = journey.rehearse().rehearse
    assert planned is not None
    assert planned.counts["create"] > 250
    done = journey.run().run
    assert done is not None
    assert (done.state, done.failed) == ("done", 0)
    kept = shop.bodies("shop_customer")
    assert len(kept) == planned.counts["create"]
    assert all(body["since"][10] == " " for body in kept if "since" in body)
    verified = journey.verify().verify
    assert verified is not None
    assert (verified.compared, verified.mismatches) == (len(kept), 0)
    # A second time there is nothing to do.
    again = journey.rehearse().rehearse
    assert again is not None
    assert again.counts.get("create", 0) == again.counts.get("update", 0) == 0
