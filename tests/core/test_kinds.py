"""Each kind of value is told from its neighbours, by what the values themselves say."""

from __future__ import annotations

import polars as pl
import pytest

from datorum.core.profile import ColumnProfile, profile_column
from datorum.core.profile.kinds import hash_format


def told(*values: str) -> dict[str, float]:
    return profile_column(pl.Series("c", values, dtype=pl.String)).by_kind


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("integer", ("1", "-20", "+300")),
        ("decimal, point", ("1.50", "1,204.99", "3")),
        ("decimal, comma", ("1,50", "1.204,99", "3")),
        ("money", ("kr 12,50", "14,00 kr", "NOK 3", "€ 9")),
        ("date", ("31.12.2020", "1.2.2021")),
        ("date", ("2020-12-31T10:00:00Z", "2021-02-01T00:00:00+01:00")),
        ("time", ("9:15", "23:59:59")),
        ("yes or no", ("ja", "nein", "yes")),
        ("e-mail", ("ada@quillmoss.example", "bo+seeds@ryewick.example")),
        ("web address", ("https://quillmoss.example/a?b=1", "www.quillmoss.example")),
        ("telephone", ("+47 22 33 44 55", "(0381) 79-07", "0049 381 7907")),
        ("country", ("Norway", "Tyskland", "DE", "Deutschland")),
        ("language", ("Norwegian", "Deutsch", "en")),
        ("currency", ("NOK", "€", "US dollar")),
        ("postcode", ("0010", "18055", "SW1A 1AA", "1234 AB")),
        ("GTIN", ("4006381333931", "73513537", "036000291452")),
        ("IP address", ("192.0.2.1", "2001:db8::1")),
        ("UUID", ("123e4567-e89b-12d3-a456-426614174000", "00000000-0000-4000-8000-000000000001")),
        ("HTML", ("<p>Sow early</p>", "a <b>late</b> crop", "x<br>y")),
        ("JSON", ('{"a": 1}', "[1, 2]", "[]")),
        ("list", ("roots, greens", "greens, herbs", "herbs, roots, greens")),
        ("path", ("Seeds > Roots", "Seeds > Greens", "Seeds > Roots > Beets")),
        ("slug", ("early-beet", "kale-of-roros-2", "a-b")),
        ("picture", ("beet.jpg", "https://x.example/kale.webp?v=2", "A.PNG")),
    ],
)
def test_a_kind_is_told_from_values_that_fit_it(kind: str, values: tuple[str, ...]) -> None:
    assert told(*values).get(kind) == 1.0


@pytest.mark.parametrize(
    ("kind", "values"),
    [
        ("integer", ("1.5", "2.5")),
        ("decimal, comma", ("1.50", "2.75")),
        ("decimal, point", ("1", "2", "3")),
        ("money", ("12", "13.50")),
        ("date", ("99.99.2020", "32/13/2021")),
        ("telephone", ("2024-03-05", "2024-04-06")),
        ("telephone", ("3.50", "4.75")),
        ("telephone", ("12", "130")),
        ("GTIN", ("4006381333932", "1234567890123")),
        ("IP address", ("1.2.3", "300.1.1.1")),
        ("HTML", ("a < b", "x > y")),
        ("JSON", ("{no", "[1")),
        ("list", ("Sow it early, then wait.", "Water it well, but rarely.")),
        ("slug", ("beet", "kale")),
        ("country", ("Beet", "Kale")),
        ("yes or no", ("perhaps", "often")),
        ("e-mail", ("ada at quillmoss", "@", "a@b")),
    ],
)
def test_a_kind_is_not_told_from_values_that_only_look_like_it(kind: str, values: tuple[str, ...]) -> None:
    assert kind not in told(*values)


def test_a_kind_needs_half_of_the_values_and_says_its_share() -> None:
    assert told("1", "2", "3", "x")["integer"] == 0.75
    assert "integer" not in told("1", "x", "y")


@pytest.mark.parametrize(
    ("text", "name"),
    [
        ("$2y$10$" + "a" * 53, "bcrypt"),
        ("$argon2id$v=19$m=65536,t=3,p=4$c29tZXNhbHQ$aGFzaA", "argon2"),
        ("$P$B" + "a" * 30, "phpass"),
        ("$6$salt$hash", "SHA-512 crypt"),
        ("$5$salt$hash", "SHA-256 crypt"),
        ("pbkdf2_sha256$600000$salt$hash", "PBKDF2"),
        ("5f4dcc3b5aa765d61d8327deb882cf99", "MD5"),
        ("5baa61e4c9b93f3f0682250b6cf8331b7ee68fd8", "SHA-1"),
        ("a" * 64, "SHA-256"),
        ("A" * 128, "SHA-512"),
        ("hunter2", None),
        ("a" * 33, None),
        ("$2y$10$tooshort", None),
    ],
)
def test_the_format_of_a_stored_password_is_told(text: str, name: str | None) -> None:
    assert hash_format(text) == name


def details(*values: str) -> dict[str, str]:
    found = profile_column(pl.Series("c", values, dtype=pl.String))
    return {kind.name: kind.detail for kind in found.kinds}


def test_what_is_told_of_a_kind_beside_its_share() -> None:
    assert details("kr 12", "14 kr", "NOK 3")["money"].startswith("NOK") or "kr" in details("kr 12", "14 kr")["money"]
    assert details("a|b", "b|c", "a|c")["list"] == "|"
    assert details("A > B", "A > C")["path"] == ">"
    assert details("01/02/2020", "03/04/2021")["date"] == "D/M/YYYY, day and month may be swapped"
    assert details("13/02/2020", "03/04/2021")["date"] == "D/M/YYYY"


def test_a_two_digit_year_and_a_written_month_are_dates() -> None:
    assert "date" in told("31.12.20", "1.2.21")
    assert "date" in told("3 February 2019", "17 November 2021")
    assert "date" in told("Feb 3, 2019", "Nov 17, 2021")


def column(*values: str | None) -> ColumnProfile:
    return profile_column(pl.Series("c", values, dtype=pl.String))


def test_the_most_frequent_values_come_with_their_counts_the_commonest_first() -> None:
    found = column(*["Grove"] * 5, *["Sapling"] * 3, "Seedling", None, "")
    assert found.top[:3] == (("Grove", 5), ("Sapling", 3), ("Seedling", 1))
    assert (found.rows, found.filled, found.distinct) == (11, 9, 3)


def test_lengths_are_those_of_the_values_without_their_stray_spaces() -> None:
    found = column("a", " abc ", "abcdef", "")
    assert (found.shortest, found.longest, found.stray_spaces) == (1, 6, 1)


def test_samples_are_few_and_none_of_them_is_blank() -> None:
    found = column(*[f"value {number}" for number in range(100)], "", None)
    assert 0 < len(found.samples) <= 10
    assert all(found.samples)


def test_numbers_are_drawn_in_classes_and_years_by_year() -> None:
    numbers = column(*[str(number) for number in range(1, 101)])
    assert sum(count for _, count in numbers.plot) == 100
    years = column("1.2.2019", "3.4.2019", "5.6.2021")
    assert dict(years.plot).get("2019") == 2


def test_a_column_of_one_value_and_of_none_have_a_profile_as_well() -> None:
    assert column("x").plot is not None
    assert column(None, "").kinds == ()
    assert column().rows == 0
