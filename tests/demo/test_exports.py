"""The files that people export from the old shop: every kind of record, each fault where the manifest has it."""

from __future__ import annotations

import csv
import io
import json
import zipfile
from collections import Counter
from typing import Any

import pytest

from datorum.core.table import open_file
from demo.data import CustomersDemo, Export, World, generate_exports, generate_world

ORDER_FAULTS = {
    "unknown customer": 24, "unknown SKU": 31, "sum is not that of its lines": 18, "impossible date": 12,
    "unknown state": 9, "quantity is no number": 7,
}  # fmt: skip


@pytest.fixture(scope="module")
def world(demo: CustomersDemo) -> World:
    return generate_world(demo)


@pytest.fixture(scope="module")
def exports(world: World) -> dict[str, Export]:
    return {one.name: one for one in generate_exports(world)}


def lines(one: Export, encoding: str = "utf-8-sig", delimiter: str = ";") -> list[list[str]]:
    """The cells of a file by its lines, counted from one; those within a cell are blank."""
    text = one.data.decode(encoding)
    found: list[list[str]] = []
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=delimiter)
    for cells in reader:
        found += [[]] * (reader.line_num - len(found) - 1)
        found.insert(reader.line_num - 1 - sum(cell.count("\n") for cell in cells), cells)
    return [[], *found]


def test_every_kind_is_exported_in_the_layouts_that_such_files_come_in(exports: dict[str, Export]) -> None:
    layouts = Counter(one.kind for one in exports.values())
    assert layouts == {
        "users": 1, "course-entries": 1, "terms": 3, "media": 1, "products": 4, "offers": 1, "orders": 11,
        "articles": 4, "comments": 1, "files": 1,
    }  # fmt: skip
    assert len({one.data for one in exports.values()}) == len(exports)
    for one in exports.values():
        told = json.loads(json.dumps(one.manifest))
        assert all(fault["count"] == len(set(fault["at"])) > 0 for fault in told["faults"].values()), one.name


def test_the_same_world_gives_the_same_bytes(world: World, exports: dict[str, Export]) -> None:
    assert {one.name: one.data for one in generate_exports(world)} == {
        name: one.data for name, one in exports.items()
    }  # fmt: skip


@pytest.mark.parametrize(
    "name",
    ["orders-blank-below.csv", "orders-columns.csv", "orders-packed.csv", "orders-labelled.csv",
     "orders-packed-json.csv", "orders.json", "orders.xml"],
)  # fmt: skip
def test_orders_have_the_same_faults_in_every_layout(exports: dict[str, Export], name: str) -> None:
    one = exports[name]
    assert one.records == 6214
    assert {fault: len(places) for fault, places in one.faults.items()} == ORDER_FAULTS


def test_a_fault_stands_in_the_line_that_the_manifest_names(exports: dict[str, Export], world: World) -> None:
    """Where lines of text stand within cells as well."""
    skus = {row["sku"] for product in world.products for row in (product, *product["variants"])}
    orders = lines(exports["orders-rows.csv"])
    header = next(cells for cells in orders if cells)
    sku = header.index("SKU")
    wrong = [at for at, cells in enumerate(orders) if cells and cells is not header and cells[sku] not in skus]
    assert wrong == exports["orders-rows.csv"].faults["unknown SKU"]
    entries = lines(exports["course-entries.csv"])
    assert any("\n" in cell for cells in entries for cell in cells)
    state = entries[1].index("State")
    odd = [at for at, cells in enumerate(entries) if cells and cells[state] == "slept through it"]
    assert odd == exports["course-entries.csv"].faults["unknown state"]
    users = lines(exports["users.csv"], "cp1252")
    level = users[3].index("Level")
    gardeners = [at for at, cells in enumerate(users) if len(cells) > level and cells[level] == "gardener"]
    assert gardeners == exports["users.csv"].faults["unknown role"]


def test_two_files_of_orders_share_their_faults_between_them(exports: dict[str, Export]) -> None:
    heads, of_lines = exports["orders-heads.csv"].faults, exports["orders-lines.csv"].faults
    both: dict[str, Any] = {**heads, **of_lines}
    assert {name: len(places) for name, places in both.items()} == {**ORDER_FAULTS, "line without its order": 1}
    assert not heads.keys() & of_lines.keys()


def test_each_file_is_read_with_as_many_rows_as_it_has(exports: dict[str, Export], tmp_path: Any) -> None:
    for one in exports.values():
        if one.name.endswith((".xml", ".json")) or one.kind in ("orders", "files"):
            continue
        path = tmp_path / one.name
        path.write_bytes(one.data)
        with open_file(path, one.name) as opened:
            reading = opened.read(opened.guess())
            assert sum(frame.height for frame in reading) == one.rows, one.name


def test_the_archive_has_every_file_but_those_that_the_manifest_names(exports: dict[str, Export], world: World) -> None:
    one = exports["files.zip"]
    named = [medium["filename"] for medium in (*world.pictures, *world.files)]
    with zipfile.ZipFile(io.BytesIO(one.data)) as archive:
        held = {name.rpartition("/")[2]: archive.read(name) for name in archive.namelist()}
    told = {fault: {named[at - 1] for at in places} for fault, places in one.faults.items()}
    assert set(named) - held.keys() == told["not in the archive"]
    assert {name for name, data in held.items() if not data} == told["empty"]
    assert {name for name, data in held.items() if b"<html" in data} == told["a page that says there is none"]
    alike = told["the same as the first of its kind, under another name"]
    for ending in (".jpg", ".pdf"):
        [first, *others] = [name for name in named if name.endswith(ending) and name in held]
        assert {name for name in others if held[name] == held[first]} == {one for one in alike if one.endswith(ending)}
    begins = {data[:4] for data in held.values() if data}
    assert begins == {b"\xff\xd8\xff\xdb", b"%PDF", b"<!DO"}
