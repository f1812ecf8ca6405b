"""The statements of ``sql/queries.sql`` by their names."""

from __future__ import annotations

import re
from importlib import resources

from sqlalchemy import TextClause, text

_NAME = re.compile(r"^-- ([a-z_]+) --\n(?:-- .+\n)*", re.MULTILINE)


def _read() -> dict[str, TextClause]:
    _, *parts = _NAME.split((resources.files("datorum.store") / "sql" / "queries.sql").read_text("utf-8"))
    return {
        name: text(statement.strip().removesuffix(";")) for name, statement in zip(parts[::2], parts[1::2], strict=True)
    }


QUERIES = _read()
