"""The side of whoever has a file read: asks, keeps the clock, and tells how the process ended."""

from __future__ import annotations

import logging
import signal
import tempfile
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import polars as pl

from datorum.core.errors import DatorumError, Place, UnreadableFile
from datorum.core.table import FLAG, ROW, Dialect, Limits, Part, Reading, SheetRef, data_columns
from datorum.core.table.packed import unpacked
from datorum.reader.allowance import Allowance
from datorum.reader.messages import Message, Receiver, send
from datorum.reader.readers import Reader, new_reader

log = logging.getLogger(__name__)
_PATIENCE = 0.5


class TooManyReaders(DatorumError):
    """As many files are being read as may be."""

    code = "busy"


class FileApart:
    """A file that is open in a process of its own; it is asked as ``OpenedFile`` is.

    Every question raises UnreadableFile where the file cannot be read, or not within its allowance.
    """

    def __init__(self, reader: Reader, limits: Limits, allowance: Allowance, path: Path) -> None:
        self._reader = reader
        self._answers = Receiver(reader.answers)
        self._limits = limits
        self._allowance = allowance
        self._seconds = allowance.seconds_for(path)
        self._reading = False
        self.sheets: tuple[SheetRef, ...] = ()
        self.attachments: tuple[str, ...] = ()

    def open(self, path: Path, filename: str) -> None:
        """Have the process take on its limits, and look what is in the file."""
        asked = {
            "path": str(path.absolute()),
            "filename": filename,
            "limits": self._limits.model_dump(),
            "memory": self._allowance.memory,
            "space": self._allowance.space,
            "seconds": self._seconds,
        }
        said = self._ask(asked).said
        self.sheets = tuple(SheetRef.model_validate(ref) for ref in said["sheets"])
        self.attachments = tuple(said["attachments"])

    def guess(self, sheet: str = "") -> Dialect:
        """How a sheet, or the likeliest one, is to be read."""
        return self._dialect({"ask": "guess", "sheet": sheet})

    def with_lines(self, dialect: Dialect) -> Dialect:
        """A dialect with the header line and the footer that are likeliest under the rest of it."""
        return self._dialect({"ask": "lines", "dialect": dialect.model_dump()})

    def confidence(self, dialect: Dialect) -> float:
        """How well a dialect fits, 0 to 1."""
        return float(self._ask({"ask": "confidence", "dialect": dialect.model_dump()}).said["confidence"])

    def read(self, dialect: Dialect) -> Reading:
        """A sheet, some rows at a time. It must be gone through before anything else is asked."""
        first = self._ask({"ask": "read", "dialect": dialect.model_dump()}).said
        share: float | None = 0.0
        self._reading = True

        def parts() -> Iterator[Part]:
            nonlocal share
            while True:
                said, data = self._take()
                share = said.get("share", share)
                over = bool(said.get("over"))
                frame = _NO_ROWS if over else frame_of(data)
                self._reading = not over
                yield Part(frame, said["blank_lines"], tuple(said["notes"]), None if over else data)
                if over:
                    return

        return Reading(tuple(first["headers"]), tuple(first["notes"]), parts(), self._limits, lambda: share)

    def _dialect(self, asked: dict[str, Any]) -> Dialect:
        return Dialect.model_validate(self._ask(asked).said["dialect"])

    def _ask(self, asked: dict[str, Any]) -> Message:
        if self._reading:
            raise RuntimeError("a sheet of the file is being read, and must be gone through first")
        try:
            send(self._reader.questions, Message(asked))
        except OSError:
            raise self._ended() from None
        return self._take()

    def _take(self) -> Message:
        try:
            message = self._answers.take(self._seconds)
        except TimeoutError:
            raise self._too_long() from None
        except EOFError:
            raise self._ended() from None
        if "error" in message.said:
            self._reading = False
        match message.said:
            case {"error": "memory"}:
                raise self._too_much_memory()
            case {"error": "fault", "kind": kind}:
                log.warning("a file could not be read: %s", kind)
                raise _damaged()
            case {"error": str(), "message": message, "remedy": remedy, "place": place}:
                raise UnreadableFile(message, remedy=remedy, place=Place.model_validate(place))
        return message

    def _ended(self) -> UnreadableFile:
        """What the way in which the process ended says of the file."""
        status = self._reader.status()
        log.warning("a file could not be read: its reader ended with %s", status)
        if status == -signal.SIGXCPU:
            return self._too_long()
        # An allocation that is refused ends the libraries that read by SIGABRT.
        return self._too_much_memory() if status in (-signal.SIGABRT, -signal.SIGKILL) else _damaged()

    def _too_long(self) -> UnreadableFile:
        return UnreadableFile(
            f"The file was not read within {self._seconds:,.0f} seconds.",
            remedy="Export a smaller or simpler file, or raise DATORUM_READING’s seconds.",
        )

    def _too_much_memory(self) -> UnreadableFile:
        return UnreadableFile(
            f"Reading the file takes more than {self._allowance.memory / 1e9:.1f} GB of memory.",
            remedy="Look whether a cell far out holds something, export it as CSV, or raise DATORUM_READING’s memory.",
        )


_NO_ROWS = pl.DataFrame()


def frame_of(data: bytes) -> pl.DataFrame:
    """The rows that a reader gives, which are kept as they came. Raises UnreadableFile where they are no rows of a
    sheet, as those of a reader that a file has taken over may not be."""
    try:
        frame = unpacked(data)
    except (pl.exceptions.PolarsError, OSError, ValueError):
        raise _damaged() from None
    if frame.schema != {ROW: pl.Int64, FLAG: pl.String, **dict.fromkeys(data_columns(frame), pl.String)}:
        raise _damaged()
    return frame


def _damaged() -> UnreadableFile:
    return UnreadableFile(
        "The file cannot be read: it is damaged, or written in a way that Datorum does not know.",
        remedy="Open it in the program that it comes from, save it anew, and choose it again.",
    )


@contextmanager
def open_apart(path: Path, filename: str, limits: Limits, allowance: Allowance) -> Iterator[FileApart]:
    """A file in a process of its own, which ends with the context, whatever it is at.

    Raises UnreadableFile, TooManyReaders.
    """
    # The scratch space is made here, so that it goes even when the process cannot clear up.
    with (
        _a_turn(allowance.at_once),
        tempfile.TemporaryDirectory(prefix="datorum-") as scratch,
        new_reader() as reader,
    ):
        limits = limits.model_copy(update={"scratch": scratch, "unpacked": min(limits.unpacked, allowance.space)})
        file = FileApart(reader, limits, allowance, path)
        file.open(path, filename)
        yield file


_turns: dict[int, threading.BoundedSemaphore] = {}


@contextmanager
def _a_turn(at_once: int) -> Iterator[None]:
    turns = _turns.setdefault(at_once, threading.BoundedSemaphore(at_once))
    if not turns.acquire(timeout=_PATIENCE):
        raise TooManyReaders("Several large files are being read just now.", remedy="Try again in a minute.")
    try:
        yield
    finally:
        turns.release()
