"""Processes that belong together."""

from __future__ import annotations

import ctypes
import os
import signal
import sys

_PR_SET_PDEATHSIG = 1
_PARENT = "DATORUM_PARENT"
LOG_FORMAT = "%(asctime)s %(levelname)s %(name)s: %(message)s"


def end_with_parent() -> None:
    """Have this process told to end when its parent is gone, however the parent ended (Linux prctl)."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def named_as_parent() -> dict[str, str]:
    """The environment for a process that is to end with this one."""
    return {**os.environ, _PARENT: str(os.getpid())}


def end_with_named_parent() -> None:
    """End with the process that started this one, if it wished so; at once where that is gone already."""
    parent = os.environ.get(_PARENT)
    if parent is None:
        return
    end_with_parent()
    if os.getppid() != int(parent):
        sys.exit(0)


def interrupt_on_terminate() -> None:
    """Let SIGTERM and SIGINT both end this process in order, by KeyboardInterrupt.

    Set by hand, since a shell that starts a process in the background has it ignore Ctrl-C, and since uvicorn raises
    the signal once more when it has shut down.
    """
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGTERM, signal.default_int_handler)
