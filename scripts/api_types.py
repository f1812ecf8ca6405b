"""Writes what the web client has of the server: the API's types, and the forms of steps and shapes. ``--check`` tells
whether they are fresh."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any, get_args

from datorum.api import create_app
from datorum.core.forms import form_of
from datorum.core.shape.kinds import AnyShape
from datorum.core.steps import STEP_GROUPS, AnyStep

WEB = Path(__file__).parents[1] / "web"
TYPES = WEB / "src" / "api" / "schema.d.ts"
PROGRAMS = WEB / "node_modules" / ".bin"
FORMS = WEB / "src" / "api" / "forms.json"


def _kinds(union: Any) -> tuple[Any, ...]:
    return get_args(get_args(union)[0])


def forms() -> str:
    """The steps and shapes with what can be set of each, as JSON."""
    told = {
        "groups": STEP_GROUPS,
        "steps": [form_of(kind) for kind in _kinds(AnyStep)],
        "shapes": [form_of(kind) for kind in _kinds(AnyShape)],
    }
    return _formatted(json.dumps(told, ensure_ascii=False), FORMS.name)


def generate() -> str:
    """The types as TypeScript, formatted."""
    with tempfile.TemporaryDirectory() as folder:
        document, types = Path(folder) / "openapi.json", Path(folder) / "schema.d.ts"
        document.write_text(json.dumps(create_app().openapi()))
        subprocess.run([PROGRAMS / "openapi-typescript", document, "-o", types], check=True, capture_output=True)  # noqa: S603
        return _formatted(types.read_text(), TYPES.name)


def _formatted(text: str, name: str) -> str:
    command = [PROGRAMS / "prettier", "--config", WEB / ".prettierrc.json", "--stdin-filepath", name]
    return subprocess.run(command, input=text, check=True, capture_output=True, text=True).stdout  # noqa: S603


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true")
    fresh = {TYPES: generate(), FORMS: forms()}
    check = parser.parse_args().check
    for path, text in fresh.items():
        if not check:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_text(text)
        elif path.read_text() != text:
            sys.exit(f"{path.name} is not what the server says now. Run: .venv/bin/python -m scripts.api_types")


if __name__ == "__main__":
    main()
