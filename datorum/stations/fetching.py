"""Files fetched from the addresses that an import's values name: each once, a few at a time."""

from __future__ import annotations

import asyncio
import tempfile
from pathlib import Path

from sqlalchemy.orm import Session

from datorum.core.errors import DatorumError
from datorum.settings import settings
from datorum.sites.files import Fetcher, each_in_turn, open_fetcher
from datorum.stations import work
from datorum.stations.at_rest import must_be_at_rest
from datorum.stations.imports import get_import, open_import
from datorum.stations.named_files import must_name_addresses
from datorum.store import contents, models
from datorum.store.contents import Owner
from datorum.store.database import session
from datorum.store.people import record

_AT_ONCE = 8


def start_fetching(store: Session, by: str, import_id: int) -> models.Work:
    """Have the files fetched that an import's values name by their addresses. Raises NotReady where there are none."""
    must_be_at_rest(store, get_import(store, import_id))
    must_name_addresses(store, open_import(store, import_id))
    record(store, by, "files fetched", f"import {import_id}")
    return work.ask(store, "fetch", import_id, by, import_id=import_id)


def stop_fetching(store: Session, by: str, import_id: int) -> None:
    """Have the fetching stop; what was fetched is kept."""
    get_import(store, import_id)
    work.stop(store, "fetch", import_id)
    record(store, by, "fetching stopped", f"import {import_id}")


async def fetch(import_id: int) -> None:
    """Fetch what is still to be fetched. A file that cannot be had is known with the reason."""
    with work.doing("fetch", import_id) as now:
        if now is not None:
            await _fetch(import_id, now)


async def _fetch(import_id: int, doing: work.Doing) -> None:
    def wanted() -> list[str]:
        with session() as store:
            return must_name_addresses(store, open_import(store, import_id))

    addresses = await asyncio.to_thread(wanted)
    done = 0
    with tempfile.TemporaryDirectory(prefix="datorum-", dir=settings().limits.scratch) as scratch:
        async with open_fetcher(allow_private=settings().allow_private_sites, connections=_AT_ONCE) as fetcher:

            async def one(address: str, number: int) -> None:
                nonlocal done
                await _one(fetcher, import_id, address, Path(scratch) / str(number))
                done += 1
                await asyncio.to_thread(doing.tell, done, len(addresses))

            await each_in_turn(addresses, _AT_ONCE, one)


async def _one(fetcher: Fetcher, import_id: int, address: str, target: Path) -> None:
    """Fetch one file, and keep it or why it cannot be had."""
    owner = Owner(import_id)
    try:
        await fetcher.fetch(address, target, settings().file_bytes)
    except DatorumError as error:
        why = f"cannot be fetched: {error.message.rstrip('.')}"
        await asyncio.to_thread(_note, owner, address, why)
        return
    await asyncio.to_thread(_keep, owner, address, target)


def _note(owner: Owner, address: str, why: str) -> None:
    with session() as store:
        contents.replace_named(store, owner, address, "", None, why)


def _keep(owner: Owner, address: str, target: Path) -> None:
    with session() as store:
        contents.keep_named(store, owner, address, target)
