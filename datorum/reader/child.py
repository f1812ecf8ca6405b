"""What runs in the process in which one file is read: it answers what it is asked, until nobody asks any more."""

from __future__ import annotations

import os
import resource
from collections.abc import Callable, Iterator
from contextlib import ExitStack, suppress
from pathlib import Path
from typing import Any

from datorum.core.errors import DatorumError
from datorum.core.table import Dialect, Limits, OpenedFile, Reading, open_file
from datorum.core.table.packed import packed
from datorum.reader.messages import Message, Receiver, send

_PAGE = resource.getpagesize()
_SECONDS_TO_SPARE = 5


def _within(asked: dict[str, Any]) -> None:
    """Take on the limits of one file. What the system does at them is told by how the process ends."""
    now = int(Path("/proc/self/statm").read_text().split()[0]) * _PAGE
    resource.setrlimit(resource.RLIMIT_AS, (now + asked["memory"],) * 2)
    resource.setrlimit(resource.RLIMIT_FSIZE, (asked["space"],) * 2)
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    # Both of two processors at work use up two seconds in one; the other side keeps the clock.
    seconds = int(asked["seconds"] * (os.cpu_count() or 1)) + _SECONDS_TO_SPARE
    resource.setrlimit(resource.RLIMIT_CPU, (seconds, seconds))


def _rows(reading: Reading) -> Iterator[Message]:
    """A sheet, some rows at a time, with what is to be said beside them."""
    yield Message({"headers": reading.headers, "notes": reading.notes})
    blank_lines, notes = reading.blank_lines, len(reading.notes)
    for frame in reading:
        said = {
            "blank_lines": reading.blank_lines - blank_lines,
            "notes": reading.notes[notes:],
            "share": reading.share,
        }
        blank_lines, notes = reading.blank_lines, len(reading.notes)
        yield Message(said, packed(frame))
    yield Message({"over": True, "blank_lines": reading.blank_lines - blank_lines, "notes": reading.notes[notes:]})


_ANSWERS: dict[str, Callable[[OpenedFile, dict[str, Any]], Iterator[Message]]] = {
    "guess": lambda file, asked: iter([Message({"dialect": file.guess(asked["sheet"]).model_dump()})]),
    "lines": lambda file, asked: iter([Message({"dialect": file.with_lines(_dialect(asked)).model_dump()})]),
    "confidence": lambda file, asked: iter([Message({"confidence": file.confidence(_dialect(asked))})]),
    "read": lambda file, asked: _rows(file.read(_dialect(asked))),
}


def _dialect(asked: dict[str, Any]) -> Dialect:
    return Dialect.model_validate(asked["dialect"])


def _answers(questions: Receiver) -> Iterator[Message]:
    """Everything that is said in answer, until nobody asks any more."""
    asked = questions.take().said
    _within(asked)
    with ExitStack() as stack:
        try:
            limits = Limits.model_validate(asked["limits"])
            file = stack.enter_context(open_file(Path(asked["path"]), asked["filename"], limits))
            yield Message({"sheets": [ref.model_dump() for ref in file.sheets], "attachments": file.attachments})
        except BaseException as error:  # a panic of a library is no Exception
            yield _failure(error)
            return
        while True:
            asked = questions.take().said
            try:
                yield from _ANSWERS[asked["ask"]](file, asked)
            except BaseException as error:
                if isinstance(error, GeneratorExit):
                    raise
                yield _failure(error)


def _failure(error: BaseException) -> Message:
    """An error as it is told; of one that is none of ours, only its kind, as its words may be the file's."""
    if isinstance(error, DatorumError):
        place = error.place.model_dump(exclude_none=True)
        return Message({"error": error.code, "message": error.message, "remedy": error.remedy, "place": place})
    if isinstance(error, MemoryError):
        return Message({"error": "memory"})
    return Message({"error": "fault", "kind": type(error).__name__})


def main(questions: int, answers: int) -> None:
    """Answer on one pipe what is asked on the other, until either ends."""
    with suppress(EOFError, OSError):
        for message in _answers(Receiver(questions)):
            send(answers, message)
