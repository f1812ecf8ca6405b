"""A share of more than all is no share: told where the record says that an amount is one."""

from __future__ import annotations

import datetime as dt

import polars as pl

from datorum.core.check import check
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType, Relation, RelationKind
from datorum.core.suggest.relations import relations_of
from datorum.core.table import FLAG, ROW

KIND = Field(path="kind", title="Kind", enum=("percent", "amount", "free shipping"))
AMOUNT = Field(path="amount", title="Amount", type=FieldType.NUMBER)
LEAST = Field(path="minimum_amount", title="Minimum", type=FieldType.NUMBER)
HELD = Relation(kind=RelationKind.SHARE, parts={"amount": "amount", "kind": "kind"}, confidence=0.85)


def test_an_amount_beside_a_kind_that_may_be_a_share_is_told_and_no_other() -> None:
    [found] = relations_of((KIND, AMOUNT, LEAST))
    assert found.model_copy(update={"why": ""}) == HELD
    assert relations_of((KIND.model_copy(update={"enum": ("small", "large")}), AMOUNT)) == ()
    # Of two amounts either may be meant.
    assert relations_of((KIND, AMOUNT, AMOUNT.model_copy(update={"path": "total"}))) == ()
    assert relations_of((KIND, AMOUNT.model_copy(update={"path": "line.amount"}))) == ()


def test_only_shares_are_held_to_a_hundred() -> None:
    kind = RecordType(name="offers", title="Offers", fields=(KIND, AMOUNT), relations=(HELD,))
    rows = pl.DataFrame({
        ROW: [2, 3, 4, 5, 6], FLAG: pl.Series([None] * 5, dtype=pl.String),
        "Kind": ["percent", "percent", "amount", "percent", None], "Worth": ["100", "150", "150", None, "900"],
    })  # fmt: skip
    mapping = Mapping(fields={"kind": FieldMapping(columns=("Kind",)), "amount": FieldMapping(columns=("Worth",))})
    found = check(rows, kind, mapping, dt.date(2026, 11, 29)).findings
    assert found.select("row", "field", "rule", "blocks").rows() == [(3, "amount", "more than all", True)]
