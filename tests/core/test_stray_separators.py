"""A few broken lines do not make another sheet of a file: the guess weighs all of it."""

from __future__ import annotations

import random

import pytest

from datorum.core.table import guess_dialect, read_csv

VALUES = {
    "Name": ("Ada Corfield", "Bo Ryewick", "Ute Ackersehren"),
    "E-Mail": ("ada@quillmoss.example", "bo@quillmoss.example"),
    "City": ("Oslo", "Rostock"),
    "Notes": ("", "likes rye", "beans, kale"),
    "Birth": ("31.1.1990", "7.12.1964"),
    "Since": ("1714559400", "1735689600"),
    "Spent": ("12,50", "1.204,00"),
}


@pytest.mark.parametrize("seed", range(30))
def test_entities_in_a_file_with_semicolons_do_not_move_its_header(seed: int) -> None:
    chance = random.Random(seed)
    header = list(VALUES)[: chance.randrange(3, len(VALUES) + 1)]
    rows = chance.choice((4, 15, 40, 300))
    title = chance.choice(([], ["Customers of the old shop"], ["Export", "2026-11-20"], ["Export;;", ""]))
    broken, column = set(chance.sample(range(rows), max(1, rows // 50))), chance.randrange(len(header))
    lines = [*title, ";".join(header)]
    for number in range(rows):
        cells = [chance.choice(VALUES[name]) for name in header]
        if number in broken:
            cells[column] = "Rye &amp; &quot;kale&quot;"
        lines.append(";".join(cells))
    data = "\n".join(lines).encode("cp1252")
    sheet = read_csv(data, guess_dialect(data))
    assert sheet.headers[: len(header)] == tuple(header)
    assert sheet.frame.height == rows
