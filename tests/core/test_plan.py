"""The plan says for every row what will happen, and only that."""

from __future__ import annotations

import datetime as dt
from dataclasses import replace
from typing import Any

import pytest

from datorum.core.check import check
from datorum.core.check.findings import Where
from datorum.core.errors import NotReady
from datorum.core.model import Action, Field, FieldMapping, FieldType, Mapping, PlanRow, Policy, RecordType, SiteRecord
from datorum.core.plan import ChangedFields, Planner, held_reasons, nest, same
from datorum.core.table import ROW, guess_dialect, read_csv
from datorum.core.verify import compare

KIND = RecordType(
    name="people",
    title="People",
    fields=(
        Field(path="email", title="E-mail", format="email", required=True, unique=True),
        Field(path="age", title="Age", type=FieldType.INTEGER),
        Field(path="home.city", title="City"),
    ),
)
MAPPING = Mapping(
    fields={
        "email": FieldMapping(columns=("mail",)),
        "age": FieldMapping(columns=("age",)),
        "home.city": FieldMapping(columns=("city",)),
    },
    match_key="email",
)
SHEET = b"""mail,age,city
ada@example.org,40,Quillham
bo@example.org,41,
JUN@example.org,42,Ryewick
nobody,43,Ryewick
"""
ON_SITE = [
    SiteRecord(id="1", body={"email": "Ada@example.org", "age": 40, "home": {"city": "Quillham"}}),
    SiteRecord(id="2", body={"email": "bo@example.org", "age": 30, "home": {"city": "Oatford"}}),
]


def plan(policy: Policy | None = None, mapping: Mapping = MAPPING, on_site: Any = ON_SITE) -> list[PlanRow]:
    frame = read_csv(SHEET, guess_dialect(SHEET)).frame
    checked = check(frame, KIND, mapping, dt.date(2026, 11, 23))
    planner = Planner(
        KIND,
        mapping,
        policy or Policy(),
        on_site,
        held_reasons(checked.findings, {field.path: field.title for field in KIND.fields}),
    )
    return list(planner.records({None: Where(frame[ROW], frame[ROW])}, checked.landed))


def test_each_row_gets_its_action() -> None:
    rows = plan()
    assert [row.action for row in rows] == [Action.UPDATE, Action.UPDATE, Action.CREATE, Action.HELD]
    assert [row.row for row in rows] == [2, 3, 4, 5]


def test_an_update_carries_only_the_fields_that_change() -> None:
    changes = plan()[1].changes
    assert {path: (change.before, change.after) for path, change in changes.items()} == {"age": (30, 41)}


def test_a_blank_clears_the_field_only_where_the_mapping_says_so() -> None:
    fields = {**MAPPING.fields, "home.city": FieldMapping(columns=("city",), blank="clear")}
    assert plan(mapping=MAPPING.model_copy(update={"fields": fields}))[1].changes["home.city"].after is None


def test_a_record_that_already_is_as_landed_is_unchanged() -> None:
    same_email = [replace(ON_SITE[0], body={**ON_SITE[0].body, "email": "ada@example.org"})]
    assert plan(on_site=same_email)[0].action is Action.UNCHANGED


def test_policy_can_leave_matches_or_strangers_out() -> None:
    skipping = plan(Policy(on_match="skip", on_no_match="skip"))
    assert [row.action for row in skipping] == [Action.LEFT_OUT, Action.LEFT_OUT, Action.LEFT_OUT, Action.HELD]
    assert all(row.reason for row in skipping)


def test_a_key_that_two_records_have_holds_the_row() -> None:
    double = [*ON_SITE, replace(ON_SITE[0], id="9")]
    assert plan(on_site=double)[0].action is Action.HELD


def test_without_a_match_key_there_is_no_plan() -> None:
    with pytest.raises(NotReady, match="match key"):
        plan(mapping=MAPPING.model_copy(update={"match_key": None}))


def test_changed_fields_are_counted_over_all_updates() -> None:
    changed = ChangedFields()
    for row in plan():
        changed.see(row)
    assert {change.field: change.records for change in changed.done()} == {"age": 1, "email": 1}


def field(kind: FieldType) -> Field:
    return Field(path="f", title="F", type=kind)


@pytest.mark.parametrize(
    ("kind", "left", "right", "alike"),
    [
        (FieldType.TEXT, "", None, True),
        (FieldType.TEXT, "a", "A", False),
        (FieldType.NUMBER, 12.5, "12.50", True),
        (FieldType.NUMBER, 12, 12.0, True),
        (FieldType.NUMBER, 12, "n/a", False),
        (FieldType.DATE_TIME, "2019-02-03T14:10:00Z", "2019-02-03T15:10:00+01:00", True),
        (FieldType.DATE_TIME, "2019-02-03T14:10:00Z", "2019-02-03T14:11:00Z", False),
        (FieldType.BOOLEAN, True, 1, False),
        (FieldType.BOOLEAN, False, None, False),
    ],
)
def test_values_that_mean_the_same(kind: FieldType, left: Any, right: Any, alike: bool) -> None:
    assert same(field(kind), left, right) is alike


def test_dotted_paths_become_objects() -> None:
    assert nest({"email": "a", "home.city": "b"}) == {"email": "a", "home": {"city": "b"}}


def test_verification_finds_what_differs_and_what_is_missing() -> None:
    sent = [replace(row, record_id=str(row.row)) for row in plan()[:3]]
    found = {
        "2": SiteRecord(id="2", body={"email": "ada@example.org"}),
        "3": SiteRecord(id="3", body={"age": 40}),
    }
    mismatches = compare(KIND, sent, found)
    assert [(one.row, one.field, one.sent, one.found) for one in mismatches] == [
        (3, "age", 41, 40),
        (4, "", "JUN@example.org", None),
    ]
