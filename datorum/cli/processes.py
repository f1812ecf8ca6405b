"""Processes that belong together."""

from __future__ import annotations

import ctypes
import signal

_PR_SET_PDEATHSIG = 1


def end_with_parent() -> None:
    """For ``preexec_fn``: the child is told to end when its parent is gone, however the parent ended (Linux prctl)."""
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def interrupt_on_terminate() -> None:
    """Let SIGTERM and SIGINT both end this process in order, by KeyboardInterrupt.

    Set by hand, since a shell that starts a process in the background has it ignore Ctrl-C, and since uvicorn raises
    the signal once more when it has shut down.
    """
    signal.signal(signal.SIGINT, signal.default_int_handler)
    signal.signal(signal.SIGTERM, signal.default_int_handler)
