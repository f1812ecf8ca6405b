"""Rows with planted faults, written as files, with the lines that each fault stands in."""

from __future__ import annotations

import copy
import csv
import datetime as dt
import io
import json
import random
from collections import defaultdict
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

Record = dict[str, Any]
Cells = dict[str, str]
Change = Callable[[Record], None]


@dataclass
class Planted:
    """A record as it is exported, with the names of the faults in it."""

    record: Record
    faults: set[str] = field(default_factory=set)


@dataclass(frozen=True)
class Export:
    """A file. ``faults``: by name, the places where each was planted: lines of the file (in JSON and XML, records by
    their number). ``records``: how many there are meant to be of ``kind``, those with faults among them."""

    name: str
    kind: str
    layout: str
    data: bytes
    records: int
    rows: int
    faults: dict[str, list[int]]

    @property
    def manifest(self) -> Record:
        """What is to be known of it beside its bytes."""
        counted = {name: {"count": len(places), "at": places} for name, places in self.faults.items()}
        return {
            "kind": self.kind, "layout": self.layout, "records": self.records, "rows": self.rows, "faults": counted,
        }  # fmt: skip


def planted(records: Iterable[Record], seed: str, faults: Mapping[str, tuple[int, Change]]) -> list[Planted]:
    """Copies of records, some with a fault each: so many of every name, far apart from one another."""
    found = [Planted(copy.deepcopy(record)) for record in records]
    picks = random.Random(seed).sample(range(1, len(found)), sum(count for count, _ in faults.values()))
    for name, (count, change) in faults.items():
        for at in picks[:count]:
            change(found[at].record)
            found[at].faults.add(name)
        del picks[:count]
    return found


def to(name: str, value: Any) -> Change:
    """The fault that a field has this value."""
    return lambda record: record.__setitem__(name, value)


Row = tuple[Cells, set[str]]


def csv_file(
    name: str, kind: str, layout: str, rows: Iterable[Row], records: int, *, delimiter: str = ";",
    encoding: str = "utf-8-sig", before: Sequence[str] = (),
) -> Export:  # fmt: skip
    """Rows as a CSV file, in the order of their first columns; ``before``: lines above the header."""
    listed = list(rows)
    headers = list(dict.fromkeys(header for cells, _ in listed for header in cells))
    out = io.StringIO(newline="")
    out.writelines(f"{said}\r\n" for said in before)
    writer = csv.writer(out, delimiter=delimiter, lineterminator="\r\n")
    writer.writerow(headers)
    line = len(before) + 2
    faults: dict[str, list[int]] = defaultdict(list)
    for cells, found in listed:
        written = [cells.get(header, "") for header in headers]
        writer.writerow(written)
        for fault in sorted(found):
            faults[fault].append(line)
        line += 1 + sum(cell.count("\n") for cell in written)
    data = out.getvalue().encode(encoding, errors="replace")
    return Export(name, kind, layout, data, records, len(listed), dict(faults))


def json_file(name: str, kind: str, layout: str, around: str, records: Sequence[tuple[Record, set[str]]]) -> Export:
    """Records as one JSON object with a list of them."""
    data = json.dumps({around: [record for record, _ in records]}, ensure_ascii=False, indent=1).encode()
    return Export(name, kind, layout, data, len(records), len(records), by_number(records))


def by_number(records: Sequence[tuple[Any, set[str]]]) -> dict[str, list[int]]:
    """The numbers of the records that each fault stands in."""
    faults: dict[str, list[int]] = defaultdict(list)
    for number, (_, found) in enumerate(records, 1):
        for fault in sorted(found):
            faults[fault].append(number)
    return dict(faults)


def money(amount: float | None) -> str:
    """An amount as the shop writes it: 1 245,50."""
    if amount is None:
        return ""
    return f"{amount:,.2f}".replace(",", " ").replace(".", ",")


def moment(value: dt.datetime | str | None) -> str:
    """A time as the shop writes it, day first; what is no time, as it is."""
    return value.strftime("%d.%m.%Y %H:%M") if isinstance(value, dt.datetime) else value or ""
