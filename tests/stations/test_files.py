"""Files that values name: given in an archive, fetched from their addresses, handed in once, and proven."""

from __future__ import annotations

import asyncio
import io
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from threading import Thread

import httpx
import psycopg
import pytest

from datorum.core.errors import UnreadableFile
from datorum.core.model import Policy
from datorum.stations import fetching, named_files
from datorum.stations.feeds_of_files import feed_with_files
from datorum.stations.named_files import files_view
from datorum.stations.proof import proof_of
from datorum.stations.run import failed_rows, get_run
from datorum.store.database import session
from tests.processes import StandIn
from tests.stations.conftest import Journey
from tests.stations.test_undo import planned_undo, take_back
from tests.stations.whole import Begin, found, mapping_of

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


@contextmanager
def served(files: dict[str, bytes]) -> Iterator[str]:
    """The address of a server that has some files by their paths."""

    class Old(BaseHTTPRequestHandler):
        def do_GET(self) -> None:
            data = files.get(self.path)
            self.send_response(404 if data is None else 200)
            self.send_header("Content-Length", str(len(data or b"")))
            self.end_headers()
            self.wfile.write(data or b"")

        def log_message(self, format: str, *args: object) -> None:
            """It says nothing."""

    with ThreadingHTTPServer(("127.0.0.1", 0), Old) as server:
        Thread(target=server.serve_forever, daemon=True).start()
        yield f"http://127.0.0.1:{server.server_port}"
        server.shutdown()


def proven(journey: Journey) -> tuple[int, int, int, int]:
    with session() as store:
        files = proof_of(store, get_run(store, journey.start())).files
    assert files is not None
    return files.by_bytes, files.by_size, files.untold, files.differ


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
    assert httpx.get(f"{site.url}/media/{tall}/file", timeout=180).content == PICTURE
    assert httpx.get(f"{site.url}/media/{pod}/file", timeout=180).content == OTHER
    assert journey.verify().verify.mismatches == 0  # type: ignore[union-attr]
    assert proven(journey) == (2, 0, 0, 0)
    # A site that makes something else of what it is given is found out.
    with psycopg.connect(site.database_url) as connection:
        connection.execute("UPDATE kept_file SET data = %s WHERE record = %s", [OTHER, tall])
    assert journey.verify().verify.mismatches == 1  # type: ignore[union-attr]
    assert proven(journey) == (2, 0, 0, 1)


def test_files_are_fetched_from_their_addresses_and_what_cannot_be_had_is_told(
    start: Begin, site: StandIn, tmp_path: Path
) -> None:
    with served(
        {"/a/tall.jpg": PICTURE, "/b/tall.jpg": OTHER, "/page.jpg": b"<html>gone</html>", "/none.jpg": b""}
    ) as at:
        rows = [{**one, "Pictures": f"{at}/{name}"} for one, name in
                zip(PRODUCTS, ("a/tall.jpg", "page.jpg", "gone.jpg", "none.jpg"), strict=True)]  # fmt: skip
        journey = start("products", rows)
        assert mapping_of(journey).links["media_ids"].of_files
        with session() as store:
            assert files_view(store, journey.import_id).to_fetch == 4
            fetching.start_fetching(store, "ada", journey.import_id)
        asyncio.run(fetching.fetch(journey.import_id))
        with session() as store:
            view = files_view(store, journey.import_id)
        assert (view.named, view.found, view.to_fetch) == (4, 1, 3)
        assert {one.value.rpartition("/")[2]: one.why for one in view.missing} == {
            "page.jpg": "is a web page, such as one that says that the file is not there",
            "gone.jpg": "cannot be fetched: its address answers 404",
            "none.jpg": "is empty",
        }
        plan = journey.rehearse().rehearse
        assert plan is not None
        assert (plan.counts["create"], plan.counts["held"], plan.made) == (1, 3, {"media": 1})
        # Files of one name that are not the same file cannot be told apart by it.
        rows[1]["Pictures"] = f"{at}/b/tall.jpg"
        again = start("products", rows[:2])
        with session() as store:
            fetching.start_fetching(store, "ada", again.import_id)
        asyncio.run(fetching.fetch(again.import_id))
        assert again.rehearse().rehearse.counts["held"] == 2  # type: ignore[union-attr]
        assert {(path, rule) for _, path, rule in found(again)} == {("media_ids", "link made")}


