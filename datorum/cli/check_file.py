"""``datorum check FILE``: hold a file to a site's description, with no site and no database."""

from __future__ import annotations

import time
from collections.abc import Iterator, Sequence
from pathlib import Path

import polars as pl
from pydantic import BaseModel

from datorum.core.check import CheckedPart, Checker, Groups
from datorum.core.in_order import in_order
from datorum.core.model import FindingGroup, Mapping, RecordType
from datorum.core.shape import Selection
from datorum.core.shape.grains import RECORD, own_columns
from datorum.core.shape.whole import Rows, chosen, made, whole_records
from datorum.core.table import ROW, Dialect, FileOfSheets, Reading
from datorum.core.table.held_writer import write_held
from datorum.stations.check import reason
from datorum.stations.files import opened
from datorum.stations.landings import today


class Checked(BaseModel):
    """What ``check --json`` prints: ``ready``, ``held`` and ``left_out`` add up to ``rows``; ``findings`` are grouped
    by field and rule."""

    rows: int
    ready: int
    held: int
    left_out: int
    warned: int
    missing_columns: list[str] = []
    seconds: float
    peak_memory_mb: float
    findings: list[FindingGroup]


def check_file(file: Path, kind: RecordType, mapping: Mapping, sheet: str, held: Path | None) -> Checked:
    """Read a file some rows at a time and check each; with ``held``, read it again and write out what is held."""
    began = time.perf_counter()
    titles = {field.path: field.title for field in kind.fields}
    checker, groups = Checker(kind, mapping, today()), Groups()
    selection = Selection(mapping.rows)
    reasons: dict[int, list[str]] = {}
    held_records: set[int] = set()
    of_records: list[pl.DataFrame] = []

    def take(findings: pl.DataFrame) -> None:
        groups.add(findings)
        if held is not None:
            blocking = findings.filter(pl.col("blocks")).select("row", "record", "field", "value", "message")
            for row, record, field, value, message in blocking.iter_rows():
                reasons.setdefault(row, []).append(reason(titles, field, value, message))
                held_records.add(record)

    with opened(file, file.name) as found:
        dialect = found.guess(sheet)
        reading: Reading | None = None
        left_out, made_columns = 0, set[str]()

        def parted() -> Iterator[Rows]:
            nonlocal left_out
            for frame in whole_records(mapping.shape, frames):
                rows = chosen(mapping.shape, frame, selection)
                left_out += rows.left_out.height
                if held is not None and RECORD in rows.frame.columns:
                    of_records.append(rows.frame.select(ROW, RECORD))
                yield rows

        def frames() -> Iterator[pl.DataFrame]:
            # What makes records of several rows goes over the file twice.
            nonlocal reading
            reading = found.read(dialect)
            yield from (reading.aligned(frame) for frame in reading) if mapping.shape else reading

        def check_part(rows: Rows) -> CheckedPart:
            grains = made(mapping.shape, rows)
            for frame in (grains.records, *grains.lists.values()):
                made_columns.update(own_columns(frame))
            return checker.check_part(grains)

        for part in in_order(check_part, parted()):
            take(checker.add(part))
        take(checker.finish())
        assert reading is not None
        seconds = time.perf_counter() - began
        if held is not None:
            # A record goes back with all of its rows.
            for one in of_records:
                for row, record in one.filter(pl.col(RECORD).is_in(list(held_records))).iter_rows():
                    reasons.setdefault(row, [f"belongs to the record of row {record:,}, which is held"])
            write_held(held, reading.headers, _held_rows(found, dialect, reading.headers, reasons))
    return Checked(
        rows=checker.rows + left_out,
        ready=checker.ready,
        held=checker.held,
        left_out=left_out,
        warned=checker.warned,
        missing_columns=sorted(mapping.used_columns() - set(reading.headers) - made_columns),
        seconds=round(seconds, 3),
        peak_memory_mb=peak_memory_mb(),
        findings=groups.done(kind),
    )


def peak_memory_mb() -> float:
    """The most memory that this process has held, in megabytes (10^6 bytes); 0 where the system does not tell."""
    try:
        status = Path("/proc/self/status").read_text()
    except OSError:
        return 0.0
    line = next((line for line in status.splitlines() if line.startswith("VmHWM")), "")
    return round(int(line.split()[1]) * 1024 / 1e6, 1) if line else 0.0


def _held_rows(
    file: FileOfSheets, dialect: Dialect, headers: Sequence[str], reasons: dict[int, list[str]]
) -> Iterator[tuple[int, str, Sequence[str | None]]]:
    reading = file.read(dialect)
    wanted = list(reasons)
    for frame in reading:
        part = reading.aligned(frame.filter(pl.col(ROW).is_in(wanted)))
        missing = [pl.lit(None, dtype=pl.String).alias(name) for name in headers if name not in part.columns]
        for row, *cells in part.with_columns(missing).select(ROW, *headers).iter_rows():
            yield row, "; ".join(reasons[row]), cells
