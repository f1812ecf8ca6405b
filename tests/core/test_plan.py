"""The plan says for every row what will happen, and only that."""

from __future__ import annotations

import datetime as dt
from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import polars as pl
import pytest

from datorum.core.check import check
from datorum.core.check.findings import Where
from datorum.core.errors import InvalidMapping, NotReady
from datorum.core.json_columns import texts_at
from datorum.core.json_text import dumps
from datorum.core.link.keys import compared
from datorum.core.model import (
    Action,
    Change,
    Field,
    FieldMapping,
    FieldPolicy,
    FieldType,
    Mapping,
    PlanRow,
    Policy,
    RecordType,
    SiteRecord,
)
from datorum.core.plan import ChangedFields, Matcher, Matches, Planner, at, held_reasons, nest, same
from datorum.core.plan.frame import before, frame_of, rows_of
from datorum.core.plan.plan import FOUND_SCHEMA, said_of_several, said_of_sharing
from datorum.core.table import ROW, guess_dialect, read_csv

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


def frozen(
    policy: Policy | None = None, mapping: Mapping = MAPPING, on_site: Sequence[SiteRecord] = ON_SITE,
    sheet: bytes = SHEET, kind: RecordType = KIND,
) -> pl.DataFrame:  # fmt: skip
    frame = read_csv(sheet, guess_dialect(sheet)).frame
    checked = check(frame, kind, mapping, dt.date(2026, 11, 23))
    planner = Planner(kind, mapping, policy or Policy())
    matcher = Matcher(len(planner.ways))
    matcher.see_sheet(frame[ROW], planner.keys(checked.landed))
    values = {field.path: pl.Series([_text(at(one.body, field.path)) for one in on_site], dtype=pl.String)
              for field in kind.fields}  # fmt: skip
    matcher.see_site([compared(way, [values[field.path] for field in way]) for way in planner.ways])
    matches = matcher.done()
    meant = [on_site[place] if place >= 0 else None for place in matches.places]
    found = pl.DataFrame(
        {
            "count": matches.counts, "record_id": [one and one.id for one in meant],
            "etag": [one and one.etag for one in meant], "page": [one and one.page for one in meant],
            "on_site": [dumps(one.body).encode() if one else None for one in meant],
            "several": [_why(matches, on_site, at) for at in range(len(meant))],
        },
        schema=FOUND_SCHEMA,
    )  # fmt: skip
    texts = texts_at((one.body if one else {} for one in meant), planner.held_against)
    found = found.with_columns(**{before(path): column for path, column in texts.items()})
    held = held_reasons(checked.findings, {field.path: field.title for field in kind.fields})
    return planner.decide({None: Where(frame[ROW], frame[ROW])}, checked.landed, found, held)


def _why(matches: Matches, on_site: Sequence[SiteRecord], at: int) -> str | None:
    row = matches.records[at]
    if row in matches.several:
        return said_of_several([on_site[place].id for place in matches.several[row]], matches.counts[at])
    return said_of_sharing(matches.sharing[row]) if row in matches.sharing else None


def _text(value: Any) -> str | None:
    return None if value is None else str(value)


def plan(*given: Any, **named: Any) -> list[PlanRow]:
    return list(rows_of(frozen(*given, **named)))


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
    changed.see(frozen())
    assert {path: items.to_list() for path, items in changed.items()} == {"email": [2], "age": [3]}
    assert {change.field: change.records for change in changed.done()} == {"age": 1, "email": 1}


def test_what_is_found_by_no_key_is_looked_for_by_the_next() -> None:
    both = [SiteRecord(id="1", body={"email": "old@example.org", "age": 40}), *ON_SITE[1:]]
    rows = plan(Policy(keys=(("age",),)), on_site=both)
    assert [(row.action, row.record_id) for row in rows[:3]] == [
        (Action.UPDATE, "1"), (Action.UPDATE, "2"), (Action.CREATE, None),
    ]  # fmt: skip
    assert rows[0].changes["email"].before == "old@example.org"


def test_two_rows_that_mean_one_record_by_different_keys_are_held_and_told_of_each_other() -> None:
    one = [SiteRecord(id="1", body={"email": "ada@example.org", "age": 41})]
    rows = plan(Policy(keys=(("age",),)), on_site=one)
    assert [(row.action, row.reason) for row in rows[:2]] == [
        (Action.HELD, "row 3 means the same record on the site"),
        (Action.HELD, "row 2 means the same record on the site"),
    ]


def test_matches_and_strangers_can_be_held() -> None:
    holding = plan(Policy(on_match="hold", on_no_match="hold"))
    assert [row.action for row in holding] == [Action.HELD] * 4
    assert [row.record_id for row in holding[:3]] == ["1", "2", None]


