"""Sheets that stand apart: written by hand after the concepts were (``by_hand.txt``), some in languages that are in no
file, some that nothing is mended by. ``python -m bench.suggestions.apart``"""

from __future__ import annotations

import random
from pathlib import Path

import polars as pl

from bench.suggestions.measure import HeaderSet, measure, print_faults
from bench.suggestions.values import column
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.table import FLAG, ROW

_TYPES = {
    "t": FieldType.TEXT, "i": FieldType.INTEGER, "n": FieldType.NUMBER, "b": FieldType.BOOLEAN, "d": FieldType.DATE,
    "m": FieldType.DATE_TIME, "l": FieldType.LIST,
}  # fmt: skip
_FORMATS = {"email": "email", "url": "uri"}


def by_hand() -> dict[str, list[HeaderSet]]:
    """The sheets under the heading that each stands under."""
    found: dict[str, list[tuple[str, str, list[str]]]] = {}
    lines = Path(__file__).with_name("by_hand.txt").read_text().splitlines()
    for line in filter(None, map(str.strip, lines)):
        if line.startswith("## "):
            sheets = found.setdefault(line[3:], [])
        elif line.startswith("= "):
            title, _, kind = line[2:].partition(" | ")
            rows: list[str] = []
            sheets.append((title, kind, rows))
        elif not line.startswith("#"):
            rows.append(line)
    return {heading: [_set(*one) for one in sheets] for heading, sheets in found.items()}


def shuffled(one: HeaderSet, seed: int) -> HeaderSet:
    """The same with its columns in any order."""
    columns = [name for name in one.frame.columns if name not in (ROW, FLAG)]
    random.Random(seed).shuffle(columns)
    return one._replace(frame=one.frame.select(ROW, FLAG, *columns))


def _set(title: str, kind: str, lines: list[str]) -> HeaderSet:
    """A sheet with values made for it: a line a column, with its field, the field's type, and the kind of its
    values."""
    fields, right = [], set()
    columns: dict[str, list[str]] = {}
    for line in lines:
        header, path, letter, mark = (part.strip() for part in line.split("|"))
        columns[header] = column(header, None, mark, len(columns))
        if path:
            form = _FORMATS.get(mark)
            item = Field(path=path, title="") if letter == "l" else None
            fields.append(Field(path=path, title="", type=_TYPES[letter], format=form, items=item))
            right.add((header, path))
    rows = len(next(iter(columns.values())))
    frame = pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})
    return HeaderSet(title, RecordType(name=kind, title=kind, fields=tuple(fields)), frame, right)


def main() -> None:
    for heading, sets in by_hand().items():
        found = measure(sets)
        print(f"{heading}: precision {found.precision:.1%}, recall {found.recall:.1%}")
        mixed = measure([shuffled(one, seed) for seed, one in enumerate(sets)])
        print(f"  with columns in any order: precision {mixed.precision:.1%}, recall {mixed.recall:.1%}")
        if "unseen" not in heading:
            print_faults(found)


if __name__ == "__main__":
    main()
