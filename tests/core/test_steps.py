"""Each step does what its sentence says, and says where it cannot."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.model import FieldMapping, ValueTable
from datorum.core.steps import AnyStep, BlankWhen, Case, Join, ReadDate, ReadNumber, ReadYesNo, Replace, Trim
from datorum.core.steps.landing import NO_VALUE_SET, land


def stepped(step: AnyStep, value: str) -> str | None:
    """The value after a step; “failed” where it could not be read."""
    landed = step.apply(pl.Series([value], dtype=pl.String))
    found: str | None = "failed" if landed.failed[0] else landed.values[0]
    return found


@pytest.mark.parametrize(
    ("step", "value", "landed"),
    [
        (Trim(), "  Ada   Corfield ", "Ada Corfield"),
        (Trim(), "two\nlines ", "two\nlines"),
        (Case(to="lower"), "ÅSE", "åse"),
        (Case(to="upper"), "straße", "STRASSE"),
        (Case(to="proper"), "ADA AL-BROOK", "Ada Al-Brook"),
        (Case(to="sentence"), "NO plastic", "No plastic"),
        (Replace(find=".", by="-"), "a.b.c", "a-b-c"),
        (Replace(find="", by="x"), "abc", "abc"),
        (BlankWhen(words=("n/a", "-")), " N/A ", None),
        (BlankWhen(words=("n/a",)), "n/a too", "n/a too"),
        (ReadDate(pattern="D/M/YYYY"), "3/2/2019", "2019-02-03"),
        (ReadDate(pattern="M/D/YYYY"), "03/02/2019", "2019-03-02"),
        (ReadDate(pattern="D MMM YYYY"), "3 Feb 2019", "2019-02-03"),
        (ReadDate(pattern="D/M/YYYY"), "31/02/2020", "failed"),
        (ReadDate(pattern="D/M/YYYY"), "3/2/19", "failed"),
        (ReadDate(pattern="D/M/YYYY H:MM"), "03/02/2019 14:10", "2019-02-03T14:10:00Z"),
        (ReadDate(pattern="D/M/YYYY H:MM:SS"), "03/02/2019 14:10:59", "2019-02-03T14:10:59Z"),
        (ReadDate(pattern="D/M/YYYY H:MM", zone="Europe/Oslo"), "03/07/2019 14:10", "2019-07-03T12:10:00Z"),
        (ReadDate(pattern="D/M/YYYY H:MM", zone="Europe/Oslo"), "27/10/2019 02:30", "2019-10-27T00:30:00Z"),
        (ReadDate(pattern="D/M/YYYY H:MM", zone="Europe/Oslo"), "31/03/2019 02:30", "failed"),
        (ReadNumber(decimal="."), "1,204.50 kr", "1204.50"),
        (ReadNumber(decimal="."), "kr 88.00", "88.00"),
        (ReadNumber(decimal=","), "1.204,50 €", "1204.50"),
        (ReadNumber(decimal=","), "1 204,50", "1204.50"),
        (ReadNumber(decimal=","), "450,-", "450"),
        (ReadNumber(decimal="."), "−12", "-12"),
        (ReadNumber(decimal="."), "20 %", "20"),
        (ReadNumber(decimal=","), "12,5%", "12.5"),
        (ReadNumber(decimal="."), "20 % of 5", "failed"),
        (ReadNumber(decimal="."), "-$12.5", "-12.5"),
        (ReadNumber(decimal="."), "1.204,50", "failed"),
        (ReadNumber(decimal="."), "1,2", "failed"),
        (ReadNumber(decimal="."), "12 or 13", "failed"),
        (ReadNumber(decimal="."), "n/a", "failed"),
        (ReadYesNo(), " JA ", "true"),
        (ReadYesNo(), "FALSE", "false"),
        (ReadYesNo(), "perhaps", "failed"),
    ],
)
def test_a_step_on_one_value(step: AnyStep, value: str, landed: str | None) -> None:
    assert stepped(step, value) == landed


def test_the_problem_with_a_date_tells_its_shape_from_its_day() -> None:
    step = ReadDate(pattern="D/M/YYYY")
    assert step.problem("31/02/2020") == "is no such day"
    assert step.problem("soon") == "does not read as day/month/year"


def test_minutes_are_told_from_months_by_the_hour_before_them() -> None:
    assert ReadDate(pattern="D/M/YYYY H:MM").sentence() == "Read as a date: day/month/year hour:minute"


def test_an_unknown_time_zone_is_refused() -> None:
    with pytest.raises(ValueError, match="no time zone"):
        ReadDate(zone="Quillmoss/Shed")


FRAME = pl.DataFrame({"First": [" Bo ", "Ada", None], "Last": ["CORFIELD", "", " "], "Tier": ["Sapling", "Bonsai", ""]})


def test_columns_are_joined_after_the_steps_before_the_join() -> None:
    mapping = FieldMapping(columns=("First", "Last"), steps=(Trim(), Join(separator=", "), Case(to="proper")))
    landed = land(FRAME, mapping)
    assert landed.values.to_list() == ["Bo, Corfield", "Ada", None]
    assert landed.supplied[0] == " Bo  · CORFIELD"


def test_a_value_table_holds_what_it_does_not_know() -> None:
    landed = land(FRAME, FieldMapping(columns=("Tier",), value_table=ValueTable(pairs={"Sapling": "plus"})))
    assert landed.values.to_list() == ["plus", None, None]
    assert landed.failed.to_list() == [0, NO_VALUE_SET, 0]


def test_a_failed_step_is_told_by_its_number() -> None:
    landed = land(FRAME, FieldMapping(columns=("Tier",), steps=(Trim(), ReadNumber())))
    assert landed.failed.to_list() == [2, 2, 0]


def test_a_constant_is_the_same_for_every_row() -> None:
    assert land(FRAME, FieldMapping(constant="no")).values.to_list() == ["no"] * 3


def test_a_column_that_the_sheet_has_lost_lands_blank() -> None:
    assert land(FRAME, FieldMapping(columns=("Gone",))).values.to_list() == [None] * 3


def test_a_field_is_not_fed_twice() -> None:
    with pytest.raises(ValueError, match="not by both"):
        FieldMapping(columns=("First",), constant="no")


@given(st.decimals(min_value=-(10**9), max_value=10**9, places=2), st.sampled_from(["{} kr", "NOK {}", "{}", "€ {}"]))
def test_a_number_written_either_way_lands_the_same(amount: object, around: str) -> None:
    english = around.format(f"{amount:,.2f}")
    norwegian = english.replace(",", "\0").replace(".", ",").replace("\0", ".")
    assert stepped(ReadNumber(decimal="."), english) == stepped(ReadNumber(decimal=","), norwegian) == f"{amount:.2f}"


@given(st.dates())
def test_every_day_that_exists_is_read(day: dt.date) -> None:
    assert stepped(ReadDate(pattern="D.M.YYYY"), f"{day.day}.{day.month}.{day.year:04}") == day.isoformat()
