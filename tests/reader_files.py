"""Files made to do harm, each by its own way."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable

_NS = 'xmlns="http://schemas.openxmlformats.org/spreadsheetml/2006/main"'
_REL = "http://schemas.openxmlformats.org/officeDocument/2006/relationships"
_PACKAGE = "http://schemas.openxmlformats.org/package/2006"


def zipped(members: dict[str, str | bytes]) -> bytes:
    """An archive of some members."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in members.items():
            archive.writestr(name, data)
    return out.getvalue()


def workbook(cells: str) -> bytes:
    """An XLSX workbook whose one sheet has these rows, as they are written there."""
    types = "application/vnd.openxmlformats-officedocument.spreadsheetml"
    return zipped({
        "[Content_Types].xml": f'<Types xmlns="{_PACKAGE}/content-types"><Default Extension="rels"'
        ' ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Override PartName="/xl/workbook.xml"'
        f' ContentType="{types}.sheet.main+xml"/><Override PartName="/xl/worksheets/sheet1.xml"'
        f' ContentType="{types}.worksheet+xml"/></Types>',
        "_rels/.rels": f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="r1"'
        f' Type="{_REL}/officeDocument" Target="xl/workbook.xml"/></Relationships>',
        "xl/workbook.xml": f'<workbook {_NS} xmlns:r="{_REL}"><sheets><sheet name="S" sheetId="1" r:id="r1"/></sheets>'
        "</workbook>",
        "xl/_rels/workbook.xml.rels": f'<Relationships xmlns="{_PACKAGE}/relationships"><Relationship Id="r1"'
        f' Type="{_REL}/worksheet" Target="worksheets/sheet1.xml"/></Relationships>',
        "xl/worksheets/sheet1.xml": f"<worksheet {_NS}><sheetData>{cells}</sheetData></worksheet>",
    })  # fmt: skip


def _overlapping() -> bytes:
    """An archive whose directory names the same bytes three times."""
    whole = zipped({"a.csv": "a,b\n1,2\n" * 2000})
    at = whole.rfind(b"PK\x01\x02")
    end = whole.rfind(b"PK\x05\x06")
    entry, tail = whole[at:end], bytearray(whole[end:])
    entries = entry + entry.replace(b"a.csv", b"b.csv") + entry.replace(b"a.csv", b"c.csv")
    tail[8:12] = b"\x03\x00\x03\x00"
    tail[12:16] = len(entries).to_bytes(4, "little")
    return whole[:at] + entries + bytes(tail)


HARMFUL: dict[str, tuple[Callable[[], bytes], str]] = {
    "far.xlsx": (
        lambda: workbook(
            '<row r="1"><c r="A1"><v>1</v></c></row><row r="1048576"><c r="XFD1048576"><v>2</v></c></row>'
        ),
        "more than",
    ),
    "attributes.xml": (
        lambda: (
            "<!DOCTYPE r [<!ATTLIST i "
            + " ".join(f'a{n} CDATA "{"x" * 999}"' for n in range(900))
            + "]><r>"
            + "<i/>" * 9000
            + "</r>"
        ).encode(),
        "defines values",
    ),
    "encoding.xml": (lambda: b'<?xml version="1.0" encoding="klingon"?><r><i a="1"/><i a="2"/></r>', "an encoding"),
    "nested.json": (lambda: b"[" * 300_000 + b"]" * 300_000, "no records"),
    "nested.ndjson": (lambda: (b'{"a":' + b"[" * 300_000 + b"]" * 300_000 + b"}\n") * 2, "no records"),
    "long.csv": (lambda: b"abc,def " * 9_000_000, "is longer than"),
    "long.ndjson": (lambda: b'{"a":1}\n' + b'{"a":"' + b"x" * 70_000_000 + b'"}', "is longer than"),
    "commas.csv": (lambda: b"," * 1_000_000 + b"\n1,2\n", "1,000,001 columns"),
    "members.zip": (lambda: zipped({f"{n}.csv": "a,b\n1,2\n" for n in range(300)}), "300 files"),
    "overlapping.zip": (_overlapping, "overlap"),
    "number.json": (lambda: b'[{"a": ' + b"1" * 5_000_000 + b"}]", ""),
    "surrogates.json": (lambda: json.dumps([{"a": "\ud800x", "\udfff": "y"}]).encode(), ""),
}
"""By name: how a file is made, and what is said of it; nothing is said of one that can be read after all."""
