"""Two workers share a run, one of them in a network of its own (ip-netns(8)) that is cut off in the middle of it and
comes back: every record is there once. To be run as root."""

from __future__ import annotations

import asyncio
import contextlib
import os
import shutil
import subprocess
import sys
import threading
import time
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager
from urllib.parse import urlsplit

from bench.kill import Import
from bench.served import imported as began
from bench.served import many_rows, served_datorum
from demo.data import generate_customers

ROWS = 12_000
_NAME, _OUTSIDE, _INSIDE = "datorum-apart", "10.213.7.1", "10.213.7.2"
_CABLE, _OTHER_END = "datorum-a", "datorum-b"
_CUT_FOR = 50.0
_AGREED = ["mail", "snapshot", "backup", "columns", "pilot", "linked imports", "disk", "site"]


def _ip(*words: str) -> None:
    subprocess.run(["ip", *words], check=True)


@contextmanager
def network_of_its_own() -> Iterator[None]:
    """A network namespace, with a cable from it to here."""
    _ip("netns", "add", _NAME)
    try:
        _ip("link", "add", _CABLE, "type", "veth", "peer", "name", _OTHER_END, "netns", _NAME)
        _ip("addr", "add", f"{_OUTSIDE}/30", "dev", _CABLE)
        _ip("link", "set", _CABLE, "up")
        _ip("-n", _NAME, "addr", "add", f"{_INSIDE}/30", "dev", _OTHER_END)
        _ip("-n", _NAME, "link", "set", _OTHER_END, "up")
        _ip("-n", _NAME, "link", "set", "lo", "up")
        yield
    finally:
        with contextlib.suppress(subprocess.CalledProcessError):
            _ip("netns", "del", _NAME)


async def forward(listens: str, to: str, ports: list[int]) -> None:
    """Hand on whatever comes in at some ports of one address to the same ports of another."""

    async def pipe(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        with contextlib.suppress(OSError):
            while data := await reader.read(65_536):
                writer.write(data)
                await writer.drain()
        writer.close()

    def at(port: int) -> object:
        async def joined(reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
            try:
                there, back = await asyncio.open_connection(to, port)
            except OSError:
                writer.close()
                return
            await asyncio.gather(pipe(reader, back), pipe(there, writer))

        return joined

    servers = [await asyncio.start_server(at(port), listens, port) for port in ports]  # type: ignore[arg-type]
    await asyncio.gather(*(server.serve_forever() for server in servers))


@contextmanager
def forwarding(inside: bool, ports: list[int]) -> Iterator[None]:
    """Forward from the cable to this machine's loopback, or, inside, from its loopback to the cable."""
    ends = ("127.0.0.1", _OUTSIDE) if inside else (_OUTSIDE, "127.0.0.1")
    command = [sys.executable, "-m", "bench.cut_off", *ends, *map(str, ports)]
    process = subprocess.Popen(["ip", "netns", "exec", _NAME, *command] if inside else command)
    try:
        yield
    finally:
        process.terminate()
        process.wait(20)


def main() -> None:
    if os.geteuid() != 0 or shutil.which("ip") is None:
        print("two networks: to be run as root, with iproute2")
        return
    demo = generate_customers()
    with served_datorum([]) as (site, served, client):
        ports = [urlsplit(served.database_url).port or 5432, site.port]
        site.take_duplicates()
        one = Import(client, began(client, many_rows(demo, ROWS)))
        planned = one.rehearsed()
        total = planned["counts"]["create"]
        with network_of_its_own(), forwarding(False, ports), forwarding(True, ports):
            time.sleep(2)
            command = ["ip", "netns", "exec", _NAME, sys.executable, "-m", "datorum.cli", "worker"]
            apart = subprocess.Popen(command, env={**os.environ, **served.environment})
            time.sleep(6)
            one.ask("POST", "/runs", {"agreed": _AGREED})
            most = 0

            def cut_off() -> None:
                nonlocal most
                while one.share() < 0.2:
                    most = max(most, int(one.run()["workers"]))
                    time.sleep(0.2)
                _ip("link", "set", _CABLE, "down")
                print(f"  cut off at {one.share():.0%}, with {most} workers at it")
                time.sleep(_CUT_FOR)
                _ip("link", "set", _CABLE, "up")

            thread = threading.Thread(target=cut_off)
            thread.start()
            begins = time.perf_counter()
            done = one.until_done(900)
            took = time.perf_counter() - begins
            thread.join()
            apart.terminate()
            apart.wait(60)
            there = Counter(str(body["email"]).lower() for body in site.bodies())
    assert most == 2, f"{most} workers took part"
    assert (done["state"], done["done"], done["failed"]) == ("done", total, 0), done
    assert (len(there), set(there.values())) == (total, {1})
    print(f"{total:,} records, one of two workers cut off for {_CUT_FOR:.0f} s: {took:.0f} s; every one there once")


if __name__ == "__main__":
    if len(sys.argv) > 1:
        asyncio.run(forward(sys.argv[1], sys.argv[2], [int(port) for port in sys.argv[3:]]))
    else:
        main()
