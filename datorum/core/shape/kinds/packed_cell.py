"""A list in one cell: JSON, labelled parts, or codes with counts and prices."""

from __future__ import annotations

import json
import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Annotated, Any, ClassVar, Literal, Self

import polars as pl

from datorum.core.errors import NotAllowed
from datorum.core.forms import Menu, asked
from datorum.core.shape.grains import RECORD, Grains, listed, own_columns
from datorum.core.shape.shape import Found, Shape, values_of
from datorum.core.shape.signs import parting
from datorum.core.table import ROW

Way = Literal["json", "labelled", "counted", "divided"]
_OFFERED = {"json": "JSON", "labelled": "labelled parts", "counted": "items with counts", "divided": "divided parts"}
Items = list[dict[str, str]]

_LOOKED_AT, _NEARLY_ALL, _MOST_PARTS = 200, 0.9, 12
_LONGEST_PIECE, _LONGEST_ITEM = 60, 500
"""What is longer is no part of an item, and no item with a count, but a text with signs in it."""
_SEPARATORS = ("\n", ";", "|", " / ", ",")
_INNER = (":", "*", "~", "=", "/", "|", "×")
_AMOUNT = r"[^\s\d]{0,3}\s?\d[\d .,'’\u00a0\u202f]*(?:\s?[^\W\d]{1,3}|\s?[€£$])?"
_COUNTED = (
    re.compile(rf"(?P<item>.+?)\s*[x×*]\s*(?P<quantity>\d+(?:[.,]\d+)?)(?:\s*(?:@|à|a|at|=)\s*(?P<price>{_AMOUNT}))?"),
    re.compile(rf"(?P<quantity>\d+(?:[.,]\d+)?)\s*[x×*]\s*(?P<item>.+?)(?:\s*(?:@|à|at|=)\s*(?P<price>{_AMOUNT}))?"),
    re.compile(rf"(?P<item>[^\s=:]+)\s*[=:–]\s*(?P<name>[^()]+?)\s*\(\s*(?P<price>{_AMOUNT})\s*\)"),
    re.compile(rf"(?P<item>[^()]+?)\s*\(\s*(?P<quantity>\d+)\s*\)(?:\s*(?:@|à|at|=)?\s*(?P<price>{_AMOUNT}))?"),
)
_LOOSELY = re.compile(rf"(?P<item>\S+)\s+[x×*]\s*(?P<quantity>[^@]+?)(?:\s*@\s*(?P<price>{_AMOUNT}))?")
_CODE = re.compile(r"(?=\S*\d)\S+")
_ITEM = "item"
_LABEL = re.compile(r"\s*(?P<label>[^\W\d][^:=,;|]{0,30}?)\s*[:=]\s*(?P<value>.*)\s*", re.DOTALL)
_TEXT = "#text"
"""What an element of XML has as its text, beside its attributes."""


