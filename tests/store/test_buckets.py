"""Records come out in the order of their places, wherever they waited meanwhile."""

from __future__ import annotations

import numpy as np
import polars as pl
import pytest

from datorum.store import buckets
from datorum.store.buckets import Buckets


@pytest.mark.parametrize("room", [0, 900, buckets._IN_MEMORY])
def test_what_is_put_in_any_order_is_taken_in_that_of_the_places(monkeypatch: pytest.MonkeyPatch, room: int) -> None:
    monkeypatch.setattr(buckets, "_IN_MEMORY", room)
    places = np.random.default_rng(7).permutation(100)[:80]
    with Buckets(np.array([0, 30, 30, 70, 100])) as kept:
        for begins in range(0, 80, 16):
            some = places[begins : begins + 16]
            kept.put(pl.DataFrame({"said": [f"at {place}" for place in some]}), some)
        taken = [kept.take(number) for number in range(4)]
    assert taken[1][0] is None
    found: list[int] = []
    for begins, (frame, within) in zip((0, 30, 30, 70), taken, strict=True):
        if frame is not None:
            assert frame["said"].to_list() == [f"at {begins + place}" for place in within]
        found += (begins + within).tolist()
    assert found == sorted(places.tolist())
