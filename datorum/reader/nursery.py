"""The process from which readers are forked: ``python -m datorum.reader.nursery``. It has loaded what reading needs, so
that a reader starts in milliseconds; it reads no file itself, and so no file can take it over.

Its standard input is a socket. Asked there with three pipes (questions, answers, the way it ended), it forks a reader
and gives back the reader's process. It ends when nobody can ask any more.
"""

from __future__ import annotations

import os
import selectors
import socket
from contextlib import suppress

from datorum.reader import child
from datorum.reader.messages import PID, STATUS

_PIPES = 3


def main() -> None:
    """Fork readers until the socket ends."""
    asked = socket.socket(fileno=os.dup(0))
    with selectors.DefaultSelector() as waiting:
        waiting.register(asked, selectors.EVENT_READ)
        while True:
            for key, _ in waiting.select():
                if key.fileobj is not asked:
                    _tell_how_it_ended(waiting, key)
                elif not _start_reader(waiting, asked):
                    return


def _start_reader(waiting: selectors.BaseSelector, asked: socket.socket) -> bool:
    """Fork one reader. False where nobody asks any more."""
    _, pipes, _, _ = socket.recv_fds(asked, 1, _PIPES)
    if len(pipes) != _PIPES:
        return False
    questions, answers, ended = pipes
    pid = os.fork()
    if not pid:
        _be_reader(waiting, asked, questions, answers, ended)
    process = os.pidfd_open(pid)
    waiting.register(process, selectors.EVENT_READ, (pid, ended))
    os.close(questions)
    os.close(answers)
    socket.send_fds(asked, [PID.pack(pid)], [process])
    return True


def _be_reader(waiting: selectors.BaseSelector, asked: socket.socket, questions: int, answers: int, ended: int) -> None:
    """Never comes back. What belongs to the nursery and to other readers is closed first."""
    status = 1
    try:
        os.setsid()
        others = [key for key in waiting.get_map().values() if key.fileobj is not asked]
        for mine in (ended, *(key.fd for key in others), *(key.data[1] for key in others)):
            os.close(mine)
        waiting.close()
        asked.close()
        os.dup2(os.open(os.devnull, os.O_RDONLY), 0)
        child.main(questions, answers)
        status = 0
    finally:
        os._exit(status)


def _tell_how_it_ended(waiting: selectors.BaseSelector, key: selectors.SelectorKey) -> None:
    pid, ended = key.data
    _, status = os.waitpid(pid, 0)
    waiting.unregister(key.fileobj)
    os.close(key.fd)
    # Whoever had the file read may want to know no more.
    with suppress(BrokenPipeError):
        os.write(ended, STATUS.pack(os.waitstatus_to_exitcode(status)))
    os.close(ended)


if __name__ == "__main__":
    main()
