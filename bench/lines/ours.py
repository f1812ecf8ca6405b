"""The same work done by Datorum in one process, links looked for in kept snapshots. Prints figures as JSON."""

from __future__ import annotations

import json
import sys
import time
from pathlib import Path

from bench.surroundings import read_in
from datorum.cli.check_file import peak_memory_mb
from datorum.core.model import FieldMapping, LinkRule, Mapping
from datorum.core.shape.kinds import RowsTogether
from datorum.core.steps import Affix, ReadDate, ReadNumber, Trim
from datorum.stations import check, link_view
from datorum.stations.imports import open_import
from datorum.stations.ledger import Question, ledger
from datorum.store.database import session

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
    with session() as store:
        import_id, _ = read_in(store, site_id, "orders", path, mapping())
    read = time.perf_counter() - began
    with session() as store:
        result = check.check_import(store, "bench", import_id)
    seconds, memory = time.perf_counter() - began, peak_memory_mb()

    def look(question: Question) -> None:
        with session() as store:
            ledger(store, import_id, question)

    def link() -> None:
        with session() as store:
            now = open_import(store, import_id)
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
