"""A tree in rows: a path in a cell, a column a level, or each with the key of the one above."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from itertools import pairwise, product
from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field

from datorum.core.forms import Menu, asked
from datorum.core.said import said
from datorum.core.shape.grains import RECORD, Grains, odd, own_columns
from datorum.core.shape.shape import Found, Shape, values_of
from datorum.core.shape.signs import parting
from datorum.core.table import FLAG, ROW

TWO_PARENTS = said("two parents", "stands below two", "Leave one of the rows out, or correct what it stands below.")
CIRCLE = said("circle", "stands above itself", "Correct what one of them stands below.", acceptable=False)
NODE_TWICE = said("node twice", "stands twice in the tree", "Leave one of the rows out, or correct it.")
NONE_ABOVE = said("none above", "has none above", "Add the row of the one above, or have the tree go by names.")

_SEPARATORS = (">", "»", "/", "\\", "|", "::", ":")
_FEWEST, _NEARLY_ALL, _KNOWN = 3, 0.95, 0.5
_NUMBERED = re.compile(r"(.*?)\s*\(?(\d{1,2})\)?\W*$")
_APART = ("|", ";", ",", "\n")
_WAYS = {"path": "the path in a cell", "levels": "a column a level", "parent": "the one above"}
NAME = "Name"
Path = tuple[str, ...]


class Tree(Shape, frozen=True):
    """Each node is a record, once, those above first; one that only stands above others is made with its name.

    ``columns``: the one with paths, of which several in a cell stand ``apart`` by a character, those of the levels
    from the top, or the one that has of the node above what stands in its ``key``. What a node is called goes into
    ``name``; what the one above has in the column ``given``, or is called, goes into ``above``.
    """

    menu: ClassVar[Menu] = Menu("A tree")
    kind: Literal["tree"] = "tree"
    way: Annotated[Literal["path", "levels", "parent"], asked("by", options=_WAYS)]
    columns: Annotated[tuple[str, ...], Field(min_length=1), asked("in", editor="columns")]
    separator: Annotated[str, asked("parted by", hint="of a path", usual=_SEPARATORS)] = ""
    apart: Annotated[str, asked("paths apart by", hint="where a cell has several", usual=_APART)] = ""
    key: Annotated[str, asked("which stands in", hint="where a row names the one above", editor="column")] = ""
    given: str = ""
    name: str = NAME
    needs_all: ClassVar[bool] = True

    @property
    def above(self) -> str:
        """The column that says which is the one above."""
        return f"{self.given or self.name} of the one above"

    def sentence(self) -> str:
        what = {"path": "the path in", "levels": "the levels in", "parent": "the one above in"}[self.way]
        return f"Each row is a node of a tree, by {what} {', '.join(self.columns)}"

    def seen_columns(self) -> set[str]:
        return {*self.columns, self.key, self.given} - {""}

    def made_columns(self) -> set[str]:
        return {self.above} if self.way == "parent" else {self.name, self.above}

    def apply(self, grains: Grains) -> Grains:
        if self.way == "parent":
            return self._in_order(grains)
        frame = grains.records
        if self.apart and self.columns[0] in frame.columns:
            # A row with several is of something else: it says no more of them than that they are there.
            frame = _each_path(frame.select(RECORD, ROW, FLAG, self.columns[0]), self.columns[0], self.apart)
        paths = _paths(frame, self.columns, self.separator)
        places: dict[Path, int] = {}
        again: list[int] = []
        for at, path in enumerate(paths):
            if path and path in places:
                again.append(at)
            elif path:
                places[path] = at
        nodes = dict.fromkeys(path[:depth] for path in paths if path for depth in range(1, len(path) + 1))
        ordered = sorted(nodes, key=len)
        rows = pl.Series([places.get(path) for path in ordered], dtype=pl.UInt32)
        first = {path[:depth]: at for at, path in reversed(list(enumerate(paths))) for depth in range(1, len(path) + 1)}
        taken = frame.drop(ROW, *self.columns, strict=False)[rows.fill_null(0)].with_columns(
            pl.when(pl.lit(rows).is_not_null()).then(pl.all())
        )
        # Nodes that no row stands for get the numbers behind the last row.
        last = int(max(frame[ROW].max() or 0, frame[RECORD].max() or 0)) if frame.height else 0  # type: ignore[arg-type]
        beyond = rows.is_null().cum_sum().cast(pl.Int64) + last
        records = taken.with_columns(
            pl.col(RECORD).fill_null(beyond),
            frame[ROW].gather([first[path] for path in ordered]).alias(ROW),
            pl.Series(self.name, [path[-1] for path in ordered], dtype=pl.String),
        )
        keys = values_of(records, self.given or self.name).to_list()
        known = dict(zip(ordered, keys, strict=True))
        above = pl.Series(self.above, [known.get(path[:-1]) for path in ordered], dtype=pl.String)
        lost = records.filter(above.is_null() & pl.Series([len(path) > 1 for path in ordered], dtype=pl.Boolean))
        named = [f"stands below one of which the sheet has no {self.given}"] * lost.height
        unknown = odd(lost, NONE_ABOVE, named, column=self.columns[0], values=lost[self.name])
        twice = frame[again].with_columns(frame[RECORD].gather([places[paths[at]] for at in again]).alias(RECORD))
        says = [f"is the same node as row {row:,}, and was passed over" for row in twice[RECORD]]
        # Where a row has several paths, the same is named again and again.
        amiss = odd(twice.head(0 if self.apart else twice.height), NODE_TWICE, says[: 0 if self.apart else None],
                    blocks=False)  # fmt: skip
        return grains._replace(records=records.with_columns(above), odd=(*grains.odd, amiss, unknown))

    def in_order(self, records: pl.DataFrame) -> list[tuple[int, int]]:
        """The numbers of records, each below the one above it, and how deep each stands; what stands above itself comes
        last."""
        given = values_of(records, self.given or (self.key if self.way == "parent" else self.name)).to_list()
        above = values_of(records, self.above).to_list()
        below: dict[str | None, list[int]] = {}
        known = set(given)
        for at, one in enumerate(above):
            below.setdefault(one if one in known else None, []).append(at)
        numbers = records[RECORD].to_list()
        found: list[tuple[int, int]] = []
        seen: set[int] = set()
        waiting = [(at, 0) for at in reversed(below.get(None, []))]
        while waiting:
            at, depth = waiting.pop()
            if at not in seen:
                seen.add(at)
                found.append((numbers[at], depth))
                waiting += [(one, depth + 1) for one in reversed(below.get(given[at], []) if given[at] else [])]
        return found + [(number, 0) for at, number in enumerate(numbers) if at not in seen]

    def undo(self, grains: Grains) -> Grains:
        frame = grains.records
        given = values_of(frame, self.given or (self.key if self.way == "parent" else self.name)).to_list()
        above = values_of(frame, self.above).to_list()
        own = values_of(frame, self.key or self.name).to_list()
        if self.way == "parent":
            known = dict(zip(given, own, strict=True))
            column = pl.Series(self.columns[0], [known.get(one, one) if one else None for one in above],
                               dtype=pl.String)  # fmt: skip
            return grains._replace(records=frame.drop(self.above).with_columns(column))
        names, over = dict(zip(given, own, strict=True)), dict(zip(given, above, strict=True))
        paths = [self._path_of(one, names, over) for one in given]
        rest = frame.drop(self.name, self.above)
        if self.way == "path":
            between = f" {self.separator} "
            return grains._replace(records=rest.with_columns(
                pl.Series(self.columns[0], [between.join(path) for path in paths], dtype=pl.String)))  # fmt: skip
        levels = [pl.Series(name, [path[at] if at < len(path) else None for path in paths], dtype=pl.String)
                  for at, name in enumerate(self.columns)]  # fmt: skip
        return grains._replace(records=rest.with_columns(levels))

    def _path_of(
        self, key: str | None, names: dict[str | None, str | None], over: dict[str | None, str | None]
    ) -> Path:
        found: list[str] = []
        seen: set[str | None] = set()
        while key is not None and key in names and key not in seen:
            seen.add(key)
            found.insert(0, names[key] or "")
            key = over[key]
        return tuple(found)

    def _in_order(self, grains: Grains) -> Grains:
        """The rows with those above first, and the name or key by which the one above is known."""
        frame = grains.records
        own, above = values_of(frame, self.key), values_of(frame, self.columns[0])
        depth, circling = _depths(own.to_list(), above.to_list())
        order = sorted(range(frame.height), key=lambda row: depth.get(own[row] or "", 0))
        given = dict(zip(own, values_of(frame, self.given or self.key), strict=True))
        # What no row has is left as it stands: it may be on the site.
        told = pl.Series(self.above, [given.get(one, one) if one else None for one in above], dtype=pl.String)
        parents = pl.DataFrame({"own": own, "above": above})
        several = parents.select((pl.col("above").n_unique().over("own") > 1) & pl.col("own").is_not_null()).to_series()
        amiss = odd(frame.filter(several), TWO_PARENTS, "stands below another one in another row",
                    column=self.columns[0], values=above.filter(several))  # fmt: skip
        round_about = own.is_in(list(circling))
        circle = odd(frame.filter(round_about), CIRCLE, "stands above itself, by way of those below it",
                     column=self.columns[0], values=above.filter(round_about))  # fmt: skip
        records = frame.with_columns(told).drop(self.columns[0], strict=False)[order]
        return grains._replace(records=records, odd=(*grains.odd, amiss, circle))


def _each_path(frame: pl.DataFrame, column: str, apart: str) -> pl.DataFrame:
    """A row for each path of a cell; the record of a cell's further ones is a number of its own."""
    parts = frame.with_columns(pl.col(column).str.split(apart)).explode(column)
    further = pl.int_range(pl.len()).over(RECORD) > 0
    last = int(frame[RECORD].max() or 0) if frame.height else 0  # type: ignore[arg-type]
    return parts.with_columns(pl.when(further).then(last + further.cum_sum()).otherwise(RECORD).alias(RECORD))


