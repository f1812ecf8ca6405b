"""Runs every benchmark, or those whose names are given."""

from __future__ import annotations

import sys

from bench import check_and_edit, run_rate

_ALL = {"run": run_rate.main, "check": check_and_edit.main}

for name in sys.argv[1:] or _ALL:
    _ALL[name]()
