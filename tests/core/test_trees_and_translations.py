"""The same tree and the same translations out of every layout."""

from __future__ import annotations

import datetime as dt
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from datorum.core.formula import Scope
from datorum.core.records import bodies
from datorum.core.shape.grains import grains_of
from datorum.core.shape.kinds import (
    Tree,
)
from datorum.core.shape.whole import shaped
from datorum.core.suggest.shapes import suggest_records
from tests.core.layouts import (
    ARTICLES,
    ORIGINAL,
    PARENT,
    TERMS,
    TREE,
    by_group,
    by_levels,
    in_columns,
    in_one,
    in_two,
    path_of,
    slug,
    texts,
    written,
)


@pytest.mark.parametrize(
    "row",
    [
        lambda name: {"Path": " > ".join(path_of(name)), "Slug": slug(name)},
        lambda name: {"Category": "/".join(path_of(name)), "Slug": slug(name)},
        by_levels,
        lambda name: {
            "ID": str(40 + list(TREE).index(name)), "Name": name, "Slug": slug(name),
            "Parent ID": str(40 + list(TREE).index(above)) if (above := TREE[name]) else "",
        },
        lambda name: {"Name": name, "Slug": slug(name), "Parent": slug(TREE[name] or "")},
    ],
    ids=["paths", "paths with strokes", "a column a level", "the id of the one above", "the slug of the one above"],
)  # fmt: skip
def test_the_same_tree_comes_out_of_every_layout_those_above_first(
    tmp_path: Path, row: Callable[[str], dict[str, str]]
) -> None:
    names = list(TREE)
    random.Random(3).shuffle(names)
    frame = written(tmp_path / "terms.csv", [row(name) for name in names])
    told = suggest_records(TERMS, frame, links=PARENT)
    keys = {(key.path, key.by): key.field for key in PARENT}
    made = list(
        bodies(told.mapping, TERMS, shaped(told.mapping.shape, frame), Scope(now=dt.datetime.now(dt.UTC)), keys)
    )
    expected = [
        {"slug": slug(name), "name": name, **({"parent_id": {"slug": slug(above)}} if above else {})}
        for name, above in TREE.items()
    ]
    assert sorted(made, key=str) == sorted(expected, key=str)
    places = {one["slug"]: at for at, one in enumerate(made)}
    assert all(places[one["parent_id"]["slug"]] < places[one["slug"]] for one in made if "parent_id" in one)


def test_a_node_that_only_stands_above_others_is_made_once(tmp_path: Path) -> None:
    rows = [{"Path": f"Vegetables > {name}", "Slug": slug(name)} for name in ("Beans", "Roots", "Leaves")]
    rows += [{"Path": f"Vegetables > Beans > {name}", "Slug": slug(name)} for name in ("Runner", "Broad", "Dwarf")]
    frame = written(tmp_path / "terms.csv", rows)
    shape = Tree(way="path", columns=("Path",), separator=">")
    records = shape.apply(grains_of(frame)).records
    assert records["Name"].to_list()[:2] == ["Vegetables", "Beans"]
    assert records["Slug"].to_list()[:2] == [None, "beans"]
    assert records[shape.above].to_list() == [None, "Vegetables", "Vegetables", "Vegetables", "Beans", "Beans", "Beans"]


@pytest.mark.parametrize("layout", [in_columns, by_group, in_one, in_two])
def test_the_same_translations_come_out_of_four_layouts(layout: Any, tmp_path: Path) -> None:
    made = texts()
    rows, more = layout(made)
    frame = written(tmp_path / "articles.csv", rows)
    sheets = {"translations.csv": written(tmp_path / "translations.csv", more)} if more else {}
    told = suggest_records(ARTICLES, frame, sheets, ORIGINAL)
    keys = {("translation_of", "slug"): ORIGINAL[0].field}
    grains = shaped(told.mapping.shape, frame, sheets)
    found = list(bodies(told.mapping, ARTICLES, grains, Scope(now=dt.datetime.now(dt.UTC)), keys))
    assert sorted(found, key=lambda one: str(one["slug"])) == sorted(made, key=lambda one: str(one["slug"]))