def test_a_sheet_of_media_hands_in_the_file_of_each(start: Begin, site: StandIn, tmp_path: Path) -> None:
    journey = start("media", [{"Filename": "tall.jpg", "Alt text": "Tall"},
                              {"Filename": "pod.jpg", "Alt text": "Pod"}])  # fmt: skip
    give(journey, tmp_path, packed(shop__tall_jpg=PICTURE))
    plan = journey.rehearse().rehearse
    assert plan is not None
    assert (plan.counts["create"], plan.counts["held"], plan.to_send) == (1, 1, 2)
    assert journey.run().run.done == 2  # type: ignore[union-attr]
    [medium] = site.bodies("medium")
    assert (medium["alt"], medium["size"]) == ("Tall", len(PICTURE))
    assert journey.verify().verify.mismatches == 0  # type: ignore[union-attr]
    run_id = journey.start()
    assert planned_undo(run_id).counts["delete"] == 1
    take_back(run_id)
    assert site.bodies("medium") == []


def test_what_breaks_while_a_file_is_handed_in_is_handed_in_again(start: Begin, site: StandIn, tmp_path: Path) -> None:
    names = [f"bean-{number}.jpg" for number in range(12)]
    journey = start("media", [{"File": name, "Alt text": name} for name in names])
    give(journey, tmp_path, packed(**{name: PICTURE + name.encode() for name in names}))
    journey.rehearse()
    site.behave(drop_after_every=5, unavailable_every=7)
    assert journey.run().run.failed == 0  # type: ignore[union-attr]
    site.behave()
    media = site.bodies("medium")
    assert sorted(one["filename"] for one in media) == sorted(names)
    for one in media:
        content = httpx.get(f"{site.url}/media/{one['id']}/file", timeout=180).content
        assert content == PICTURE + one["filename"].encode()


def test_a_file_that_the_site_refuses_is_told_in_its_words(start: Begin, site: StandIn, tmp_path: Path) -> None:
    journey = start("media", [{"File": "talk.mp3", "Alt text": "A talk"}])
    give(journey, tmp_path, packed(**{"talk.mp3": b"ID3" + b"sound"}))
    journey.rehearse()
    assert journey.run().run.failed == 1  # type: ignore[union-attr]
    with session() as store:
        [refused] = failed_rows(store, get_run(store, journey.start()))
    assert "JPEG" in refused.item.message
    assert refused.item.of_item == 2


def test_an_archive_that_would_fill_the_disk_is_refused(start: Begin, site: StandIn, tmp_path: Path) -> None:
    journey = start("media", [{"File": "big.jpg", "Alt text": "Big"}])
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("big.jpg", b"\0" * 30_000_000)
    with pytest.raises(UnreadableFile, match="unpacks to more than"):
        give(journey, tmp_path, out.getvalue())
    with session() as store:
        assert files_view(store, journey.import_id).held == 0


_MANY = 60
"""Files of which some are still to come when it is known that no more are wanted, on a slow machine too."""


def test_fetching_that_is_stopped_keeps_what_came_and_goes_on(start: Begin, site: StandIn) -> None:
    with served({f"/{at}.jpg": PICTURE + bytes([at]) for at in range(_MANY)}) as address:
        rows = [{"SKU": f"QB-3{at:02d}", "Slug": f"b-{at}", "Price": "30.00", "Pictures": f"{address}/{at}.jpg"}
                for at in range(_MANY)]  # fmt: skip
        journey = start("products", rows)
        with session() as store:
            fetching.start_fetching(store, "ada", journey.import_id)
            fetching.stop_fetching(store, "ada", journey.import_id)
        asyncio.run(fetching.fetch(journey.import_id))
        with session() as store:
            view = files_view(store, journey.import_id)
            assert view.fetching is not None
            assert view.fetching.state == "stopped"
            assert 0 < view.found < _MANY
            fetching.start_fetching(store, "ada", journey.import_id)
        asyncio.run(fetching.fetch(journey.import_id))
        with session() as store:
            view = files_view(store, journey.import_id)
        assert (view.found, view.to_fetch, view.fetching) == (_MANY, 0, None)
