"""What a reader and whoever started it say to each other: JSON, each with some bytes behind it, over two pipes.

Nothing that is read here is ever run: a reader may have been taken over by the file that it reads.
"""

from __future__ import annotations

import os
import select
import struct
import time
from typing import Any, NamedTuple

import orjson

PID = struct.Struct("<i")
"""The number of a new reader's process."""
STATUS = struct.Struct("<i")
"""How a reader ended, as its exit status: below zero for a signal."""
_SIZES = struct.Struct("<II")
_PIECE = 1024 * 1024


class Message(NamedTuple):
    """What is said, and the bytes that go with it: the rows of a sheet, packed."""

    said: dict[str, Any]
    data: bytes = b""


def send(pipe: int, message: Message) -> None:
    """Raises OSError where nobody reads any more."""
    said = orjson.dumps(message.said)
    for piece in (_SIZES.pack(len(said), len(message.data)), said, message.data):
        rest = memoryview(piece)
        while rest:
            rest = rest[os.write(pipe, rest) :]


class Receiver:
    """Takes messages from a pipe, and keeps count of the seconds that it waited for them."""

    def __init__(self, pipe: int) -> None:
        self._pipe = pipe
        self.waited = 0.0

    def take(self, seconds: float | None = None) -> Message:
        """The next message. Raises EOFError where there will be none, TimeoutError when it has waited for ``seconds``
        in all."""
        said, data = _SIZES.unpack(self._exactly(_SIZES.size, seconds))
        return Message(orjson.loads(self._exactly(said, seconds)), self._exactly(data, seconds))

    def _exactly(self, size: int, seconds: float | None) -> bytes:
        pieces, missing = [], size
        while missing:
            began = time.monotonic()
            left = None if seconds is None else max(seconds - self.waited, 0.0)
            ready, _, _ = select.select([self._pipe], [], [], left)
            self.waited += time.monotonic() - began
            if not ready:
                raise TimeoutError
            piece = os.read(self._pipe, min(missing, _PIECE))
            if not piece:
                raise EOFError
            pieces.append(piece)
            missing -= len(piece)
        return b"".join(pieces)
