"""The same records from every layout that a sheet can have, by suggestion alone."""

from __future__ import annotations

import csv
import datetime as dt
import io
import json
import random
from collections.abc import Callable
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import polars as pl
import pytest

from datorum.core.errors import NotAllowed
from datorum.core.formula import Scope
from datorum.core.model import Field, FieldType, LinkRule, Mapping, RecordType
from datorum.core.records import bodies
from datorum.core.shape.grains import RECORD, grains_of
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
from datorum.core.shape.whole import first_rows, shaped, undone, whole_records
from datorum.core.suggest.shapes import LinkKey, Suggested, suggest_records
from datorum.core.table import ROW, open_file

ORDERS = RecordType(
    name="orders",
    title="Orders",
    fields=(
        Field(path="number", title="Number", type=FieldType.INTEGER, unique=True),
        Field(path="customer_id", title="Customer ID", type=FieldType.INTEGER),
        Field(path="placed_at", title="Placed at", type=FieldType.DATE),
        Field(path="total", title="Total", type=FieldType.NUMBER),
        Field(path="lines.product_sku", title="Product SKU", in_list="lines"),
        Field(path="lines.quantity", title="Quantity", type=FieldType.INTEGER, in_list="lines"),
        Field(path="lines.price", title="Price", type=FieldType.NUMBER, in_list="lines"),
        Field(path="note", title="Note"),
    ),
)
KEYS = (LinkKey("customer_id", "email", Field(path="email", title="customer e-mail", format="email", unique=True)),)
ENGLISH = ("Order no.", "Customer e-mail", "Ordered", "Sum", "Remark", "SKU", "Qty", "Price each")
GERMAN = (
    "Bestellnummer",
    "E-Mail des Kunden",
    "Bestelldatum",
    "Gesamtbetrag",
    "Bemerkung",
    "Artikelnummer",
    "Menge",
    "Einzelpreis",
)
"""Four of an order, its remark, three of a line."""


def orders(count: int = 60) -> list[dict[str, Any]]:
    """Orders as they are to land."""
    chance = random.Random(5)
    made = []
    for number in range(count):
        lines: list[dict[str, Any]] = [
            {"product_sku": f"Q{chance.choice('ABC')}-{chance.randint(100, 999)}", "quantity": chance.randint(1, 9),
             "price": chance.randint(100, 99_999) / 100}
            for _ in range(chance.choice((1, 1, 2, 3, 5)))
        ]  # fmt: skip
        made.append({
            "number": 4100 + number,
            "customer_id": {"email": f"{chance.choice('abcdefgh')}.corfield{chance.randint(1, 30)}@quillmoss.example"},
            "placed_at": f"20{chance.randint(14, 25)}-{chance.randint(1, 12):02}-{chance.randint(1, 28):02}",
            "total": round(sum(line["quantity"] * line["price"] for line in lines), 2),
            "lines": lines,
            **({"note": "Please ring first"} if number % 7 == 0 else {}),
        })  # fmt: skip
    return made


def head(one: dict[str, Any], words: tuple[str, ...]) -> dict[str, str]:
    cells = (one["number"], one["customer_id"]["email"], one["placed_at"], f"{one['total']:.2f}", one.get("note", ""))
    return dict(zip(words[:5], map(str, cells), strict=True))


def line(one: dict[str, Any], words: tuple[str, ...]) -> dict[str, str]:
    return dict(zip(words[5:], (one["product_sku"], str(one["quantity"]), f"{one['price']:.2f}"), strict=True))


Rows = list[dict[str, str]]


