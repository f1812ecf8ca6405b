"""Files of every format, damaged at random: ``python -m tests.mutated 10000`` reads so many and tells what came of it.

Each is read by the reader's own code under its limits, some hundreds in one process, which is started anew where a
library ends it: what Datorum tells of such an end is held by ``tests/reader``.
"""

from __future__ import annotations

import gzip
import io
import random
import resource
import subprocess
import sys
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path

import xlsxwriter

from datorum.core.errors import UnreadableFile
from datorum.core.table import Limits, open_file

_MEMORY = 2 * 1024**3
_SECONDS = 40
_ROWS = [
    ["No", "E-mail", "Name", "Joined", "Spent", "Note"],
    ["00120", "ada@quillmoss.example", "Åse Bjørkvik", "31/08/2014", "1.204,50", 'says "hi", twice'],
    ["1E5", "bo@quillmoss.example", "Jörg Müßig", "12/04/2017", "-3", "two\nlines"],
    [" x ", "jun@quillmoss.example", "Bo", "", "0", ""],
]


def _csv(delimiter: str, encoding: str) -> bytes:
    cells = (
        ['"' + cell.replace('"', '""') + '"' if set(cell) & set('",;\n\t') else cell for cell in row] for row in _ROWS
    )
    return "\n".join(delimiter.join(row) for row in cells).encode(encoding, "replace")


def _xlsx() -> bytes:
    out = io.BytesIO()
    with xlsxwriter.Workbook(out) as book:
        sheet = book.add_worksheet("Growers")
        for number, row in enumerate(_ROWS):
            sheet.write_row(number, 0, row)
        sheet.merge_range("B6:C7", "both")
        sheet.write_formula("A9", "=1+1", None, 2)
        book.add_worksheet("Other").write_row(0, 0, ["a", "b"])
    return out.getvalue()


def _ods() -> bytes:
    cells = "".join(
        "<table:table-row>"
        + "".join(f"<table:table-cell><text:p>{len(cell)}</text:p></table:table-cell>" for cell in row)
        + "</table:table-row>"
        for row in _ROWS
    )  # fmt: skip
    content = (
        '<office:document-content xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0"'
        ' xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0"'
        ' xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0"><office:body><office:spreadsheet>'
        f'<table:table table:name="Growers">{cells}</table:table></office:spreadsheet></office:body>'
        "</office:document-content>"
    )
    manifest = '<manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0"/>'
    return _zip({
        "mimetype": b"application/vnd.oasis.opendocument.spreadsheet",
        "META-INF/manifest.xml": manifest.encode(),
        "content.xml": content.encode(),
    })  # fmt: skip


