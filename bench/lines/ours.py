"""The same work done by Datorum in one process, links looked for in kept snapshots. Prints figures as JSON."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from datorum.cli.check_file import peak_memory_mb
from datorum.core.model import FieldMapping, LinkRule, Mapping, Policy
from datorum.core.shape.kinds import RowsTogether
from datorum.core.steps import Affix, ReadDate, ReadNumber, Trim
from datorum.stations import check, link_view
from datorum.stations.files import opened
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.store import models
from datorum.store.database import session
from datorum.store.sheets import keep_sheet

_LINES = {"lines.product_sku": "SKU", "lines.name": "Article", "lines.quantity": "Qty", "lines.price": "Price each"}


def mapping() -> Mapping:
    """Each field with the step that its values need."""
    number = (ReadNumber(),)
    fields = {
        "number": FieldMapping(columns=("Order no.",)),
        "customer_id": FieldMapping(columns=("Customer e-mail",), steps=(Trim(),)),
        "placed_at": FieldMapping(
            columns=("Ordered",), steps=(ReadDate(pattern="DD.MM.YYYY"), Affix(behind="T00:00:00Z"))
        ),
        "status": FieldMapping(columns=("Status",)),
        "total": FieldMapping(columns=("Sum",), steps=number),
        "shipping_cost": FieldMapping(columns=("Postage",), steps=number),
        **{path: FieldMapping(columns=(name,)) for path, name in _LINES.items()},
    }
    shape = RowsTogether(key=("Order no.",), lines=tuple(_LINES.values()), into="lines")
    links = {"customer_id": LinkRule(by=("email",))}
    return Mapping(fields=fields, match_key="number", shape=(shape,), links=links)


def _milliseconds(work: object) -> float:
    began = time.perf_counter()
    work()  # type: ignore[operator]
    return 1000 * (time.perf_counter() - began)


def main(path: Path, site_id: int) -> None:
    began = time.perf_counter()
    with session() as store, opened(path, path.name) as file:
        site = store.get_one(models.Site, site_id)
        item = models.Import(
            name="lines", site_id=site_id, description_id=site.description_id, record_type="orders",
            policy=Policy().model_dump(), created_by="bench",
        )  # fmt: skip
        store.add(item)
        store.flush()
        original = models.Original(import_id=item.id, filename=path.name, size=path.stat().st_size, sha256="")
        store.add(original)
        store.flush()
        keep_sheet(store, original, file, file.guess())
        body = mapping().model_dump(mode="json")
        store.add(models.MappingVersion(import_id=item.id, version=1, body=body, created_by="bench"))
    read = time.perf_counter() - began
    with session() as store:
        result = check.check_import(store, "bench", item.id)
    seconds, memory = time.perf_counter() - began, peak_memory_mb()

    def look(question: Question) -> None:
        with session() as store:
            ledger(store, item.id, question)

    def link() -> None:
        with session() as store:
            now = open_import(store, item.id)
            link_view.inspect_link(store, now, "lines.product_sku", now.mapping)

    look(Question(records="first"))
    link()
    edited = mapping().model_copy(update={"parameters": {"a": "b"}})
    figures = {
        "seconds": seconds, "read": read, "memory": memory, "records": result.rows,
        "findings": sum(group["count"] for group in result.groups),
        "ledger": [_milliseconds(lambda n=n: look(Question(records="first", offset=n * 9_001, count=7)))
                   for n in range(1, 10)],
        "edited": [_milliseconds(lambda n=n: look(Question(records="first", offset=n, count=7, mapping=edited)))
                   for n in range(1, 6)],
        "link": [_milliseconds(link) for _ in range(5)],
    }  # fmt: skip
    print(json.dumps(figures))


if __name__ == "__main__":
    main(Path(sys.argv[1]), int(sys.argv[2]))
