"""The same work done by Datorum in one process: the file to kept chunks and profile, mapped, checked, findings kept.

Prints seconds and the most memory held, for the process that measures.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from bench.million.mapping import customers, mapping
from bench.surroundings import read_in
from datorum.cli.check_file import peak_memory_mb
from datorum.stations import check
from datorum.store.database import session


def main(path: Path, tables: dict[str, dict[str, str]], site_id: int) -> None:
    began = time.perf_counter()
    with session() as store:
        import_id, rows = read_in(store, site_id, "customers", path, mapping(tables))
    read = time.perf_counter() - began
    with session() as store:
        result = check.check_import(store, "bench", import_id)
    figures = {
        "seconds": time.perf_counter() - began,
        "read": read,
        "memory": peak_memory_mb(),
        "import": import_id,
        "rows": rows,
        "findings": sum(group["count"] for group in result.groups),
        "fields": len(customers().writable),
    }
    print(json.dumps(figures))


if __name__ == "__main__":
    main(Path(sys.argv[1]), json.loads(sys.argv[2]), int(sys.argv[3]))
