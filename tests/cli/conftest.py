"""Commands as one types them, carried out in this process: what they print, and how they end."""

from __future__ import annotations

import sys
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import pytest

from datorum.cli import main
from demo.data import CustomersDemo
from tests.processes import TOKEN, StandIn


@dataclass(frozen=True)
class Said:
    """What a command printed."""

    out: str
    error: str


Datorum = Callable[..., Said]


@pytest.fixture
def datorum(capfd: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch) -> Datorum:
    """Carry out a command, which must end with ``status``."""
    # What is printed as a table is cut to the width of a terminal.
    monkeypatch.setenv("COLUMNS", "200")

    def carry_out(*arguments: object, status: int = 0) -> Said:
        monkeypatch.setattr(sys, "argv", ["datorum", *(str(one) for one in arguments)])
        capfd.readouterr()
        with pytest.raises(SystemExit) as ended:
            main()
        sys.stdout.flush()
        out, error = capfd.readouterr()
        assert (ended.value.code or 0) == status, f"{arguments} ended with {ended.value.code}: {out}{error}"
        return Said(out, error)

    return carry_out


@pytest.fixture
def connected(database: None, site: StandIn, datorum: Datorum) -> str:
    """The name of a site that was connected by the command."""
    assert "is connected" in datorum("site", "connect", "Quillmoss", site.description_url, "--token", TOKEN).out
    return "Quillmoss"


@pytest.fixture
def file(demo: CustomersDemo, tmp_path: Path) -> Path:
    """The first 400 lines of the demo sheet."""
    path = tmp_path / "customers.csv"
    path.write_text("".join(demo.csv.decode().splitlines(keepends=True)[:400]))
    return path


@pytest.fixture
def number(connected: str, file: Path, datorum: Datorum) -> str:
    """An import of that file."""
    return datorum("import", file, "--site", connected, "--type", "customers").out.strip()
