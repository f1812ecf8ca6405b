"""``datorum serve``: the web application, with a worker beside it."""

from __future__ import annotations

import logging
import socket
import subprocess
import sys
import threading
import time
from typing import Annotated

import typer
import uvicorn

from datorum.api import create_app
from datorum.cli.database import connected
from datorum.cli.processes import LOG_FORMAT, interrupt_on_terminate, named_as_parent
from datorum.core.errors import DatorumError
from datorum.settings import settings


class PortInUse(DatorumError):
    """Another program listens where Datorum would."""

    code = "port-in-use"


def serve(
    worker: Annotated[bool, typer.Option(help="Start a worker beside the server.")] = True,
) -> None:
    """Serve the web application, with a worker process beside it."""
    logging.basicConfig(format=LOG_FORMAT, level=logging.WARNING)
    host, port = settings().host, settings().port
    _expect_free(host, port)
    interrupt_on_terminate()
    with connected(stop_at_end=True):
        beside = _WorkerProcess() if worker else None
        print(f"Datorum is at http://{host}:{port}", flush=True)
        try:
            # Addresses can hold search texts, so the access log stays off.
            uvicorn.run(create_app(), host=host, port=port, access_log=False, log_level="warning")
        finally:
            if beside:
                beside.stop()


class _WorkerProcess:
    """A worker process that is started again whenever it ends by itself."""

    def __init__(self) -> None:
        self._stopping = False
        self._process = self._start()
        threading.Thread(target=self._watch, daemon=True).start()

    def stop(self) -> None:
        self._stopping = True
        self._process.terminate()
        try:
            self._process.wait(15)
        except subprocess.TimeoutExpired:
            self._process.kill()

    def _start(self) -> subprocess.Popen[bytes]:
        # A session of its own, so that Ctrl-C reaches the server alone, which then ends the worker in order.
        return subprocess.Popen(
            [sys.executable, "-m", "datorum.cli", "worker"], start_new_session=True, env=named_as_parent()
        )

    def _watch(self) -> None:
        while not self._stopping:
            self._process.wait()
            if not self._stopping:
                logging.getLogger(__name__).warning("the worker ended; another is started")
                time.sleep(1)
                self._process = self._start()


def _expect_free(host: str, port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            raise PortInUse(
                f"Port {port} on {host} cannot be used: {error.strerror}.",
                remedy="Stop what listens there, or set DATORUM_PORT to another.",
            ) from error