def _zip(members: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return out.getvalue()


_JSON = b"""{"shop": {"name": "old"}, "orders": [{"id": 1, "total": 12.50, "to": {"city": "\\u00c5s"},
 "lines": [{"a": 1}]}, {"id": 2, "total": 1E5, "note": null}], "tags": ["x", "y"]}"""
_XML = b"""<?xml version="1.0" encoding="UTF-8"?><shop><item id="1"><name>Rye</name><tag>a</tag><tag>b</tag></item>
<item id="2"><name><![CDATA[Moss & co]]></name></item></shop>"""
_FEED = b"""<rss version="2.0"><channel><title>Notes</title><item><title>A</title>
<description>&lt;p&gt;x&lt;/p&gt;</description></item><item><title>B</title></item></channel></rss>"""

SEEDS: dict[str, bytes] = {
    "comma.csv": _csv(",", "utf-8"),
    "semicolon.csv": _csv(";", "windows-1252"),
    "wide.csv": _csv("\t", "utf-16"),
    "shop.json": _JSON,
    "shop.ndjson": b'{"a": 1, "b": {"c": "x"}}\n{"a": 2}\n[3]\n{"a": "\\ud83d\\ude00"}\n',
    "shop.xml": _XML,
    "feed.rss": _FEED,
    "growers.xlsx": _xlsx(),
    "growers.xls": (Path(__file__).parent / "files" / "growers.xls").read_bytes(),
    "growers.ods": _ods(),
    "packed.csv.gz": gzip.compress(_csv(",", "utf-8"), mtime=0),
    "packed.zip": _zip({"a/customers.csv": _csv(",", "utf-8"), "orders.json": _JSON, "picture.png": b"\x89PNG"}),
}
_TOKENS = (
    b"\x00", b"\xff\xfe", b'"', b"'", b",", b";", b"\n", b"\r", b"[", b"{", b"}", b"]", b"<", b"&", b"\\u", b"\\ud800",
    b"1e999999", b"-", b"\xef\xbb\xbf", b"<!DOCTYPE a [", b"&#0;", b"9" * 400, b"[" * 300, b"<a>" * 300, b"\xc3",
)  # fmt: skip


def mutated(number: int) -> tuple[str, bytes]:
    """The name and bytes of one damaged file, always the same for one number."""
    chance = random.Random(number)
    name = sorted(SEEDS)[number % len(SEEDS)]
    data = SEEDS[name]
    if data.startswith(b"PK") and chance.random() < 0.6:
        # Damaged on the inside, and packed as it should be.
        with zipfile.ZipFile(io.BytesIO(data)) as archive:
            members = {one: archive.read(one) for one in archive.namelist()}
        victim = chance.choice(sorted(members))
        members[victim] = _damaged(members[victim], chance)
        return name, _zip(members)
    return name, _damaged(data, chance)


def _damaged(data: bytes, chance: random.Random) -> bytes:
    whole = bytearray(data)
    for _ in range(chance.choice((1, 1, 2, 3, 8))):
        at = chance.randrange(len(whole) + 1)
        to = min(at + chance.choice((1, 1, 2, 4, 20, 200)), len(whole))
        match chance.randrange(7):
            case 0:
                whole[at:to] = bytes(chance.randrange(256) for _ in range(to - at))
            case 1:
                del whole[at:to]
            case 2:
                whole[at:at] = whole[at:to] * chance.choice((1, 2, 50))
            case 3:
                whole[at:at] = chance.choice(_TOKENS)
            case 4 if len(whole) > 8:
                del whole[max(at, 8) :]
            case 5 if at < len(whole):
                whole[at] ^= 1 << chance.randrange(8)
            case _ if to - at:
                whole[at:to] = chance.choice((b"\xff", b"\x00", b"\x7f")) * (to - at)
    return bytes(whole)


def outcome(number: int, folder: Path) -> str:
    """What becomes of one file: ``read``, ``refused``, or the name of an exception that is none of Datorum's."""
    name, data = mutated(number)
    path = folder / name
    path.write_bytes(data)
    try:
        with open_file(path, name, Limits()) as file:
            for ref in file.sheets[:3]:
                dialect = file.guess(ref.name)
                file.confidence(dialect)
                file.with_lines(dialect)
                for _ in file.read(dialect):
                    pass
    except UnreadableFile as error:
        return "refused" if error.message and error.remedy else "refused without a remedy"
    except BaseException as error:  # a panic of a library is no Exception
        return f"{type(error).__name__}: {str(error)[:100]!r}"
    return "read"


def _work(first: int, last: int) -> None:
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    with tempfile.TemporaryDirectory() as folder:
        for number in range(first, last):
            print(f"{number}\t{outcome(number, Path(folder))}", flush=True)


def outcomes(first: int, last: int) -> Iterator[tuple[int, str]]:
    """The outcome of each file; ``ended`` where the process of the reader ended at it."""
    while first < last:
        worker = subprocess.Popen(
            [sys.executable, "-m", "tests.mutated", str(first), str(last)], stdout=subprocess.PIPE,
            stderr=subprocess.DEVNULL, text=True,
        )  # fmt: skip
        assert worker.stdout is not None
        for line in worker.stdout:
            number, told = line.rstrip("\n").split("\t", 1)
            yield int(number), told
            first = int(number) + 1
        worker.wait()
        if first < last:
            yield first, "ended"
            first += 1


def main(count: int, say: Callable[[str], None] = print) -> Counter[str]:
    """Read so many, and count what became of them."""
    counts: Counter[str] = Counter()
    for number, told in outcomes(0, count):
        counts[told] += 1
        if told not in ("read", "refused"):
            say(f"{number} {mutated(number)[0]}: {told}")
    say(", ".join(f"{count:,} {told}" for told, count in counts.most_common(8)))
    return counts


if __name__ == "__main__":
    if len(sys.argv) == 3:
        _work(int(sys.argv[1]), int(sys.argv[2]))
    else:
        main(int(sys.argv[1]))
