"""Files that values name: given in an archive, fetched from their addresses, handed in once, and proven."""

from __future__ import annotations

import io
import zipfile
from pathlib import Path

import httpx

from datorum.core.model import Policy
from datorum.stations import named_files
from datorum.stations.feeds_of_files import feed_with_files
from datorum.stations.named_files import files_view
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.whole import Begin, mapping_of

PICTURE = b"\xff\xd8\xff\xe0" + b"a bean in a picture"
OTHER = b"\xff\xd8\xff\xe0" + b"another bean"
PRODUCTS = [
    {"SKU": "QB-201", "Name": "Tall bean", "Slug": "tall-bean", "Price": "30.00", "Pictures": "tall.jpg, Pod.jpg"},
    {"SKU": "QB-202", "Name": "Low bean", "Slug": "low-bean", "Price": "31.00", "Pictures": "tall.jpg"},
    {"SKU": "QB-203", "Name": "Old bean", "Slug": "old-bean", "Price": "32.00", "Pictures": "copy-of-tall.jpg"},
    {"SKU": "QB-204", "Name": "New bean", "Slug": "new-bean", "Price": "33.00", "Pictures": "lost.jpg"},
]


def packed(**files: bytes) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in files.items():
            archive.writestr(name.replace("__", "/").replace("_jpg", ".jpg"), data)
    return out.getvalue()


def give(journey: Journey, tmp_path: Path, data: bytes, name: str = "pictures.zip") -> None:
    path = tmp_path / name
    path.write_bytes(data)
    with session() as store:
        named_files.add_files(store, "ada", journey.import_id, name, path)
        feed_with_files(store, journey.import_id)


def test_pictures_of_an_archive_are_handed_in_once_and_linked(start: Begin, site: StandIn, tmp_path: Path) -> None:
    journey = start("products", PRODUCTS)
    give(journey, tmp_path, packed(shop__tall_jpg=PICTURE, shop__pod_jpg=OTHER, **{"shop__copy-of-tall_jpg": PICTURE}))
    rule = mapping_of(journey).links["media_ids"]
    assert (rule.by, rule.of_files, rule.missing) == (("filename",), True, "make")
    journey.set_policy(Policy())
    plan = journey.rehearse().rehearse
    assert plan is not None
    assert (plan.counts["create"], plan.counts["held"], plan.made) == (3, 1, {"media": 2})
    with session() as store:
        [missing] = files_view(store, journey.import_id).missing
    assert (missing.value, missing.why) == ("lost.jpg", "is not among the files that are here")
    assert journey.run().run.failed == 0  # type: ignore[union-attr]
    media = {one["filename"]: one for one in site.bodies("medium")}
    assert media.keys() == {"tall.jpg", "Pod.jpg"}
    products = {one["sku"]: one.get("media_ids") for one in site.bodies("product") if one["sku"].startswith("QB")}
    tall, pod = media["tall.jpg"]["id"], media["Pod.jpg"]["id"]
    assert products == {"QB-201": [tall, pod], "QB-202": [tall], "QB-203": [tall]}
    assert httpx.get(f"{site.url}/media/{tall}/file").content == PICTURE
    assert httpx.get(f"{site.url}/media/{pod}/file").content == OTHER
