"""Writes the web client's API types from the server's OpenAPI document; ``--check`` tells whether they are fresh."""

from __future__ import annotations

import argparse
import json
import subprocess
import sys
import tempfile
from pathlib import Path

from datorum.api import create_app

WEB = Path(__file__).parents[1] / "web"
TYPES = WEB / "src" / "api" / "schema.d.ts"


def generate() -> str:
    """The types as TypeScript, formatted."""
    with tempfile.TemporaryDirectory() as folder:
        document, types = Path(folder) / "openapi.json", Path(folder) / "schema.d.ts"
        document.write_text(json.dumps(create_app().openapi()))
        programs = WEB / "node_modules" / ".bin"
        subprocess.run([programs / "openapi-typescript", document, "-o", types], check=True, capture_output=True)  # noqa: S603
        formatted = subprocess.run(  # noqa: S603
            [programs / "prettier", "--config", WEB / ".prettierrc.json", "--stdin-filepath", "schema.d.ts"],
            input=types.read_text(),
            check=True,
            capture_output=True,
            text=True,
        )
        return formatted.stdout


def main() -> None:
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--check", action="store_true")
    fresh = generate()
    if not parser.parse_args().check:
        TYPES.parent.mkdir(parents=True, exist_ok=True)
        TYPES.write_text(fresh)
    elif TYPES.read_text() != fresh:
        sys.exit("web/src/api/schema.d.ts is not what the API says now. Run: .venv/bin/python -m scripts.api_types")


if __name__ == "__main__":
    main()
