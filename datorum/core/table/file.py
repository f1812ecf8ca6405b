"""A file as it comes: what is in it, however it is packed, and its sheets."""

from __future__ import annotations

import gzip
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath
from typing import Protocol

from datorum.core.errors import UnreadableFile
from datorum.core.table.delimited import DELIMITED
from datorum.core.table.dialect import Dialect
from datorum.core.table.formats import Format, SheetRef
from datorum.core.table.json_reader import JSON, NDJSON
from datorum.core.table.sheet import Limits, Reading
from datorum.core.table.unpacking import (
    ZIP_BEGINS,
    Unpacking,
    may_be_sheet,
    member,
    members_of,
    opened_zip,
)
from datorum.core.table.workbook import WORKBOOK
from datorum.core.table.xml_reader import XML

FORMATS: tuple[Format, ...] = (WORKBOOK, NDJSON, JSON, XML, DELIMITED)
"""Every format, the pickiest first: delimited text is what is nothing else."""

_HEAD = 64 * 1024
_BETWEEN = " › "


class FileOfSheets(Protocol):
    """A file with the sheets it offers, wherever it is open. ``attachments`` are what else an archive holds.

    What is read of it is gone through before anything else is asked.
    """

    sheets: tuple[SheetRef, ...]
    attachments: tuple[str, ...]

    def guess(self, sheet: str = "") -> Dialect: ...

    def with_lines(self, dialect: Dialect) -> Dialect: ...

    def read(self, dialect: Dialect) -> Reading: ...

    def confidence(self, dialect: Dialect) -> float: ...


@dataclass
class OpenedFile:
    """A file with the sheets it offers. ``attachments`` are what else an archive holds: pictures, say."""

    sheets: tuple[SheetRef, ...]
    attachments: tuple[str, ...]
    _places: dict[str, tuple[str, str]]
    _archive: _Archive
    _limits: Limits
    _formats: dict[str, tuple[Path, Format]] = field(default_factory=dict)

    def guess(self, sheet: str = "") -> Dialect:
        """How a sheet, or the likeliest one, is to be read: of an archive, that of the largest file. Raises
        UnreadableFile."""
        member, inside = self._place(sheet) if sheet else (self._largest(), "")
        path, kind = self._open(member)
        found = kind.guess(path, inside)
        return found.model_copy(update={"sheet": self._named(member, found.sheet)})

    def with_lines(self, dialect: Dialect) -> Dialect:
        """A dialect with the header line and the footer that are likeliest under the rest of it."""
        member, inside = self._place(dialect.sheet)
        path, kind = self._open(member)
        found = kind.lines(path, dialect.model_copy(update={"sheet": inside}))
        return found.model_copy(update={"sheet": dialect.sheet})

    def read(self, dialect: Dialect) -> Reading:
        """A sheet, some rows at a time. Raises UnreadableFile."""
        member, inside = self._place(dialect.sheet)
        path, kind = self._open(member)
        if dialect.format != kind.name:
            raise UnreadableFile(
                f"The file is not of the format {dialect.format}.", remedy="Have its dialect guessed anew."
            )
        return kind.read(path, dialect.model_copy(update={"sheet": inside}), self._limits)

    def confidence(self, dialect: Dialect) -> float:
        """How well a dialect fits, 0 to 1."""
        member, inside = self._place(dialect.sheet)
        path, kind = self._open(member)
        return kind.confidence(path, dialect.model_copy(update={"sheet": inside}))

    def _largest(self) -> str:
        return max(self._formats, key=lambda member: self._formats[member][0].stat().st_size)

    def _place(self, name: str) -> tuple[str, str]:
        if name in self._places:
            return self._places[name]
        if not name or len(self._archive.members) == 1:
            return self._archive.members[0], name
        raise UnreadableFile(f"The file has no sheet “{name}”.", remedy="Choose one of those it has.")

    def _named(self, member: str, inside: str) -> str:
        return next((name for name, place in self._places.items() if place == (member, inside)), inside)

    def _open(self, member: str) -> tuple[Path, Format]:
        if member not in self._formats:
            path = self._archive.path(member)
            self._formats[member] = path, _format_of(path, member)
        return self._formats[member]


