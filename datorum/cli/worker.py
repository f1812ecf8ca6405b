"""``datorum worker``: background work."""

from __future__ import annotations

import logging

import uvloop

from datorum.cli.database import connected
from datorum.cli.processes import LOG_FORMAT, end_with_named_parent
from datorum.jobs import work


def worker() -> None:
    """Do background work: rehearsals, runs and verifications. More machines can each run one."""
    logging.basicConfig(format=LOG_FORMAT, level=logging.WARNING)
    end_with_named_parent()
    with connected():
        uvloop.run(work())