def row_a_line(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
    return [head(one, words) | line(item, words) for one in made for item in one["lines"]]


def blank_below(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
    blank = dict.fromkeys(words[:5], "")
    return [(head(one, words) if at == 0 else blank) | line(item, words)
            for one in made for at, item in enumerate(one["lines"])]  # fmt: skip


def mixed_up(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
    rows = row_a_line(made, words)
    places = {str(one["number"]): at for at, one in enumerate(made)}
    # Far apart, yet each order's lines in their order, and the orders by their first.
    return sorted(rows[: len(rows) // 2], key=lambda row: places[row[words[0]]]) + rows[len(rows) // 2 :]


def sets(label: str) -> Callable[[list[dict[str, Any]], tuple[str, ...]], Rows]:
    def laid_out(made: list[dict[str, Any]], words: tuple[str, ...]) -> Rows:
        blank = {label.format(n=n, part=part): "" for n in range(1, 7) for part in words[5:]}
        return [
            head(one, words) | blank | {
                label.format(n=n, part=part): text
                for n, item in enumerate(one["lines"], 1) for part, text in line(item, words).items()
            }
            for one in made
        ]  # fmt: skip

    return laid_out


def packed(
    pack: Callable[[list[dict[str, Any]], tuple[str, ...]], str],
) -> Callable[[list[dict[str, Any]], tuple[str, ...]], Rows]:
    return lambda made, words: [head(one, words) | {"Lines": pack(one["lines"], words)} for one in made]


def as_counts(lines: list[dict[str, Any]], _: tuple[str, ...]) -> str:
    return "; ".join(f"{one['product_sku']} x{one['quantity']} @ {one['price']:.2f}" for one in lines)


def as_labels(lines: list[dict[str, Any]], words: tuple[str, ...]) -> str:
    return "\n".join(", ".join(f"{name}: {text}" for name, text in line(one, words).items()) for one in lines)


def as_json(lines: list[dict[str, Any]], words: tuple[str, ...]) -> str:
    return json.dumps([line(one, words) for one in lines])


SHEETS = {
    "a row a line": row_a_line,
    "blanks below": blank_below,
    "far apart": mixed_up,
    "sets with the number within": sets("Item {n} {part}"),
    "sets with the number behind": sets("{part} {n}"),
    "counts": packed(as_counts),
    "labels": packed(as_labels),
    "JSON in a cell": packed(as_json),
}


def frame_of(path: Path) -> pl.DataFrame:
    with open_file(path, path.name) as found:
        return found.read(found.guess()).collect().frame


def written(path: Path, rows: Rows) -> pl.DataFrame:
    text = io.StringIO()
    writer = csv.DictWriter(text, list(rows[0]), delimiter=";")
    writer.writeheader()
    writer.writerows(rows)
    path.write_text(text.getvalue())
    return frame_of(path)


def landed(told: Suggested, frame: pl.DataFrame, sheets: dict[str, pl.DataFrame] | None = None) -> list[dict[str, Any]]:
    keys = {(key.path, key.by): key.field for key in KEYS}
    scope = Scope(now=dt.datetime(2026, 11, 28, tzinfo=dt.UTC))
    return list(bodies(told.mapping, ORDERS, shaped(told.mapping.shape, frame, sheets), scope, keys))


@pytest.mark.parametrize("words", [ENGLISH, GERMAN], ids=["English", "German"])
@pytest.mark.parametrize("layout", SHEETS)
def test_the_same_orders_come_out_of_every_layout(tmp_path: Path, layout: str, words: tuple[str, ...]) -> None:
    made = orders()
    frame = written(tmp_path / "orders.csv", SHEETS[layout](made, words))
    told = suggest_records(ORDERS, frame, links=KEYS)
    assert len(told.reasons) == len(told.mapping.shape) == 1
    assert landed(told, frame) == made


def test_the_same_orders_come_out_of_two_sheets_and_what_belongs_nowhere_is_known(tmp_path: Path) -> None:
    made = orders()
    heads = written(tmp_path / "orders.csv", [head(one, ENGLISH) for one in made])
    lines = [{"Order no.": str(one["number"])} | line(item, ENGLISH) for one in made for item in one["lines"]]
    lines.append({"Order no.": "9999", "SKU": "QA-100", "Qty": "1", "Price each": "2.00"})
    sheets = {"lines.csv": written(tmp_path / "lines.csv", lines)}
    told = suggest_records(ORDERS, heads, sheets, KEYS)
    assert landed(told, heads, sheets) == made
    [shape] = told.mapping.shape
    assert isinstance(shape, SecondSheet)
    left = shape.left_over(heads, sheets)
    assert left is not None
    assert left["value"].to_list() == ["9999"]


def test_the_same_orders_come_out_of_json_and_xml(tmp_path: Path) -> None:
    made = orders()
    path = tmp_path / "orders.json"
    nested = [
        {"order_no": one["number"], "customer": {"email": one["customer_id"]["email"]}, "ordered": one["placed_at"],
         "sum": one["total"], "remark": one.get("note"), "lines": [line(item, ENGLISH) for item in one["lines"]]}
        for one in made
    ]  # fmt: skip
    path.write_text(json.dumps({"orders": nested}))
    frame = frame_of(path)
    assert landed(suggest_records(ORDERS, frame, links=KEYS), frame) == made
    root = ElementTree.Element("orders")
    for one in made:
        order = ElementTree.SubElement(root, "order", {"no": str(one["number"])})
        for name, text in (("customer", one["customer_id"]["email"]), ("ordered", one["placed_at"]),
                           ("sum", str(one["total"])), ("remark", one.get("note", ""))):  # fmt: skip
            ElementTree.SubElement(order, name).text = text
        for item in one["lines"]:
            attributes = {"sku": item["product_sku"], "qty": str(item["quantity"])}
            ElementTree.SubElement(order, "line", attributes).text = str(item["price"])
    path = tmp_path / "orders.xml"
    path.write_bytes(ElementTree.tostring(root, "utf-8", xml_declaration=True))
    frame = frame_of(path)
    assert landed(suggest_records(ORDERS, frame, links=KEYS), frame) == made


TERMS = RecordType(
    name="terms",
    title="Terms",
    fields=(
        Field(path="slug", title="Slug", unique=True),
        Field(path="name", title="Name"),
        Field(path="parent_id", title="Parent ID", type=FieldType.INTEGER),
    ),
)
PARENT = (LinkKey("parent_id", "slug", Field(path="slug", title="term slug", unique=True)),)
TREE = {
    "Vegetables": None, "Beans": "Vegetables", "Runner beans": "Beans", "Broad beans": "Beans", "Roots": "Vegetables",
    "Carrots": "Roots", "Herbs": None, "Dill": "Herbs",
}  # fmt: skip


def path_of(name: str) -> list[str]:
    above = TREE[name]
    return [*(path_of(above) if above else []), name]


def slug(name: str) -> str:
    return name.lower().replace(" ", "-")


def by_levels(name: str) -> dict[str, str]:
    return {f"Level {at}": part for at, part in enumerate([*path_of(name), "", ""][:3], 1)} | {"Slug": slug(name)}


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


def test_why_a_shape_was_taken_is_told_with_its_counts(tmp_path: Path) -> None:
    frame = written(tmp_path / "orders.csv", row_a_line(orders(), ENGLISH))
    told = suggest_records(ORDERS, frame, links=KEYS)
    [shape] = told.mapping.shape
    assert isinstance(shape, RowsTogether)
    assert shape.key == ("Order no.",)
    [[why]] = told.reasons
    assert why.startswith(f"{frame.height} rows make 60 records: “Order no.” repeats, ")
    assert told.mapping.links == {"customer_id": LinkRule(by=("email",))}
    assert told.mapping.match_key == "number"


def test_a_sheet_of_flat_records_has_no_shape(tmp_path: Path) -> None:
    made = [{**one, "lines": one["lines"][:1]} for one in orders()]
    frame = written(tmp_path / "orders.csv", [head(one, ENGLISH) for one in made])
    told = suggest_records(ORDERS, frame, links=KEYS)
    assert told.mapping.shape == ()
    assert all("lines" not in body for body in landed(told, frame))


def test_a_bad_item_takes_none_of_its_cell_with_it(tmp_path: Path) -> None:
    rows = packed(as_counts)(orders(), ENGLISH)
    rows[3]["Lines"] = "QA-100 x2 @ 4.50; QB-200 xtwo @ 9.00; sold out"
    frame = written(tmp_path / "orders.csv", rows)
    found = landed(suggest_records(ORDERS, frame, links=KEYS), frame)[3]["lines"]
    assert found[:2] == [
        {"product_sku": "QA-100", "quantity": 2, "price": 4.5},
        {"product_sku": "QB-200", "price": 9.0},
    ]
    assert found[2] == {"product_sku": "sold out"}


@pytest.mark.parametrize(
    "shape",
    [
        RowsTogether(key=("Order no.",), lines=("SKU",), into="lines"),
        ColumnSets(sets=({"SKU": "Item 1 SKU"},), into="lines"),
        PackedCell(column="Lines", way="json", into="lines"),
        SecondSheet(sheet="lines.csv", ours=("Order no.",), theirs=("Order",), into="lines"),
    ],
)
def test_a_mapping_keeps_its_shape_and_says_it_in_words(shape: Any) -> None:
    mapping = Mapping(shape=(shape,), links={"customer_id": LinkRule(by=("email",))})
    assert Mapping.model_validate_json(mapping.model_dump_json()) == mapping
    assert "lines" in shape.sentence()


@pytest.mark.parametrize("below", [False, True])
def test_rows_of_a_record_come_together_however_far_apart_they_stand(below: bool) -> None:
    made = orders(40)
    rows = blank_below(made, ENGLISH) if below else mixed_up(made, ENGLISH)
    whole = pl.DataFrame({ROW: range(2, len(rows) + 2), **{name: [row[name] for row in rows] for name in ENGLISH}})
    shape = RowsTogether(key=("Order no.",), below=below, lines=("SKU", "Qty", "Price each"), into="lines")
    for size in (7, 19, 1_000):
        frames = [whole.slice(at, size) for at in range(0, whole.height, size)]
        parts = list(whole_records((shape,), lambda frames=frames: frames))  # type: ignore[misc]
        records = [shape.numbered(part).frame[RECORD].unique().to_list() for part in parts]
        # Each record is in one part, and has all of its rows there.
        assert sorted(number for one in records for number in one) == sorted({*pl.concat(
            [shape.numbered(whole).frame])[RECORD]})  # fmt: skip
        assert sorted(row for part in parts for row in part[ROW]) == whole[ROW].to_list()
        assert len(first_rows(shape, lambda frames=frames: frames)) == whole.height  # type: ignore[misc]
    firsts = first_rows(shape, lambda: [whole])
    assert len({*firsts.tolist()}) == 40


ARTICLES = RecordType(
    name="articles",
    title="Articles",
    fields=(
        Field(path="slug", title="Slug", unique=True),
        Field(path="language", title="Language", enum=("en", "nb", "de")),
        Field(path="title", title="Title"),
        Field(path="author", title="Author"),
        Field(path="translation_of", title="Translation of", type=FieldType.INTEGER),
    ),
)
ORIGINAL = (LinkKey("translation_of", "slug", Field(path="slug", title="article slug", unique=True)),)


def texts() -> list[dict[str, Any]]:
    """Articles in three languages as they are to land, originals first."""
    named = {"en": "Sowing {}", "nb": "Såing av {}", "de": "Aussaat von {}"}
    kinds = ("beans", "dill", "moss", "rye", "oats", "flax")
    made = []
    for code, title in named.items():
        for kind in kinds:
            one: dict[str, Any] = {
                "slug": f"{kind}-{code}", "language": code, "title": title.format(kind), "author": f"{kind}.corfield"
            }  # fmt: skip
            made.append(one if code == "en" else one | {"translation_of": {"slug": f"{kind}-en"}})
    return made


def text_row(one: dict[str, Any]) -> dict[str, str]:
    return {"Language": one["language"], "Web name": one["slug"], "Headline": one["title"], "Author": one["author"]}


def in_columns(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    rows = []
    for first in made[:6]:
        row = {"Author": first["author"]}
        for one in made:
            if one["author"] == first["author"]:
                row |= {f"{name} ({one['language']})": one[key] for name, key in
                        (("Web name", "slug"), ("Headline", "title"))}  # fmt: skip
        rows.append(row)
    return rows, []


def by_group(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    rows = [{"Group": f"note-{one['author'][:3]}"} | text_row(one) for one in made]
    return sorted(rows, key=lambda row: row["Group"]), []


def in_one(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    return [{"Translation of": one.get("translation_of", {}).get("slug", "")} | text_row(one) for one in made], []


def in_two(made: list[dict[str, Any]]) -> tuple[Rows, Rows]:
    rows, _ = in_one(made)
    return [text_row(one) for one in made[:6]], rows[6:]


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