def _depths(own: list[str | None], above: list[str | None]) -> tuple[dict[str, int], set[str]]:
    """How deep each node stands, by its key, and those that stand above themselves."""
    depth: dict[str, int] = {}
    circling: set[str] = set()
    parents = {key: parent for key, parent in zip(own, above, strict=True) if key is not None}
    for key in parents:
        seen: dict[str, int] = {}
        at: str | None = key
        while at is not None and at not in depth and at not in seen:
            seen[at] = len(seen)
            at = parents.get(at)
        if at is not None and at in seen:
            circling.update(list(seen)[seen[at] :])
        base = depth.get(at, -1) if at is not None else -1
        for step, one in enumerate(reversed(seen), 1):
            depth[one] = base + step
    return depth, circling


def _paths(frame: pl.DataFrame, columns: tuple[str, ...], separator: str) -> list[Path]:
    cells = [values_of(frame, name).to_list() for name in columns]
    if separator:
        return [tuple(part.strip() for part in (cell or "").split(separator) if part.strip()) for cell in cells[0]]
    return [tuple(cell for cell in row if cell) for row in zip(*cells, strict=True)]


def trees(frame: pl.DataFrame, says_above: Callable[[str], bool]) -> Iterator[Found]:
    """The ways in which the rows of a sheet are a tree, the surest first; ``says_above``: whether a header says that a
    column has the one above."""
    columns = own_columns(frame)
    values = {name: values_of(frame, name) for name in columns}
    for name in columns:
        yield from _by_path(name, values)
    yield from _by_levels(columns, values)
    yield from _by_parent([name for name in columns if says_above(name)], values)


