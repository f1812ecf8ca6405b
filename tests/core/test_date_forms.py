"""The ways in which moments are written: what each reads, by row and by column, and what can read nothing."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from datorum.core.formula import FormulaFault, Scope, interpret
from datorum.core.formula.date_form import UNITS_SINCE, date_form
from datorum.core.profile.kinds import DATE_PATTERNS
from datorum.core.steps import ReadDate, WriteDate


@pytest.mark.parametrize(
    ("pattern", "says"),
    [
        ("SSS", "the second twice"),
        ("HHH", "the hour twice"),
        ("SSSSSSSSSS", "the second twice"),
        ("D/M/YYYY YY", "the year twice"),
        ("M/YYYY MMM", "the month twice"),
        ("H:MM", "has no year"),
        ("dd.mm.yyyy", "has no year"),
        ("D YYYY", "has the day and not the month"),
        ("YYYY-MM-DD S", "has the second and not the minute"),
        ("%Y-%m-%d", "has no year"),
        ("MYYYY", "nothing tells where M ends in front of YYYY: write MM"),
    ],
)
def test_a_pattern_that_can_read_nothing_is_refused_with_its_reason(pattern: str, says: str) -> None:
    with pytest.raises(ValidationError, match=says):
        ReadDate(pattern=pattern)
    with pytest.raises(FormulaFault, match=says):
        interpret(f'=READDATE("1";"{pattern}")', Scope())


@pytest.mark.parametrize(
    ("pattern", "text", "lands"),
    [
        ("seconds since 1970", "1714559400", "2024-05-01T10:30:00Z"),
        ("seconds since 1970", "1714559400.75", "2024-05-01T10:30:00Z"),
        ("seconds since 1970", "-86400", "1969-12-31T00:00:00Z"),
        ("milliseconds since 1970", "1714559400123", "2024-05-01T10:30:00Z"),
        ("microseconds since 1970", "1714559400123456", "2024-05-01T10:30:00Z"),
        ("days since 1899-12-30", "45413", "2024-05-01"),
        ("days since 1899-12-30", "45413.4375", None),
        ("days and time since 1899-12-30", "45413.4375", "2024-05-01T10:30:00Z"),
        ("days since 1904-01-01", "43951", "2024-05-01"),
        ("days and time since 1904-01-01", "43951", "2024-05-01T00:00:00Z"),
        ("seconds since 1970", "99999999999999999", None),
        ("days since 1899-12-30", "-9999999", None),
        ("seconds since 1970", "1714559400Z", None),
        ("M/YYYY", "5/2024", "2024-05-01"),
        ("YYYY", "2024", "2024-01-01"),
        ("H:MM D/M/YYYY", "10:30 1/5/2024", "2024-05-01T10:30:00Z"),
        ("D/M/YYYY H", "1/5/2024 10", "2024-05-01T10:00:00Z"),
        ("YYYY%T", "2024%T", "2024-01-01"),
        ("YYYYMMDD", "20240501", "2024-05-01"),
        ("YYYYMMDD", "2024111", None),
    ],
)
def test_what_a_form_reads(pattern: str, text: str, lands: str | None) -> None:
    step = ReadDate(pattern=pattern)
    stepped = step.apply(pl.Series([text, None]))
    assert (stepped.values[0], stepped.failed[0]) == (lands, lands is None)
    try:
        by_row = interpret("=" + step.formula(f'"{text}"'), Scope())
    except FormulaFault:
        by_row = None
    assert by_row == lands
    if lands is None:
        assert step.problem(text)


def test_a_zone_is_for_what_is_written_in_the_time_of_a_place() -> None:
    def landed(pattern: str, text: str) -> str | None:
        found = ReadDate(pattern=pattern, zone="Europe/Oslo").apply(pl.Series([text])).values[0]
        return None if found is None else str(found)

    assert landed("seconds since 1970", "1714559400") == "2024-05-01T10:30:00Z"
    assert landed("days and time since 1899-12-30", "45413.4375") == "2024-05-01T08:30:00Z"
    assert landed("D/M/YYYY H:MM", "1/5/2024 10:30") == "2024-05-01T08:30:00Z"


TOKENS = (*"YYYY YY MMMM MMM MM M DD D HH H SS S / . T % é F 5".split(), " ", "\x1f")
PATTERNS = st.lists(st.sampled_from(TOKENS), min_size=1, max_size=8).map("".join)


@given(PATTERNS, st.lists(st.text("0123456789/. T-%éMayjune", max_size=14), max_size=6))
def test_whatever_pattern_can_be_saved_reads_by_column_as_by_row(pattern: str, texts: list[str]) -> None:
    form = date_form(pattern)
    moment = dt.datetime(2024, 5, 17, 13, 7, 9)
    texts = [*texts, form.write(moment)]
    if form.fault:
        return
    stepped = ReadDate(pattern=pattern).apply(pl.Series(texts, dtype=pl.String))
    for text, value in zip(texts, stepped.values, strict=True):
        read = form.read(text)
        assert (value is None) == (read is None), (pattern, text)
        if read is not None:
            assert value is not None
            assert value[:10] == f"{read:%Y-%m-%d}".rjust(10, "0")


@pytest.mark.parametrize("pattern", DATE_PATTERNS)
def test_what_is_written_by_a_usual_pattern_reads_as_it_was(pattern: str) -> None:
    for time in ("", " H:MM", "THH:MM:SS"):
        form = date_form(pattern + time)
        moment = dt.datetime(2024, 5, 7, 13 if time else 0, 8 if time else 0, 9 if "SS" in time else 0)
        assert form.read(form.write(moment)) == moment


@given(st.sampled_from(sorted(UNITS_SINCE)), st.datetimes(dt.datetime(1905, 1, 1), dt.datetime(2999, 1, 1)))
def test_what_is_written_in_a_unit_reads_as_it_was(unit: str, moment: dt.datetime) -> None:
    moment = moment.replace(microsecond=0)
    form = date_form(unit)
    back = form.read(form.write(moment))
    assert back == (moment if form.has_time else moment.replace(hour=0, minute=0, second=0))


def test_a_date_is_written_in_a_unit() -> None:
    written = WriteDate(pattern="seconds since 1970").apply(pl.Series(["2024-05-01T10:30:00Z", "2024-05-01"])).values
    assert written.to_list() == ["1714559400", "1714521600"]
