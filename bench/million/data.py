"""A customers CSV of any number of rows, made from the demo's, with e-mails and numbers that never stand twice."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from demo.data import generate_customers

_HOME = Path(__file__).parents[2] / ".datorum" / "bench"
_PADDING = "Ordered seeds at the market stall and asked for the growing notes in print, please"


def customers_csv(rows: int) -> Path:
    """The file, made once and kept: 20 columns, quoted newlines, about 245 bytes a row."""
    path = _HOME / f"customers-{rows}.csv"
    if path.exists():
        return path
    path.parent.mkdir(parents=True, exist_ok=True)
    table = list(csv.DictReader(io.StringIO(generate_customers().csv.decode(), newline="")))
    headers = [name for name in table[0] if name != "Old Theme"]
    part = path.with_suffix(".part")
    with part.open("w", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(headers)
        for number in range(rows):
            row = table[number % len(table)]
            cells = {**row, "Customer ID": str(100_000 + number)}
            if "@" in row["E-mail Address"]:
                local, _, domain = row["E-mail Address"].strip().partition("@")
                cells["E-mail Address"] = f"{local}.{number}@{domain}"
            cells["Notes"] = row["Notes"] or (_PADDING if number % 2 else f"{_PADDING},\nor so")
            writer.writerow([cells[name] for name in headers])
    part.rename(path)
    return path
