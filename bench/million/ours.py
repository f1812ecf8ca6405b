"""The same work done by Datorum in one process: the file to kept chunks and profile, mapped, checked, findings kept.

Prints seconds and the most memory held, for the process that measures.
"""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from bench.million.mapping import customers, mapping
from datorum.cli.check_file import peak_memory_mb
from datorum.core.model import Policy
from datorum.stations import check
from datorum.stations.files import opened
from datorum.store import models
from datorum.store.database import session
from datorum.store.sheets import keep_sheet


def main(path: Path, tables: dict[str, dict[str, str]], site_id: int) -> None:
    began = time.perf_counter()
    with session() as store, opened(path, path.name) as file:
        item = models.Import(
            name="million", site_id=site_id, record_type="customers", policy=Policy().model_dump(), created_by="bench"
        )
        store.add(item)
        store.flush()
        # The untouched original is kept as well, by copying its bytes, which the other side has no part in.
        original = models.Original(import_id=item.id, filename=path.name, size=path.stat().st_size, sha256="")
        store.add(original)
        store.flush()
        stored, _ = keep_sheet(store, original, file, file.guess())
        body = mapping(tables).model_dump(mode="json")
        store.add(models.MappingVersion(import_id=item.id, version=1, body=body, created_by="bench"))
    read = time.perf_counter() - began
    with session() as store:
        result = check.check_import(store, "bench", item.id)
    figures = {
        "seconds": time.perf_counter() - began,
        "read": read,
        "memory": peak_memory_mb(),
        "import": item.id,
        "rows": stored.rows,
        "findings": sum(group["count"] for group in result.groups),
        "fields": len(customers().writable),
    }
    print(json.dumps(figures))


if __name__ == "__main__":
    main(Path(sys.argv[1]), json.loads(sys.argv[2]), int(sys.argv[3]))