def _by_path(name: str, values: dict[str, pl.Series]) -> Iterator[Found]:
    cells = values[name].drop_nulls()
    if len(cells) < _FEWEST:
        return
    yield from _by_paths(name, cells)
    if cells.n_unique() < _NEARLY_ALL * len(cells):
        return
    for separator in parting(cells.to_list(), _SEPARATORS):
        parted = [tuple(part.strip() for part in cell.split(separator)) for cell in cells]
        deep = [path for path in parted if len(path) > 1]
        # The one above stands in a row of its own, more often than not.
        known = sum(path[:-1] in {*parted} for path in deep)
        if len(deep) >= _FEWEST - 1 and all(map(all, parted)) and known >= _KNOWN * len(deep):
            why = f"{len(deep):,} of {len(cells):,} values of “{name}” are paths, parted by “{separator.strip()}”"
            yield Found(shape=Tree(way="path", columns=(name,), separator=separator), weight=0.9, reasons=(why,))
            return


def _by_paths(name: str, cells: pl.Series) -> Iterator[Found]:
    """Paths of which several stand in a cell."""
    distinct = cells.unique(maintain_order=True).to_list()
    for apart, separator in product(_APART, parting(distinct, _SEPARATORS)):
        if apart == separator:
            continue
        several = [[path for path in cell.split(apart) if path.strip()] for cell in distinct]
        if sum(len(paths) > 1 for paths in several) < _SOME * len(distinct):
            continue
        paths = [path for cell in several for path in cell]
        parted = [tuple(part.strip() for part in path.split(separator)) for path in paths]
        # Each of them is a path, and many begin alike.
        if all(len(path) > 1 and all(path) for path in parted) and len({path[0] for path in parted}) <= len(parted) / 2:
            why = (
                f"{len(distinct):,} different values of “{name}” hold {len({*parted}):,} paths,"
                f" apart by “{apart.strip() or 'line breaks'}” and parted by “{separator}”"
            )
            shape = Tree(way="path", columns=(name,), separator=separator, apart=apart)
            yield Found(shape=shape, weight=0.95, reasons=(why,))
            return


