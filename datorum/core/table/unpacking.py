"""What archives hold, unpacked within limits: an archive may be made to harm whoever unpacks it."""

from __future__ import annotations

import gzip
import zipfile
import zlib
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path, PurePosixPath
from typing import IO

from datorum.core.errors import UnreadableFile
from datorum.core.table.sheet import Limits

ZIP_BEGINS = b"PK\x03\x04"
SHEETS_INSIDE = (
    ".csv", ".tsv", ".tab", ".txt", ".xlsx", ".xlsm", ".xlsb", ".xls", ".ods", ".json", ".ndjson", ".jsonl", ".xml",
    ".rss", ".atom",
)  # fmt: skip
"""How the names of files end that may be sheets."""
_MOST_FILES = 10_000
_DAMAGED = (OSError, EOFError, zlib.error, zipfile.BadZipFile, RuntimeError, NotImplementedError)
"""What the libraries raise for an archive that is damaged, sealed by a password, or packed in an unknown way."""


def damaged_archive() -> UnreadableFile:
    """What is said of an archive that cannot be unpacked."""
    return UnreadableFile(
        "The archive is damaged, or protected by a password.", remedy="Pack it again without a password."
    )


@contextmanager
def opened_zip(path: Path) -> Iterator[zipfile.ZipFile]:
    """A ZIP archive for as long as the context lasts. Raises UnreadableFile."""
    try:
        archive = zipfile.ZipFile(path)
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise UnreadableFile("The archive is damaged.", remedy="Pack it again.") from error
    with archive:
        yield archive


def members_of(archive: zipfile.ZipFile) -> list[str]:
    """The files in an archive, but for those that programs put there for themselves. Raises UnreadableFile where there
    are too many, or several share their bytes."""
    entries = archive.infolist()
    _refuse_overlaps(entries)
    names = [entry.filename for entry in entries if not entry.is_dir()]
    if len(names) > _MOST_FILES:
        raise UnreadableFile(f"The archive holds {len(names):,} files.", remedy="Pack fewer files into one archive.")
    return [name for name in names if not name.startswith("__MACOSX/") and PurePosixPath(name).name[:1] != "."]


def may_be_sheet(name: str) -> bool:
    """Whether a file in an archive may be a sheet, by its name."""
    return name.lower().endswith(SHEETS_INSIDE)


def member(archive: zipfile.ZipFile, name: str) -> IO[bytes]:
    """A file in an archive. Raises UnreadableFile."""
    try:
        return archive.open(name)
    except _DAMAGED as error:
        raise damaged_archive() from error


def _refuse_overlaps(entries: list[zipfile.ZipInfo]) -> None:
    """Refuse an archive in which some bytes are the contents of several files: it unpacks to far more than it is."""
    ends = 0
    for entry in sorted(entries, key=lambda entry: entry.header_offset):
        if entry.header_offset < ends:
            raise UnreadableFile("The archive is damaged: files in it overlap.", remedy="Pack it again.")
        # A local header has 30 bytes before its name (APPNOTE.TXT 4.3.7).
        ends = entry.header_offset + 30 + len(entry.filename.encode("utf-8", "replace")) + entry.compress_size


class Unpacking:
    """Unpacks the parts of one archive within the limits that hold for all of them together."""

    def __init__(self, limits: Limits) -> None:
        self._limits = limits
        self._done = 0

    def copy(self, source: IO[bytes] | gzip.GzipFile, target: Path, packed: int) -> None:
        """Unpack a part of so many ``packed`` bytes. Raises UnreadableFile beyond the limits, or where the archive is
        damaged."""
        most = min(self._limits.unpacked - self._done, self._limits.ratio * max(packed, 10_000))
        done = 0
        try:
            with target.open("wb") as out:
                while block := source.read(1024 * 1024):
                    done += len(block)
                    if done > most:
                        raise UnreadableFile(
                            f"The archive unpacks to more than {most:,} bytes.",
                            remedy="Unpack it and choose the sheet itself, or raise the limits on archives.",
                        )
                    out.write(block)
            self._done += done
        except _DAMAGED as error:
            raise damaged_archive() from error


def files_beside_sheets(path: Path, scratch: Path, limits: Limits) -> Iterator[tuple[str, Path]]:
    """What an archive holds that is no sheet, one after the other: its name, and where it lies until the next is asked
    for. Raises UnreadableFile."""
    unpacking, target = Unpacking(limits), scratch / "member"
    with opened_zip(path) as archive:
        for name in members_of(archive):
            if not may_be_sheet(name):
                with member(archive, name) as source:
                    unpacking.copy(source, target, archive.getinfo(name).compress_size)
                yield name, target


def holds_files(path: Path) -> bool:
    """Whether a file is an archive that holds anything that is no sheet, and no workbook."""
    with path.open("rb") as file:
        if not file.read(len(ZIP_BEGINS)).startswith(ZIP_BEGINS):
            return False
    try:
        with opened_zip(path) as archive:
            names = members_of(archive)
    except UnreadableFile:
        return False
    # A workbook is an archive of its own parts.
    return not {"[Content_Types].xml", "mimetype"} & set(names) and not all(map(may_be_sheet, names))
