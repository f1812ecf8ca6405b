"""Checks find every planted fault and nothing else."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest

from datorum.core.check import as_findings, check, group_findings
from datorum.core.model import Field, FieldMapping, FieldType, Mapping, RecordType
from datorum.core.profile import profile
from datorum.core.suggest import suggest
from datorum.core.table import Sheet, guess_dialect, read_csv
from demo.data import CustomersDemo

TODAY = dt.date(2026, 11, 23)


def breaks(field: Field, value: str | None) -> list[str]:
    """The rules that one landed value breaks."""
    frame = read_csv(b"v\n?\n", guess_dialect(b"v\n?\n")).frame.with_columns(pl.lit(value, pl.String).alias("v"))
    kind = RecordType(name="things", title="Things", fields=(field,))
    found = check(frame, kind, Mapping(fields={field.path: FieldMapping(columns=("v",))}), TODAY)
    return [finding.rule for finding in as_findings(found.findings)]


def field(kind: FieldType = FieldType.TEXT, **constraints: object) -> Field:
    return Field.model_validate({"path": "f", "title": "F", "type": kind, **constraints})


@pytest.mark.parametrize(
    ("constrained", "value", "rules"),
    [
        (field(required=True), None, ["required"]),
        (field(required=True), "  ", ["required"]),
        (field(max_length=3), None, []),
        (field(max_length=3), "åæø", []),
        (field(max_length=3), "åæøé", ["longest"]),
        (field(min_length=2), "a", ["shortest"]),
        (field(pattern="^[A-Z]+$"), "abc", ["pattern"]),
        (field(pattern="(?<=a)b"), "cab", []),
        (field(pattern="(?<=a)b"), "anything", ["pattern"]),
        (field(enum=("a", "b")), "c", ["enum"]),
        (field(FieldType.INTEGER), "12", []),
        (field(FieldType.INTEGER), "12.0", []),
        (field(FieldType.INTEGER), "12.5", ["type"]),
        (field(FieldType.INTEGER, minimum=1), "0", ["range"]),
        (field(FieldType.NUMBER, minimum=0, maximum=10), "10", []),
        (field(FieldType.NUMBER, maximum=10), "10.01", ["range"]),
        (field(FieldType.BOOLEAN), "yes", ["type"]),
        (field(FieldType.BOOLEAN), "true", []),
        (field(FieldType.DATE, format="date"), "2024-02-29", []),
        (field(FieldType.DATE, format="date"), "2023-02-29", ["format"]),
        (field(FieldType.DATE, format="date", path="joined_at"), "2031-01-01", ["in the future"]),
        (field(FieldType.DATE, format="date", path="dateOfBirth"), "2031-01-01", ["in the future"]),
        (field(FieldType.DATE, format="date", path="best_before"), "2031-01-01", []),
        (field(FieldType.DATE, format="date", path="offer.ends"), "2031-01-01", []),
        (field(FieldType.DATE_TIME, format="date-time"), "2019-02-03T14:10:00Z", []),
        (field(FieldType.DATE_TIME, format="date-time"), "2019-02-03 14:10", ["format"]),
        (field(format="email"), "ada@example.org", []),
        (field(format="email"), "åse@bjørkvik.example", []),
        (field(format="email"), '"ada corfield"@example.org', ["format"]),
        (field(format="email"), "ada..corfield@example.org", ["format"]),
        (field(format="email"), "ada@example", ["format"]),
        (field(format="uri"), "https://quillmoss.example/rye", []),
        (field(format="uri"), "quillmoss rye", ["format"]),
        (field(format="ipv4"), "10.0.0.256", ["format"]),
    ],
)
def test_a_value_against_its_field(constrained: Field, value: str | None, rules: list[str]) -> None:
    assert breaks(constrained, value) == rules


def test_the_demo_holds_exactly_the_planted_faults(demo: CustomersDemo, sheet: Sheet, customers: RecordType) -> None:
    mapping = suggest(customers, sheet.frame, profile(sheet.frame))
    found = check(sheet.frame, customers, mapping, TODAY)
    by_rule: dict[tuple[str, str], list[int]] = {}
    for finding in as_findings(found.findings):
        by_rule.setdefault((finding.field, finding.rule), []).append(finding.row)
    manifest = demo.manifest
    assert {key: sorted(rows) for key, rows in by_rule.items()} == {
        ("email", "format"): manifest.bad_email,
        ("email", "same key twice"): manifest.duplicate_email,
        ("joined_at", "step"): manifest.impossible_date,
        ("plan", "no value set"): manifest.unknown_tier,
        ("name", "longest"): manifest.name_too_long,
        ("birth_date", "placeholder"): manifest.epoch_birth_date,
    }
    assert set(found.held_records) == manifest.held
    assert found.ready + found.held == found.rows == manifest.rows


def test_groups_count_what_the_findings_say(demo: CustomersDemo, sheet: Sheet, customers: RecordType) -> None:
    mapping = suggest(customers, sheet.frame, profile(sheet.frame))
    found = check(sheet.frame, customers, mapping, TODAY)
    groups = group_findings(found.findings, customers)
    assert sum(group.count for group in groups) == found.findings.height
    assert [group.count for group in groups] == sorted((group.count for group in groups), reverse=True)
    tiers = next(group for group in groups if group.field == "plan")
    assert dict(tiers.values) == {"Bonsai": 3, "Hedge": 3}


def test_of_two_rows_with_one_key_the_first_may_go() -> None:
    frame = read_csv(b"mail\nada@example.org\nADA@example.org\nbo@example.org\n", guess_dialect(b"mail\na@b.c\n")).frame
    email = Field(path="email", title="E-mail", format="email", unique=True)
    kind = RecordType(name="people", title="People", fields=(email,))
    mapping = Mapping(fields={"email": FieldMapping(columns=("mail",))}, match_key="email")
    found = as_findings(check(frame, kind, mapping, TODAY).findings)
    assert [(one.row, one.message) for one in found] == [(3, "is the same as in row 2")]


def test_a_required_field_that_nothing_feeds_holds_every_row(sheet: Sheet, customers: RecordType) -> None:
    assert check(sheet.frame, customers, Mapping(), TODAY).ready == 0


def test_a_row_of_the_wrong_width_is_held() -> None:
    data = b"a,b\n1,2\n1\n"
    kind = RecordType(name="t", title="T", fields=(field(),))
    found = check(read_csv(data, guess_dialect(data)).frame, kind, Mapping(), TODAY)
    assert [(one.row, one.field, one.message) for one in as_findings(found.findings)] == [
        (3, "", "has fewer cells than the header")
    ]