class PackedCell(Shape, frozen=True):
    """The cells of ``column`` hold the list at ``into``: items ``between`` which a separator stands, read in one of
    four ways. ``parts``: what the parts of an item are called, where the cells do not say; ``names``: the columns that
    the cells were seen to make."""

    menu: ClassVar[Menu] = Menu("A list in one cell")
    kind: Literal["packed cell"] = "packed cell"
    column: Annotated[str, asked("the cells of", editor="column")]
    way: Annotated[Way, asked("read as", options=_OFFERED)]
    between: Annotated[str, asked("items apart by", usual=_SEPARATORS)] = ""
    inner: Annotated[str, asked("their parts apart by", usual=_INNER)] = ""
    parts: Annotated[tuple[str, ...], asked("which are called", hint="in their order, where the cells do not say")] = ()
    names: tuple[str, ...] = ()
    into: Annotated[str, asked("which go into", editor="list")]

    def sentence(self) -> str:
        how = {"json": "JSON", "labelled": "labelled parts", "counted": "counts", "divided": "parts"}[self.way]
        return f"“{self.column}” holds {self.into} as {how}"

    def seen_columns(self) -> set[str]:
        return {self.column}

    def made_columns(self) -> set[str]:
        return {*self.parts, *self.names}

    def knowing(self, columns: Sequence[str]) -> Self:
        return self.model_copy(update={"names": tuple(columns)})

    def apply(self, grains: Grains) -> Grains:
        frame, records, rows, items = grains.records, [], [], []
        beside = [name for name in own_columns(frame) if name.startswith(f"{self.column}.")]
        single = frame.select(beside).rename({name: name.removeprefix(f"{self.column}.") for name in beside})
        for at, cell in enumerate(values_of(frame, self.column)):
            found = self.items(cell) if cell is not None else []
            if self.way == "json" and beside and not cell_is_list(cell):
                # One item alone came as an object, not as a list of one.
                alone = {name: text for name, text in single.row(at, named=True).items() if text}
                if alone or cell:
                    found = [alone | ({_TEXT: cell} if cell else {})]
            for item in found:
                records.append(frame[RECORD][at])
                rows.append(frame[ROW][at])
                items.append(item)
        names = list(dict.fromkeys(name for item in items for name in item))
        listed = {_called(name, self.column): [item.get(name) for item in items] for name in names}
        schema = dict.fromkeys(listed, pl.String)
        lines = pl.DataFrame({RECORD: pl.Series(records, dtype=pl.Int64), ROW: pl.Series(rows, dtype=frame[ROW].dtype)})
        lines = lines.hstack(pl.DataFrame(listed, schema=schema)) if listed else lines
        return grains.with_list(self.into, lines, (self.column, *beside))

    def undo(self, grains: Grains) -> Grains:
        objects = listed(grains.lists[self.into])
        cells = [self.packed(objects.get(number, [])) for number in grains.records[RECORD]]
        column = pl.Series(self.column, cells, dtype=pl.String)
        return grains.without_list(self.into, grains.records.with_columns(column))

    def packed(self, items: Sequence[Mapping[str, str | None]]) -> str | None:
        """A cell that holds some items; none where there are none. Raises NotAllowed where what stands between them is
        in one of them."""
        if not items:
            return None
        filled = [{name: text for name, text in one.items() if text} for one in items]
        if self.way == "json":
            return json.dumps(filled, ensure_ascii=False)
        texts = [_PACKED[self.way](one, self) for one in filled]
        if self.between and any(self.between in text for text in texts):
            raise NotAllowed(
                f"What stands between the items of “{self.column}”, “{self.between}”, is in one of them.",
                remedy="Choose another separator, or JSON.",
            )
        return self.between.join(texts)

    def items(self, cell: str) -> Items:
        """What a cell holds; an item that cannot be read is taken apart as far as it goes, for its values to be judged,
        and else has its text alone."""
        read = _WAYS[self.way](cell, self)
        if read is not None:
            return read
        found: Items = []
        for part in _parts(cell, self.between) if self.between else [cell]:
            counted = self.way == "counted" and len(part) <= _LONGEST_ITEM
            loose = _LOOSELY.fullmatch(part) if counted else None
            alone = _WAYS[self.way](part, self) or [_filled(loose, self) if loose else {_first(self): part}]
            found += alone
        return found


def _first(shape: PackedCell) -> str:
    """What an item that cannot be taken apart is called."""
    return shape.parts[0] if shape.parts else shape.column


def _filled(found: re.Match[str], shape: PackedCell) -> dict[str, str]:
    return {
        _first(shape) if name == _ITEM and shape.parts else name: text.strip()
        for name, text in found.groupdict().items()
        if text
    }


def cell_is_list(cell: str | None) -> bool:
    """Whether a cell has a list in JSON."""
    return cell is not None and cell.startswith("[")


def _called(name: str, column: str) -> str:
    return f"{column} value" if name == _TEXT else name


def packed_cells(frame: pl.DataFrame, into: str) -> Iterator[Found]:
    """The columns of a sheet that hold lists in their cells, the surest first."""
    found = [one for name in own_columns(frame) if (one := _packed(frame, name, into)) is not None]
    yield from sorted(found, key=lambda one: -one.weight)


def _packed(frame: pl.DataFrame, column: str, into: str) -> Found | None:
    cells = values_of(frame, column).drop_nulls().unique(maintain_order=True).head(_LOOKED_AT).to_list()
    if any(name.startswith(f"{column}.") for name in own_columns(frame)):
        # A single one came as an object, whose properties are columns, and its text is left here.
        cells = [cell for cell in cells if cell_is_list(cell)]
    if not cells:
        return None
    for shape, weight in _ways(column, cells, into):
        read = [_WAYS[shape.way](cell, shape) for cell in cells]
        whole = [items for items in read if items]
        several = sum(len(items) > 1 for items in whole)
        names = dict.fromkeys(_called(name, column) for items in whole for item in items for name in item)
        if len(whole) >= _NEARLY_ALL * len(cells) and several and 1 < len(names) <= _MOST_PARTS:
            shape = _with_names(shape, [item for items in whole for item in items])
            named = ", ".join(dict.fromkeys(shape.parts[0] if name == _ITEM else name for name in names))
            why = f"{several:,} of {len(cells):,} cells that were looked at hold several: {named}"
            return Found(shape=shape, weight=weight, reasons=(why,))
    return None


