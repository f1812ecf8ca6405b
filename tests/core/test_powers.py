"""Nobody becomes an administrator by a sheet, unless somebody says by name that this is meant."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest

from datorum.core.check import Acceptance, Checker
from datorum.core.check.powers import GIVES_POWER, gives_power
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType
from datorum.core.said import is_acceptable
from datorum.core.shape.whole import shaped
from datorum.core.table import FLAG, ROW


@pytest.mark.parametrize(
    ("path", "kind", "value", "held"),
    [
        ("role", FieldType.TEXT, "administrator", True),
        ("role", FieldType.TEXT, "Site Owner", True),
        ("role", FieldType.TEXT, "shop_manager", False),
        ("role", FieldType.TEXT, "subscriber", False),
        ("role", FieldType.TEXT, "administrative assistant", False),
        ("account.roles", FieldType.LIST, '["editor", "admin"]', True),
        ("userGroups", FieldType.LIST, '["growers"]', False),
        ("is_superuser", FieldType.BOOLEAN, "true", True),
        ("is_superuser", FieldType.BOOLEAN, "false", False),
        ("newsletter", FieldType.BOOLEAN, "true", False),
        # What is said of somebody gives no power.
        ("job_title", FieldType.TEXT, "administrator", False),
        ("bio", FieldType.TEXT, "I am the owner of a bakery", False),
        ("role", FieldType.TEXT, None, False),
    ],
)
def test_what_gives_power(path: str, kind: FieldType, value: str | None, held: bool) -> None:
    field = Field(path=path, title=path, type=kind)
    assert gives_power(field, pl.Series([value], dtype=pl.String)).to_list() == [held]


def _held(*accepted: Acceptance) -> list[int]:
    kind = RecordType(name="users", title="Users", fields=(Field(path="role", title="Role"),))
    mapping = Mapping(fields={"role": FieldMapping(columns=("Level",))})
    rows = {ROW: [2, 3, 4], FLAG: [None] * 3, "Level": ["editor", "Administrator", "admin"]}
    frame = pl.DataFrame(rows, schema_overrides={FLAG: pl.String})
    checker = Checker(kind, mapping, dt.date(2026, 11, 29), accepted=accepted)
    checker.add(checker.check_part(shaped((), frame)))
    return [int(record) for record in checker.held_records]


def test_it_holds_until_it_is_accepted_by_name_in_a_row_or_for_good() -> None:
    assert is_acceptable(GIVES_POWER)
    assert _held() == [3, 4]
    assert _held(Acceptance("role", GIVES_POWER, 3)) == [4]
    assert _held(Acceptance("role", GIVES_POWER, None)) == []
