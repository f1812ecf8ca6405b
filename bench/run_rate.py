"""How fast a run sends records, beside a bare aiohttp loop that sends the same bodies to the same endpoint."""

from __future__ import annotations

import asyncio
import itertools
import statistics
import time

import aiohttp
import orjson
from sqlalchemy import select

from bench.figures import told
from bench.surroundings import new_import, surroundings
from datorum.core.plan import nest
from datorum.settings import settings
from datorum.stations import rehearse, run
from datorum.store.database import session
from datorum.store.models import StoredPlanRow
from tests.processes import TOKEN, StandIn

ROUNDS = 5


async def bare(url: str, bodies: list[bytes]) -> float:
    """Requests a second of the plainest loop: as many tasks as a run has, each sending the next body."""
    queue = iter(bodies)
    headers = {"Authorization": f"Bearer {TOKEN}", "Content-Type": "application/json"}
    connector = aiohttp.TCPConnector(limit=settings().concurrency)
    async with aiohttp.ClientSession(headers=headers, connector=connector) as http:

        async def send() -> None:
            for body in queue:
                async with http.post(url, data=body, params={"notify": "false"}) as response:
                    assert response.status == 201, await response.text()
                    await response.read()

        began = time.perf_counter()
        await asyncio.gather(*(send() for _ in range(settings().concurrency)))
        return len(bodies) / (time.perf_counter() - began)


def datorum(import_id: int) -> tuple[float, list[bytes]]:
    """Requests a second of a run of creates from its first claim to its last outcome kept, and the bodies it sent."""
    with session() as store:
        plan_id = rehearse.start_rehearsal(store, "bench", import_id).id
    asyncio.run(rehearse.rehearse(plan_id))
    with session() as store:
        run_id = run.start_run(store, "bench", plan_id).id
        creates = select(StoredPlanRow.changes).where(
            StoredPlanRow.plan_id == plan_id, StoredPlanRow.action == "create"
        )
        bodies = [orjson.dumps(nest({p: c["after"] for p, c in row.items()})) for row in store.scalars(creates)]
    began = time.perf_counter()
    asyncio.run(run.carry_out(run_id))
    return len(bodies) / (time.perf_counter() - began), bodies


def main() -> None:
    with surroundings() as (site, demo):
        import_id = new_import(site, demo.csv)
        rates: dict[str, list[float]] = {"datorum": [], "bare": []}
        for number in itertools.count():
            _empty(site)
            rate, bodies = datorum(import_id)
            _empty(site)
            anchor = asyncio.run(bare(f"{site.url}/api/customers", bodies))
            # The first round warms both sides and does not count.
            if number:
                rates["datorum"].append(rate)
                rates["bare"].append(anchor)
            if number == ROUNDS:
                break
        share = [100 * ours / theirs for ours, theirs in zip(rates["datorum"], rates["bare"], strict=True)]
        told("a bare aiohttp loop", rates["bare"], "r/s", "the anchor")
        told("a run, every outcome kept", rates["datorum"], "r/s", "80 % of the anchor")
        told(
            "the run's share of the anchor",
            share,
            "%",
            f"80 %, {'held' if statistics.median(share) >= 80 else 'MISSED'}",
        )


def _empty(site: StandIn) -> None:
    """An empty site, so that every row is a create."""
    kept, site.on_site = site.on_site, []
    site.reset()
    site.on_site = kept


if __name__ == "__main__":
    main()
