"""How long a suggestion takes for 40 columns and 60 fields, their profiles being known."""

from __future__ import annotations

import time

import polars as pl

from bench.figures import report
from bench.suggestions.measure import header_sets
from bench.suggestions.sites import record_type
from datorum.core.model import RecordType
from datorum.core.profile import profile
from datorum.core.suggest import suggest

ROUNDS = 9


def main() -> None:
    kinds = [record_type("a", name) for name in ("orders", "products", "customers", "coupons")]
    fields = {field.path: field for kind in kinds for field in kind.fields}
    kind = RecordType(name="orders", title="Orders", fields=tuple(fields.values())[:60])
    frames = [one.frame for one in header_sets() if one.title.startswith(("orders", "products"))]
    columns = {name: frame[name] for frame in frames for name in frame.columns}
    frame = pl.DataFrame(dict(list(columns.items())[:42]))
    profiles = profile(frame)

    def once() -> float:
        began = time.perf_counter()
        suggest(kind, frame, profiles)
        return 1000 * (time.perf_counter() - began)

    took = [once() for _ in range(ROUNDS)]
    report(f"suggest for {len(profiles)} columns, {len(kind.fields)} fields", took, "ms", "300 ms")


if __name__ == "__main__":
    main()