@contextmanager
def open_file(path: Path, filename: str, limits: Limits | None = None) -> Iterator[OpenedFile]:
    """A file on disk, unpacked where it is packed, for as long as the context lasts. Raises UnreadableFile."""
    limits = limits or Limits()
    with tempfile.TemporaryDirectory(prefix="datorum-", dir=limits.scratch) as scratch:
        archive = _Archive(path, filename, Path(scratch), limits)
        places: dict[str, tuple[str, str]] = {}
        sheets: list[SheetRef] = []
        opened: dict[str, tuple[Path, Format]] = {}
        problems: list[UnreadableFile] = []
        for member in archive.members:
            try:
                inner = archive.path(member)
                kind = _format_of(inner, member)
                found = kind.sheets(inner, limits)
            except UnreadableFile as error:
                problems.append(error)
                continue
            opened[member] = inner, kind
            for ref in found:
                parts = (member, ref.name) if archive.packed else (ref.name,)
                name = _BETWEEN.join(part for part in parts if part)
                places[name] = (member, ref.name)
                sheets.append(ref.model_copy(update={"name": name}))
        if not sheets:
            raise problems[0]
        try:
            yield OpenedFile(tuple(sheets), archive.attachments, places, archive, limits, opened)
        finally:
            for _, kind in opened.values():
                kind.forget()


def _format_of(path: Path, filename: str) -> Format:
    with path.open("rb") as file:
        head = file.read(_HEAD)
    if not head.strip():
        raise UnreadableFile("The file is empty.", remedy="Export it again, and look whether the export has any rows.")
    return next(kind for kind in FORMATS if kind.knows(head, filename))


class _Archive:
    """The files inside a file: itself where it is not packed."""

    def __init__(self, path: Path, filename: str, scratch: Path, limits: Limits) -> None:
        self._scratch = scratch
        self._limits = limits
        self._paths: dict[str, Path] = {}
        self._unpacking = Unpacking(limits)
        self.attachments: tuple[str, ...] = ()
        self.packed = False
        with path.open("rb") as file:
            head = file.read(_HEAD)
        if head.startswith(b"\x1f\x8b"):
            path, filename = self._gunzip(path), filename.removesuffix(".gz")
            with path.open("rb") as file:
                head = file.read(_HEAD)
        self._zip: Path | None = None
        if head.startswith(ZIP_BEGINS) and not WORKBOOK.knows(head, filename):
            self._zip = path
            self.packed = True
            self.members = self._list(path)
        else:
            self.members = [filename]
            self._paths[filename] = path

    def path(self, name: str) -> Path:
        """Where a member lies on disk; it is unpacked when it is first asked for."""
        if name not in self._paths:
            assert self._zip is not None
            target = self._scratch / f"{len(self._paths)}{PurePosixPath(name).suffix.lower()}"
            with opened_zip(self._zip) as archive, member(archive, name) as source:
                self._unpacking.copy(source, target, archive.getinfo(name).compress_size)
            self._paths[name] = target
        return self._paths[name]

    def _gunzip(self, path: Path) -> Path:
        target = self._scratch / "unpacked"
        with gzip.open(path) as source:
            self._unpacking.copy(source, target, path.stat().st_size)
        return target

    def _list(self, path: Path) -> list[str]:
        """The members that may be sheets. Raises UnreadableFile where there is none."""
        with opened_zip(path) as archive:
            visible = members_of(archive)
        sheets = [name for name in visible if may_be_sheet(name)]
        if not sheets:
            raise UnreadableFile(
                "The archive holds no sheet.", remedy="Pack the CSV, workbook, JSON or XML file into it as well."
            )
        if len(sheets) > self._limits.members:
            raise UnreadableFile(
                f"The archive holds {len(sheets):,} files that may be sheets; {self._limits.members:,} is the limit.",
                remedy="Pack fewer files into one archive.",
            )
        known = set(sheets)
        self.attachments = tuple(name for name in visible if name not in known)
        return sheets