def _with_names(shape: PackedCell, items: Items) -> PackedCell:
    """What is counted, called by what it looks like."""
    if shape.way != "counted":
        return shape
    codes = sum(_CODE.fullmatch(item.get(_ITEM, "")) is not None for item in items)
    return shape.model_copy(update={"parts": ("SKU" if codes > len(items) / 2 else "Name",)})


def _ways(column: str, cells: list[str], into: str) -> Iterator[tuple[PackedCell, float]]:
    yield PackedCell(column=column, way="json", into=into), 0.97
    inners = parting(cells, _INNER)
    for between in _SEPARATORS:
        if any(between in cell for cell in cells):
            yield PackedCell(column=column, way="labelled", between=between, into=into), 0.95
            yield PackedCell(column=column, way="counted", between=between, into=into), 0.93
            for inner in inners:
                if inner != between and all(inner in cell for cell in cells):
                    count = Counter(len(part.split(inner)) for cell in cells for part in _parts(cell, between))
                    [(width, _)] = count.most_common(1)
                    names = tuple(f"{column} {number + 1}" for number in range(width))
                    yield (
                        PackedCell(column=column, way="divided", between=between, inner=inner, parts=names, into=into),
                        0.8,
                    )


def _parts(cell: str, between: str) -> list[str]:
    return [part.strip() for part in cell.split(between) if part.strip()]


def _as_json(cell: str, shape: PackedCell) -> Items | None:
    if not cell_is_list(cell):
        return None
    try:
        read = json.loads(cell, parse_float=str, parse_int=str)
    except (ValueError, RecursionError):
        return None
    if not isinstance(read, list) or not all(isinstance(item, dict) for item in read):
        return None
    return [{name: _as_text(value) for name, value in item.items()} for item in read]


def _as_text(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "true" if value else "false"
    return value if isinstance(value, str) else json.dumps(value, ensure_ascii=False)


def _labelled(cell: str, shape: PackedCell) -> Items | None:
    items = []
    for part in _parts(cell, shape.between):
        pairs = [_LABEL.fullmatch(piece) for piece in re.split(r"[,;|\t](?=\s*[^\W\d][^:=,;|]{0,30}[:=])", part)]
        if not pairs or any(pair is None for pair in pairs):
            return None
        items.append({pair["label"].strip(): pair["value"].strip() for pair in pairs if pair is not None})
    return items


def _counted(cell: str, shape: PackedCell) -> Items | None:
    parts = _parts(cell, shape.between)
    if any(len(part) > _LONGEST_ITEM for part in parts):
        return None
    for pattern in _COUNTED:
        found = [pattern.fullmatch(part) for part in parts]
        if all(found):
            return [_filled(one, shape) for one in found if one]
    return None


def _divided(cell: str, shape: PackedCell) -> Items | None:
    items = []
    for part in _parts(cell, shape.between):
        pieces = [piece.strip() for piece in part.split(shape.inner)]
        if len(pieces) != len(shape.parts) or max(map(len, pieces)) > _LONGEST_PIECE or "<" in part:
            return None
        items.append(dict(zip(shape.parts, pieces, strict=True)))
    return items


def _counted_text(one: Mapping[str, str], shape: PackedCell) -> str:
    price = f" @ {one['price']}" if "price" in one else ""
    return f"{one.get(_first(shape), '')} x{one.get('quantity', '')}{price}"


_PACKED: dict[str, Callable[[Mapping[str, str], PackedCell], str]] = {
    "labelled": lambda one, _: ", ".join(f"{name}: {text}" for name, text in one.items()),
    "counted": _counted_text,
    "divided": lambda one, shape: shape.inner.join(one.get(name, "") for name in shape.parts),
}
_WAYS: dict[Way, Callable[[str, PackedCell], Items | None]] = {
    "json": _as_json, "labelled": _labelled, "counted": _counted, "divided": _divided,
}  # fmt: skip
