"""The pictures of products and the files of course entries, in one archive as somebody has packed them."""

from __future__ import annotations

import hashlib
import io
import struct
import zipfile
from collections.abc import Sequence

from demo.data.exports.sheet import Export, Record, by_number, planted

_GONE = b"<!DOCTYPE html>\n<html><head><title>404</title></head><body><p>There is no such file.</p></body></html>\n"
_ACROSS = 6
"""So many squares of eight by eight dots a picture has in a row, and rows of them."""


def archive(media: Sequence[Record]) -> Export:
    """All files that the old shop has, in folders of its own; ``faults`` are told by the numbers of media."""
    found = planted(
        media, "files",
        {
            "not in the archive": (5, _left),
            "a page that says there is none": (3, _left),
            "empty": (2, _left),
            "the same as the first of its kind, under another name": (6, _left),
        },
    )  # fmt: skip
    firsts: dict[str, str] = {}
    for one in found:
        firsts.setdefault(one.record["filename"].rpartition(".")[2], one.record["filename"])
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
        for one in found:
            name = one.record["filename"]
            folder = "courses" if name.endswith(".pdf") else "pictures"
            if "not in the archive" not in one.faults:
                told = zipfile.ZipInfo(f"shop-files/{folder}/{name}", (2026, 10, 30, 12, 0, 0))
                packed.writestr(told, _content(name, one.faults, firsts[name.rpartition(".")[2]]), zipfile.ZIP_DEFLATED)
    marks = by_number([(one.record, one.faults) for one in found])
    return Export("files.zip", "files", "an archive with folders", out.getvalue(), len(found), len(found), marks)


def _left(record: Record) -> None:
    """The record is as it is: what is wrong is the file."""


def _content(name: str, faults: set[str], first: str) -> bytes:
    if "empty" in faults:
        return b""
    if "a page that says there is none" in faults:
        return _GONE
    named = first if "the same as the first of its kind, under another name" in faults else name
    return _document(named) if named.endswith(".pdf") else _picture(named)


def _picture(name: str) -> bytes:
    """A picture in shades of grey (JPEG, ITU-T T.81, baseline) unlike that of any other name."""
    shades = hashlib.shake_128(name.encode()).digest(_ACROSS * _ACROSS)
    side = 8 * _ACROSS
    bits, before = "", 0
    for shade in shades:
        # Of each square only its mean is told; every category of its difference has a code of four bits.
        mean = (shade - 128) * 8
        differs, before = mean - before, mean
        size = abs(differs).bit_length()
        told = differs if differs > 0 else differs + (1 << size) - 1
        bits += f"{size:04b}" + (f"{told:0{size}b}" if size else "") + "00"
    bits += "1" * (-len(bits) % 8)
    data = bytes(int(bits[at : at + 8], 2) for at in range(0, len(bits), 8)).replace(b"\xff", b"\xff\x00")
    segments = [
        (0xDB, b"\0" + b"\1" * 64),
        (0xC0, struct.pack(">BHHBBBB", 8, side, side, 1, 1, 0x11, 0)),
        (0xC4, b"\0" + bytes([0, 0, 0, 12] + [0] * 12) + bytes(range(12))),
        (0xC4, b"\x10" + bytes([0, 1] + [0] * 14) + b"\0"),
        (0xFE, name.encode()),
        (0xDA, b"\1\1\0\0\x3f\0"),
    ]
    head = b"".join(b"\xff" + bytes([mark]) + struct.pack(">H", len(part) + 2) + part for mark, part in segments)
    return b"\xff\xd8" + head + data + b"\xff\xd9"


def _document(name: str) -> bytes:
    """A page with the name of the file on it (PDF 1.4)."""
    said = f"BT /F1 18 Tf 60 760 Td ({name}) Tj ET".encode()
    objects = [
        b"<< /Type /Catalog /Pages 2 0 R >>",
        b"<< /Type /Pages /Kids [3 0 R] /Count 1 >>",
        b"<< /Type /Page /Parent 2 0 R /MediaBox [0 0 595 842] /Contents 4 0 R"
        b" /Resources << /Font << /F1 << /Type /Font /Subtype /Type1 /BaseFont /Helvetica >> >> >> >>",
        b"<< /Length %d >>\nstream\n%s\nendstream" % (len(said), said),
    ]
    whole, places = b"%PDF-1.4\n", []
    for number, body in enumerate(objects, 1):
        places.append(len(whole))
        whole += b"%d 0 obj\n%s\nendobj\n" % (number, body)
    table = b"".join(b"%010d 00000 n \n" % place for place in places)
    begins = len(whole)
    return whole + (
        b"xref\n0 %d\n0000000000 65535 f \n%strailer\n<< /Size %d /Root 1 0 R >>\nstartxref\n%d\n%%%%EOF\n"
        % (len(objects) + 1, table, len(objects) + 1, begins)
    )
