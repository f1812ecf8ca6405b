"""Sets of columns as a list, numbered or named: “Item 1 SKU, Item 1 Qty, Item 2 SKU …”, “Price 30 ml, Price 1 l”."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Annotated, ClassVar, Literal

import polars as pl
from pydantic import Field, model_validator

from datorum.core.errors import NotAllowed
from datorum.core.forms import Menu, asked
from datorum.core.shape.grains import RECORD, Grains, own_columns, without_blank
from datorum.core.shape.shape import Found, Shape
from datorum.core.table import ROW

VARIANT = "Variant"
_NUMBER = re.compile(r"\d+")
_FEWEST_SETS, _FEWEST_PARTS = 2, 2


class ColumnSets(Shape, frozen=True):
    """``sets``: of each set, in order, its columns by what they hold, the same names in each. They go into the list at
    ``into``; a set of nothing but blanks is none. ``names``: what each set is called, which goes into the column
    ``called``; none where they are numbered."""

    menu: ClassVar[Menu] = Menu("Sets of columns")
    kind: Literal["column sets"] = "column sets"
    sets: Annotated[tuple[dict[str, str], ...], Field(min_length=1), asked("each set has", editor="sets")]
    names: tuple[str, ...] = ()
    called: str = VARIANT
    into: Annotated[str, asked("which go into", editor="list")]

    @model_validator(mode="after")
    def _all_named(self) -> ColumnSets:
        if self.names and len(self.names) != len(self.sets):
            raise ValueError("each set of columns needs a name, or none has one")
        return self

    def sentence(self) -> str:
        return f"{len(self.sets)} sets of {', '.join(self.sets[0]) if self.sets else 'nothing'} go into {self.into}"

    def seen_columns(self) -> set[str]:
        return {column for one in self.sets for column in one.values()}

    def made_columns(self) -> set[str]:
        return {part for one in self.sets for part in one} | ({self.called} if self.names else set())

    def apply(self, grains: Grains) -> Grains:
        frames = []
        for number, one in enumerate(self.sets):
            there = {part: column for part, column in one.items() if column in grains.records.columns}
            frame = grains.records.select(
                RECORD,
                ROW,
                pl.lit(number).alias("\0set"),
                *([pl.lit(self.names[number]).alias(self.called)] if self.names else []),
                *(pl.col(column).alias(part) for part, column in there.items()),
            )
            frames.append(without_blank(frame, list(there)))
        used = tuple(column for one in self.sets for column in one.values())
        lines = pl.concat(frames, how="diagonal").sort(RECORD, "\0set").drop("\0set")
        return grains.with_list(self.into, lines, used)

    def undo(self, grains: Grains) -> Grains:
        lines = grains.lists[self.into]
        place = pl.int_range(pl.len()).over(RECORD)
        if self.names:
            place = pl.col(self.called).replace_strict(
                list(self.names), range(len(self.names)), default=len(self.names)
            )
        lines = lines.with_columns(place.alias("\0set"))
        most = int(lines["\0set"].max() or 0) + 1 if lines.height else 0  # type: ignore[arg-type]
        if most > len(self.sets):
            raise NotAllowed(
                f"A record has {most:,} {self.into}, and there are columns for {len(self.sets):,}.",
                remedy="Give it more sets of columns, or lay the records out otherwise.",
            )
        records = grains.records
        for number, one in enumerate(self.sets):
            there = [pl.col(part).alias(column) for part, column in one.items() if part in lines.columns]
            part = lines.filter(pl.col("\0set") == number).select(RECORD, *there)
            records = records.join(part, on=RECORD, how="left", maintain_order="left")
        return grains.without_list(self.into, records)


def column_sets(frame: pl.DataFrame, into: str) -> Iterator[Found]:
    """The numbered sets of a sheet's columns: names that are alike but for one number."""
    by_name: dict[str, dict[int, str]] = {}
    for column in own_columns(frame):
        for found in _NUMBER.finditer(column):
            name = f"{column[: found.start()]}\0{column[found.end() :]}"
            by_name.setdefault(name, {})[int(found[0])] = column
    families: dict[str, dict[str, dict[int, str]]] = {}
    for name, numbered in by_name.items():
        if len(numbered) >= _FEWEST_SETS:
            families.setdefault(_around(name), {})[name] = numbered
    for parts in sorted(families.values(), key=len, reverse=True):
        numbers = sorted({number for numbered in parts.values() for number in numbered})
        if len(parts) < _FEWEST_PARTS or len(numbers) < _FEWEST_SETS:
            continue
        labels = _labels(list(parts))
        sets = tuple({labels[name]: numbered[number] for name, numbered in parts.items() if number in numbered}
                     for number in numbers)  # fmt: skip
        why = f"{len(numbers)} sets of {len(parts)} columns: {', '.join(labels.values())}"
        yield Found(shape=ColumnSets(sets=sets, into=into), weight=0.9, reasons=(why,))
        return


def _around(name: str) -> str:
    """What tells families of names apart: nothing, where the number ends them (“SKU1, Qty1”); else what stands before
    it (“Item 1 SKU”)."""
    before, _, behind = name.partition("\0")
    return re.sub(r"\W+", "", before).lower() if behind.strip(" _.-:") else ""


def _labels(names: list[str]) -> dict[str, str]:
    """What is left of names without what all of them have: “Item \\0 SKU” is “SKU”; all of it, where one of them has
    nothing else (“Pack \\0”, “Pack price \\0”)."""
    words = {name: re.findall(r"[^\W_]+", name.replace("\0", " ")) for name in names}
    common = set.intersection(*(set(found) for found in words.values()))
    if any(common.issuperset(found) for found in words.values()):
        common = set()
    return {name: " ".join(word for word in found if word not in common) for name, found in words.items()}


def named_sets(frame: pl.DataFrame, into: str) -> Iterator[Found]:
    """The sets of a sheet's columns that are called by what is behind what they hold: “Price small, Price large, Stock
    small, Stock large”."""
    parts = families(own_columns(frame))
    if len(parts) >= _FEWEST_PARTS:
        names = list(next(iter(parts.values())))
        sets = tuple({part: columns[name] for part, columns in parts.items()} for name in names)
        why = f"{len(names)} sets of {len(parts)} columns: {', '.join(parts)}, each for {', '.join(names)}"
        yield Found(shape=ColumnSets(sets=sets, names=tuple(names), into=into), weight=0.8, reasons=(why,))


def families(columns: list[str]) -> dict[str, dict[str, str]]:
    """Columns by what they hold and for what: of those that begin alike and of which several have the same ends, the
    most."""
    begun: dict[str, dict[str, str]] = {}
    for column in columns:
        words = re.split(r"[\s_:(\[/–-]+", column.strip(")] "))
        for at in range(1, len(words)):
            begun.setdefault(" ".join(words[:at]), {})[" ".join(words[at:])] = column
    alike: dict[frozenset[str], dict[str, dict[str, str]]] = {}
    for begin, ends in begun.items():
        if len(ends) >= _FEWEST_SETS and not all(end.isdigit() for end in ends):
            alike.setdefault(frozenset(ends), {})[begin] = ends
    return max(alike.values(), key=lambda one: (len(one), len(next(iter(one.values())))), default={})
