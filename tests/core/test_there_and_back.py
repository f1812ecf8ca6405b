"""What shapes read they write: the rows of records make the same records again, or are refused."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import polars as pl
import pytest

from datorum.core.errors import NotAllowed
from datorum.core.shape.grains import RECORD
from datorum.core.shape.kinds import (
    ColumnSets,
    FurtherRows,
    Originals,
    PackedCell,
    RowsTogether,
    SecondSheet,
    Spread,
    Tree,
)
from datorum.core.shape.whole import shaped, undone
from datorum.core.suggest.shapes import Suggested, suggest_records
from datorum.core.table import ROW
from tests.core.layouts import (
    ARTICLES,
    ENGLISH,
    KEYS,
    ORDERS,
    ORIGINAL,
    PARENT,
    SHEETS,
    TERMS,
    TREE,
    by_group,
    by_levels,
    head,
    in_columns,
    in_one,
    in_two,
    line,
    orders,
    path_of,
    row_a_line,
    slug,
    texts,
    written,
)


def there_and_back(told: Suggested, frame: pl.DataFrame, sheets: dict[str, pl.DataFrame] | None = None) -> None:
    """The rows that records are written as make the same records."""
    shapes = told.mapping.shape
    grains = shaped(shapes, frame, sheets)
    rows = undone(shapes, grains)
    assert not rows.lists
    again = shaped(shapes, rows.records.drop(RECORD), rows.sheets)

    def cells(one: pl.DataFrame) -> list[dict[str, str]]:
        texts = one.drop(RECORD, ROW, "\0flag", strict=False)
        return [{name: text for name, text in row.items() if text} for row in texts.iter_rows(named=True)]

    def ordered(records: list[dict[str, str]]) -> list[dict[str, str]]:
        return sorted(records, key=lambda one: sorted(one.items()))

    assert ordered(cells(again.records)) == ordered(cells(grains.records))
    for path, lines in grains.lists.items():
        assert cells(again.lists[path]) == cells(lines)


@pytest.mark.parametrize("layout", list(SHEETS))
def test_orders_are_written_as_the_rows_that_they_came_from(layout: str, tmp_path: Path) -> None:
    frame = written(tmp_path / "orders.csv", SHEETS[layout](orders(), ENGLISH))
    there_and_back(suggest_records(ORDERS, frame, links=KEYS), frame)


def test_orders_are_written_as_two_sheets(tmp_path: Path) -> None:
    made = orders()
    heads = written(tmp_path / "orders.csv", [head(one, ENGLISH) for one in made])
    lines = [{"Order no.": str(one["number"])} | line(item, ENGLISH) for one in made for item in one["lines"]]
    sheets = {"lines.csv": written(tmp_path / "lines.csv", lines)}
    there_and_back(suggest_records(ORDERS, heads, sheets, KEYS), heads, sheets)


@pytest.mark.parametrize("layout", [in_columns, by_group, in_one, in_two])
def test_translations_are_written_as_the_rows_that_they_came_from(layout: Any, tmp_path: Path) -> None:
    rows, more = layout(texts())
    frame = written(tmp_path / "articles.csv", rows)
    sheets = {"translations.csv": written(tmp_path / "translations.csv", more)} if more else {}
    there_and_back(suggest_records(ARTICLES, frame, sheets, ORIGINAL), frame, sheets)


@pytest.mark.parametrize(
    "row",
    [
        lambda name: {"Path": " > ".join(path_of(name)), "Slug": slug(name)},
        by_levels,
        lambda name: {"Name": name, "Slug": slug(name), "Parent": slug(TREE[name] or "")},
    ],
)
def test_trees_are_written_as_the_rows_that_they_came_from(row: Any, tmp_path: Path) -> None:
    frame = written(tmp_path / "terms.csv", [row(name) for name in TREE])
    there_and_back(suggest_records(TERMS, frame, links=PARENT), frame)


def test_what_does_not_fit_into_a_shape_is_refused(tmp_path: Path) -> None:
    made = orders()
    frame = written(tmp_path / "orders.csv", row_a_line(made, ENGLISH))
    grains = shaped(suggest_records(ORDERS, frame, links=KEYS).mapping.shape, frame)
    with pytest.raises(NotAllowed, match="columns for 1"):
        ColumnSets(sets=({"SKU": "SKU 1"},), into="lines").undo(grains)
    with pytest.raises(NotAllowed, match="stands between"):
        PackedCell(column="Lines", way="labelled", between=".", into="lines").undo(grains)


@pytest.mark.parametrize(
    "shape",
    [
        RowsTogether(key=("a",), lines=("b",), into="lines"),
        RowsTogether(key=("a", "c"), below=True, lines=("Name",), into="lines"),
        ColumnSets(sets=({"SKU": "a"}, {"SKU": "b"}), into="lines"),
        PackedCell(column="a", way="json", into="lines"),
        SecondSheet(sheet="other", ours=("a",), theirs=("b",), into="lines"),
        Tree(way="path", columns=("a",), separator=">"),
        Tree(way="levels", columns=("a", "b"), given="c"),
        Tree(way="parent", columns=("a",), key="b"),
        Spread(sets={"en": {"Title": "a"}, "nb": {"Title": "b"}}, given="Title"),
        Originals(group="a", language="b", original="en", given="c"),
        FurtherRows(sheet="other"),
        FurtherRows(sheet="another"),
    ],
)
def test_a_shape_whose_columns_the_sheet_has_lost_makes_what_it_can(shape: Any) -> None:
    frame = pl.DataFrame({ROW: [2, 3], "Name": ["x", "y"]})
    grains = shaped((shape,), frame, {"other": pl.DataFrame({ROW: [2], "Name": ["z"]})})
    assert grains.records.height in (0, 2, 3)
    left = shape.left_over(frame, {"other": frame})
    assert left is None or left.height in (0, 2)
    assert shaped((shape,), frame.head(0), {}).records.height == 0