_SOME = 0.1


def _by_levels(columns: list[str], values: dict[str, pl.Series]) -> Iterator[Found]:
    families: dict[str, list[tuple[int, str]]] = {}
    for name in columns:
        if found := _NUMBERED.fullmatch(name):
            families.setdefault(found[1].strip().lower(), []).append((int(found[2]), name))
    for numbered in families.values():
        names = tuple(name for _, name in sorted(numbered))
        if len(names) < 2:
            continue
        filled = [values[name].is_not_null() for name in names]
        # Nothing stands below where nothing stands above.
        holes = sum(int((~above & below).sum()) for above, below in pairwise(filled))
        repeats = values[names[0]].n_unique() < _NEARLY_ALL * len(values[names[0]])
        first, few = int(filled[0].sum()), (1 - _NEARLY_ALL) * len(filled[0])
        if holes <= few and repeats and len(filled[0]) - first <= few and not filled[-1].all():
            why = f"{len(names)} columns hold the levels of {len(values[names[0]]):,} nodes"
            yield Found(shape=Tree(way="levels", columns=names), weight=0.9, reasons=(why,))


def _by_parent(columns: list[str], values: dict[str, pl.Series]) -> Iterator[Found]:
    for name in columns:
        cells = values[name].drop_nulls()
        if len(cells) < _FEWEST - 1 or len(cells) == len(values[name]):
            continue
        for key, own in values.items():
            apart = own.null_count() == 0 and own.n_unique() == len(own)
            if key != name and apart and cells.is_in(own.implode()).sum() >= _NEARLY_ALL * len(cells):
                known = int(cells.is_in(own.implode()).sum())
                why = f"{known:,} of {len(cells):,} values of “{name}” stand in “{key}”"
                yield Found(shape=Tree(way="parent", columns=(name,), key=key), weight=0.95, reasons=(why,))
                return
