"""Runs every benchmark, or those whose names are given."""

from __future__ import annotations

import sys

from bench import (
    check_and_edit,
    cut_off,
    hostile,
    kill,
    people,
    people_at_run,
    reading,
    rehearsal,
    run_rate,
    snapshot,
    verify,
)
from bench.lines import measure as lines
from bench.million import measure as million
from bench.suggestions import apart, measure, recognised, speed

_ALL = {
    "people": people.main,
    "people-run": people_at_run.main,
    "hostile": hostile.main,
    "run": run_rate.main,
    "check": check_and_edit.main,
    "reading": reading.main,
    "snapshot": snapshot.main,
    "rehearsal": rehearsal.main,
    "verify": verify.main,
    "kill": kill.main,
    "cut-off": cut_off.main,
    "million": million.main,
    "lines": lines.main,
    "suggest": speed.main,
    "mapping": measure.main,
    "apart": apart.main,
    "recognised": recognised.main,
}

for name in sys.argv[1:] or _ALL:
    _ALL[name]()
