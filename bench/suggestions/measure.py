"""How many of the suggested pairs of header and field are right, and how many of the right ones are suggested."""

from __future__ import annotations

from pathlib import Path
from typing import NamedTuple

import polars as pl

from bench.suggestions.sites import record_type
from bench.suggestions.values import column
from datorum.core.model import RecordType
from datorum.core.profile import profile
from datorum.core.suggest import suggest
from datorum.core.table import FLAG, ROW

Pairs = set[tuple[str, str]]


class HeaderSet(NamedTuple):
    """One sheet: what it becomes, its columns with their values, the right pairs of header and field, and the name of
    the site where that is one of those here."""

    title: str
    kind: RecordType
    frame: pl.DataFrame
    right: Pairs
    site: str = ""


class Measured(NamedTuple):
    """``precision``: the share of suggested pairs that is right; ``recall``: of right ones that is suggested."""

    precision: float
    recall: float
    wrong: list[str]
    missed: list[str]


def header_sets() -> list[HeaderSet]:
    """Every set of the file, with values made for it."""
    text = Path(__file__).with_name("sets.txt").read_text()
    lines = [line for line in text.splitlines() if line and line[0] != "#"]
    return [
        _header_set(head, body, seed) for seed, (head, body) in enumerate(zip(lines[::2], lines[1::2], strict=True))
    ]


def _header_set(head: str, body: str, seed: int) -> HeaderSet:
    kind_name, site, title = (part.strip() for part in head.split("|"))
    kind = record_type(site, kind_name)
    columns: dict[str, list[str]] = {}
    right: Pairs = set()
    for line in body.split(";"):
        rest, _, mark = line.partition("~")
        header, _, paths = rest.partition(" = ")
        fields = [kind.field(path.strip()) for path in paths.split(",") if path.strip()]
        columns[header.strip()] = column(header.strip(), fields[0] if len(fields) == 1 else None,
                                         mark.strip() or ("name" if len(fields) > 1 else ""), seed)  # fmt: skip
        right |= {(header.strip(), field.path) for field in fields}
    rows = len(next(iter(columns.values())))
    frame = pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})
    return HeaderSet(f"{kind_name}, {title}", kind, frame, right, site)


def measure(sets: list[HeaderSet]) -> Measured:
    """Suggest a mapping for each set and compare."""
    suggested_count, right_count, hits = 0, 0, 0
    wrong, missed = [], []
    for one in sets:
        mapping = suggest(one.kind, one.frame, profile(one.frame))
        suggested = {(name, path) for path, fed in mapping.fields.items() for name in fed.columns}
        suggested_count += len(suggested)
        right_count += len(one.right)
        hits += len(suggested & one.right)
        wrong += [f"{one.title}: {header} → {path}" for header, path in sorted(suggested - one.right)]
        missed += [f"{one.title}: {header} → {path}" for header, path in sorted(one.right - suggested)]
    return Measured(hits / suggested_count, hits / right_count, wrong, missed)


def print_faults(measured: Measured) -> None:
    """Print the pairs that are wrong, and those that were missed."""
    for line in measured.wrong:
        print(f"  wrong   {line}")
    for line in measured.missed:
        print(f"  missed  {line}")


def main() -> None:
    sets = header_sets()
    measured = measure(sets)
    print(f"suggestions, {len(sets)} header sets: precision {measured.precision:.1%} (bar: 97 %),"
          f" recall {measured.recall:.1%} (bar: 93 %)")  # fmt: skip
    print_faults(measured)


if __name__ == "__main__":
    main()
