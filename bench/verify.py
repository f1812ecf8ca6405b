"""How long the reading back of 100,000 records takes that a run has created, beside the bare reading of the same ones
by the same client."""

from __future__ import annotations

import asyncio
import statistics
import time

import psycopg
from psycopg.types.json import Jsonb
from sqlalchemy import select, text

from bench.figures import report
from bench.served import many_rows
from bench.surroundings import new_import, surroundings
from datorum.core.plan import nest
from datorum.core.plan.frame import rows_of
from datorum.sites import SignIn, open_rest_site
from datorum.stations import rehearse, verify
from datorum.stations.basis import Target
from datorum.store import models, plan_items
from datorum.store.database import session
from tests.processes import TOKEN, StandIn

ROWS = 100_000
_TURNS = 3


def carried_out(site: StandIn, import_id: int) -> int:
    """A run of all that an import creates, as though it had been: what it sends is put on the site by the back door."""
    with session() as store:
        plan = rehearse.start_rehearsal(store, "bench", import_id)
    asyncio.run(rehearse.rehearse(plan.id))
    with session() as store, psycopg.connect(site.database_url) as connection:
        plan = store.get_one(models.Plan, plan.id)
        item = models.PlanItem
        creates = set(store.scalars(select(item.item).where(item.plan_id == plan.id, item.action == "create")))
        run = models.Run(plan_id=plan.id, state="done", started_by="bench", total=len(creates), done=len(creates))
        store.add(run)
        store.flush()
        places: dict[str, list[int]] = {}
        with connection.cursor().copy("COPY customer (body) FROM STDIN") as copy:
            for number in plan_items.chunk_numbers(store, plan.id):
                for row in rows_of(plan_items.chunk(store, plan.id, number)):
                    if row.item in creates:
                        copy.write_row([Jsonb(nest({path: one.after for path, one in row.changes.items()}))])
                        places.setdefault(str(row.key).lower(), []).append(row.item)
        connection.commit()
        there = connection.execute("SELECT id, lower(body->>'email') FROM customer").fetchall()
        done = [(number, str(record_id)) for record_id, email in there for number in places.get(email, [])]
        asked = text(
            "UPDATE plan_item i SET state = 'done', record_id = v.id, run_id = :run, ended_at = now()"
            " FROM unnest(cast(:items AS bigint[]), cast(:ids AS text[])) v(item, id)"
            " WHERE i.plan_id = :plan AND i.item = v.item"
        )
        told = {"run": run.id, "plan": plan.id, "items": [one for one, _ in done], "ids": [one for _, one in done]}
        store.execute(asked, told)
        return run.id


async def bare(target: Target) -> float:
    """The seconds that reading all records takes, with nothing done with them."""
    began = time.perf_counter()
    name = target.record_type.name
    async with open_rest_site(target.description, name, SignIn(token=TOKEN), allow_private=True) as reached:
        async for _ in reached.read_all():
            pass
    return time.perf_counter() - began


def main() -> None:
    with surroundings() as (site, demo):
        run_id = carried_out(site, new_import(site, many_rows(demo, ROWS)))
        with session() as store:
            target = Target.kept(store.get_one(models.Run, run_id).plan)
        anchors, ours = [], []
        for _ in range(_TURNS):
            anchors.append(asyncio.run(bare(target)))
            with session() as store:
                number = verify.start_verification(store, "bench", run_id).id
            began = time.perf_counter()
            asyncio.run(verify.verify(number))
            ours.append(time.perf_counter() - began)
            with session() as store:
                kept = verify.get_verification(store, number)
                assert kept.state == "done"
                print(f"  {kept.compared:,} records compared, {verify.count_mismatches(store, number):,} fields differ")
        report(f"the bare reading of {ROWS:,} records", anchors, "s", "the anchor")
        times = statistics.median(ours) / statistics.median(anchors)
        report("a verification of them", ours, "s", f"{times:.2f} x, bar 1.3 x, {'held' if times <= 1.3 else 'MISSED'}")


if __name__ == "__main__":
    main()