@pytest.mark.parametrize(
    ("write", "age", "changes"),
    [("always", 30, True), ("if blank", 30, False), ("if blank", None, True), ("never", 30, False)],
)
def test_a_field_is_written_as_its_policy_says(write: Any, age: int | None, changes: bool) -> None:
    there = [replace(ON_SITE[1], body={"email": "bo@example.org", "age": age})]
    rows = plan(Policy(fields={"age": FieldPolicy(write=write)}), on_site=there)
    assert ("age" in rows[1].changes) is changes
    # What is not there yet is made whole.
    assert rows[2].changes["age"].after == 42


def test_lists_are_written_as_a_whole_added_to_or_taken_from() -> None:
    tags = Field(path="tags", title="Tags", type=FieldType.LIST, items=Field(path="", title=""))
    kind = KIND.model_copy(update={"fields": (*KIND.fields, tags)})
    mapping = MAPPING.model_copy(update={"fields": {**MAPPING.fields, "tags": FieldMapping(columns=("tags",))}})
    sheet = b'mail,age,city,tags\nbo@example.org,30,Oatford,"[""new"", ""old""]"\n'
    there = [SiteRecord(id="2", body={**ON_SITE[1].body, "tags": ["old", "own"]})]

    def after(items: Any) -> Any:
        policy = Policy(fields={"tags": FieldPolicy(items=items)})
        return plan(policy, mapping, there, sheet, kind)[0].changes["tags"].after

    assert after("as a whole") == ["new", "old"]
    assert after("add") == ["old", "own", "new"]
    assert after("take away") == ["own"]


def test_where_all_goes_first_nothing_is_met() -> None:
    rows = plan(Policy(clear_first=True))
    assert [(row.action, row.record_id) for row in rows[:3]] == [(Action.CREATE, None)] * 3
    one = [SiteRecord(id="1", body={"email": "ada@example.org", "age": 41})]
    both = plan(Policy(clear_first=True, keys=(("age",),)), on_site=one)
    assert [row.action for row in both[:2]] == [Action.CREATE] * 2


def test_a_key_of_the_policy_has_to_be_fed() -> None:
    fields = {path: fed for path, fed in MAPPING.fields.items() if path != "age"}
    with pytest.raises(InvalidMapping, match="age"):
        plan(Policy(keys=(("age",),)), MAPPING.model_copy(update={"fields": fields}))


def test_the_rows_of_a_frame_are_the_frame_of_its_rows() -> None:
    frame = frozen()
    again = frame_of(rows_of(frame))
    assert list(rows_of(again)) == list(rows_of(frame))


@pytest.mark.parametrize(
    "sent",
    ["plain", 'a "quoted" word', "back\\slash", "\\", '"', "", "two\nlines", "Ærlig 🌱", "12345678901234567890123",
     123456789012345678901234567890, 0, -1.5, True, None, ["a", 'b"'], {"x": "\\n"}],
)  # fmt: skip
def test_every_value_of_a_plan_is_given_back_as_it_was(sent: Any) -> None:
    row = PlanRow(item=4, action=Action.UPDATE, row=4, key="k", record_id="7", changes={"f": Change("was", sent)})
    [again] = rows_of(frame_of([row]))
    assert again == row
    assert type(again.changes["f"].after) is type(sent)


def test_numbers_too_long_for_a_machine_word_stay_exact() -> None:
    sheet = b"mail,age,city\nbo@example.org,123456789012345678901234567890,Oatford\n"
    assert plan(sheet=sheet)[0].changes["age"].after == 123456789012345678901234567890


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


def test_a_record_that_is_held_keeps_no_other_from_the_record_that_both_mean() -> None:
    for held, sharing in (((), {2: [3], 3: [2]}), ((3,), {})):
        matcher = Matcher(1)
        matcher.see_sheet(pl.Series([2, 3]), [pl.Series(["a", "a"])])
        matcher.see_site([pl.Series(["a"])])
        assert matcher.done(held).sharing == sharing


def test_what_cannot_be_changed_on_the_site_is_held_and_says_why() -> None:
    frame = read_csv(SHEET, guess_dialect(SHEET)).frame
    checked = check(frame, KIND, MAPPING, dt.date(2026, 11, 23))
    planner = Planner(KIND, MAPPING, Policy(), why_no_update="the site has no way to change a record")
    found = pl.DataFrame(
        {"count": [1] * 4, "record_id": ["1"] * 4, "etag": [None] * 4, "page": [None] * 4, "on_site": [b"{}"] * 4,
         "several": [None] * 4, before("email"): ['"x"'] * 4, before("age"): ["40"] * 4,
         before("home.city"): ["null"] * 4},
        schema_overrides=FOUND_SCHEMA,
    )  # fmt: skip
    rows = list(rows_of(planner.decide({None: Where(frame[ROW], frame[ROW])}, checked.landed, found, {})))
    assert {(row.action, row.reason) for row in rows} == {(Action.HELD, "the site has no way to change a record")}
    assert all(not row.changes for row in rows)
