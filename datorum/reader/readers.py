"""Starts readers, by way of the nursery, and ends them."""

from __future__ import annotations

import fcntl
import os
import signal
import socket
import subprocess
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass

from datorum.reader.messages import PID, STATUS

_PIPE = 1024 * 1024


@dataclass(frozen=True)
class Reader:
    """A process that reads one file: where to ask it, where it answers, and where it is told how it ended."""

    pid: int
    process: int
    questions: int
    answers: int
    ended: int

    def status(self) -> int:
        """Wait for its end: its exit status, below zero for a signal."""
        said = os.read(self.ended, STATUS.size)
        # Without a word the nursery has gone as well, as it does where the system takes both.
        return int(STATUS.unpack(said)[0]) if said else -signal.SIGKILL

    def end(self) -> None:
        """End it, whatever it is at."""
        with suppress(ProcessLookupError):
            signal.pidfd_send_signal(self.process, signal.SIGKILL)
        self.status()
        for descriptor in (self.process, self.questions, self.answers, self.ended):
            os.close(descriptor)


class _Nursery:
    """The process that forks readers: started when it is first needed, and anew where it has gone."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._running: tuple[subprocess.Popen[bytes], socket.socket] | None = None

    def start(self) -> None:
        """Have it load what it needs before anybody waits for it."""
        with self._lock:
            self._socket()

    def stop(self) -> None:
        with self._lock:
            self._forget()

    def reader(self) -> Reader:
        asks, questions = os.pipe()
        answers, tells = os.pipe()
        ended, says = os.pipe()
        fcntl.fcntl(answers, fcntl.F_SETPIPE_SZ, _PIPE)
        try:
            pid, process = self._born([asks, tells, says])
        except BaseException:
            for descriptor in (questions, answers, ended):
                os.close(descriptor)
            raise
        finally:
            for descriptor in (asks, tells, says):
                os.close(descriptor)
        return Reader(pid, process, questions, answers, ended)

    def _born(self, pipes: list[int]) -> tuple[int, int]:
        with self._lock:
            try:
                return self._ask(pipes)
            except OSError:
                # It was ended by somebody; another takes its place.
                self._forget()
                return self._ask(pipes)

    def _ask(self, pipes: list[int]) -> tuple[int, int]:
        nursery = self._socket()
        socket.send_fds(nursery, [b"."], pipes)
        said, processes, _, _ = socket.recv_fds(nursery, PID.size, 1)
        if not processes:
            raise ConnectionResetError("the nursery has gone")
        return int(PID.unpack(said)[0]), processes[0]

    def _socket(self) -> socket.socket:
        if self._running is None:
            ours, theirs = socket.socketpair()
            with theirs:
                process = subprocess.Popen(
                    [sys.executable, "-m", "datorum.reader.nursery"],
                    stdin=theirs.fileno(),
                    stdout=subprocess.DEVNULL,
                    stderr=subprocess.DEVNULL,
                    env={**os.environ, "MALLOC_ARENA_MAX": "2"},
                    start_new_session=True,
                )
            self._running = process, ours
        return self._running[1]

    def _forget(self) -> None:
        if self._running is not None:
            process, asked = self._running
            asked.close()
            process.kill()
            process.wait()
            self._running = None


_nursery = _Nursery()


@contextmanager
def new_reader() -> Iterator[Reader]:
    """A process to read a file in, which ends with the context."""
    reader = _nursery.reader()
    try:
        yield reader
    finally:
        reader.end()


@contextmanager
def kept_ready() -> Iterator[None]:
    """Have readers start at once, for as long as the context lasts."""
    _nursery.start()
    try:
        yield
    finally:
        _nursery.stop()
