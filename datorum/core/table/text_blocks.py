"""A file's bytes as blocks of UTF-8 that end at a line end, whatever the file's own encoding."""

from __future__ import annotations

import codecs
from collections.abc import Callable, Iterator
from typing import BinaryIO, NamedTuple

import polars as pl

from datorum.core.errors import Place, UnreadableFile

BLOCK = 16 * 1024 * 1024
LONGEST_LINE = 64 * 1024 * 1024
"""No sheet has lines of more bytes, or characters; such a file has no lines, or none that end as they should."""
_Decode = Callable[[bytes, bool], tuple[bytes, bool]]


class Block(NamedTuple):
    """Some whole lines. ``undecodable``: some bytes could not be read, and stand as U+FFFD."""

    text: bytes
    undecodable: bool
    last: bool


def text_blocks(file: BinaryIO, encoding: str, size: int = BLOCK) -> Iterator[Block]:
    """Each block ends behind a line end, except the last; a byte order mark is gone. Raises UnreadableFile for a line
    that is longer than any should be."""
    decode = _utf8() if codecs.lookup(encoding).name in ("utf-8", "utf-8-sig") else _other(encoding)
    rest, undecodable, first = b"", False, True
    while True:
        raw = file.read(size)
        text, bad = decode(raw, not raw)
        if first:
            text = text.removeprefix(codecs.BOM_UTF8)
            first = not text
        undecodable = undecodable or bad
        if not raw:
            yield Block(rest + text, undecodable, last=True)
            return
        cut = text.rfind(b"\n") + 1
        if not cut:
            # A file of Macintosh line ends; the last one may be half of a pair.
            cut = text.rfind(b"\r", 0, len(text) - 1) + 1
        if not cut:
            rest += text
            if len(rest) > LONGEST_LINE:
                raise line_too_long()
            continue
        # Copied once: a block is large.
        yield Block(b"".join((rest, memoryview(text)[:cut])), undecodable, last=False)
        rest, undecodable = text[cut:], False


def line_too_long(line: int | None = None) -> UnreadableFile:
    """The error for a line that does not end."""
    where = f"Line {line:,}" if line else "A line"
    return UnreadableFile(
        f"{where} of the file is longer than {LONGEST_LINE:,} characters.",
        remedy="Export it again with a line end behind every row.",
        place=Place(row=line),
    )


def is_utf8(data: bytes) -> bool:
    """Whether bytes are UTF-8 and nothing else. Polars looks through them several times as fast as decoding does."""
    try:
        pl.Series([data], dtype=pl.Binary).cast(pl.String)
    except pl.exceptions.PolarsError:
        return False
    return True


def whole_characters(data: bytes) -> tuple[bytes, bytes]:
    """Bytes of UTF-8 without the character that their end may cut in two, and its beginning."""
    for back in range(1, min(4, len(data) + 1)):
        if data[-back] >= 0xC0:
            return data[:-back], data[-back:]
        if data[-back] < 0x80:
            break
    return data, b""


def _utf8() -> _Decode:
    held = b""

    def decode(raw: bytes, final: bool) -> tuple[bytes, bool]:
        nonlocal held
        raw, held = held + raw, b""
        if not final:
            # A character that the block cuts in two waits for the next.
            raw, held = whole_characters(raw)
        if is_utf8(raw):
            return raw, False
        return raw.decode("utf-8", "replace").encode(), True

    return decode


def _other(encoding: str) -> _Decode:
    decoder = codecs.getincrementaldecoder(encoding)("replace")

    def decode(raw: bytes, final: bool) -> tuple[bytes, bool]:
        text = decoder.decode(raw, final).removeprefix("\ufeff")
        return text.encode("utf-8", "replace"), "\ufffd" in text

    return decode
