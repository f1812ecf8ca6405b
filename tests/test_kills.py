"""Processes are killed at random moments while the site misbehaves: every record is there once, none is lost."""

from __future__ import annotations

from bench.kill import Kills, survive
from datorum.store.cluster import LocalCluster
from demo.data import CustomersDemo
from tests.conftest import HOME
from tests.processes import Served, StandIn, free_ports


def test_nothing_is_lost_or_done_twice_whatever_is_killed(
    stand_in: StandIn, site: StandIn, demo: CustomersDemo
) -> None:
    cluster = LocalCluster(HOME / "killed")
    cluster.destroy()
    cluster.start()
    try:
        with (
            Served(cluster.url("datorum"), HOME, free_ports(1)[0], stand_in) as served,
            served.signed_in("ada") as client,
        ):
            kills = [Kills(2, 1, 1), Kills(1, 0, 0), Kills(1, 0, 0), Kills(1, 0, 0)]
            survive(served, cluster, site, client, 150, kills, stall_ms=4_000, delay_ms=150,
                    patience=240)  # fmt: skip
    finally:
        cluster.destroy()
