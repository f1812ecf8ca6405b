"""Damaged files by the thousand, and requests by the hundred for every operation of the API."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

from tests import mutated

FILES = 10_000
EXAMPLES = 100


def main() -> None:
    counts = mutated.main(FILES)
    odd = sum(count for outcome, count in counts.items() if outcome not in ("read", "refused", "ended"))
    print(f"exceptions that are not Datorum's own           {odd:10,}        bar: 0, {'MISSED' if odd else 'held'}")
    held = _tests("tests/api/test_any_input.py", DATORUM_EXAMPLES=str(EXAMPLES))
    print(f"requests of each operation, valid and invalid   {EXAMPLES:10,}        bar: no answer of 5xx, {held}")
    held = _tests("tests/core", DATORUM_EXAMPLES_ARE="others")
    print(f"properties of the core, by other examples                         bar: all hold, {held}")


def _tests(path: str, **environment: str) -> str:
    command = [sys.executable, "-m", "pytest", "-q", "-n", "2", path]
    done = subprocess.run(command, cwd=Path(__file__).parents[1], env={**os.environ, **environment}, check=False)
    return "MISSED" if done.returncode else "held"


if __name__ == "__main__":
    main()
