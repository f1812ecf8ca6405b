"""A text is held to its format by what the format's own authority says."""

from __future__ import annotations

import polars as pl
import pytest
from email_validator import EmailNotValidError, validate_email
from hypothesis import given
from hypothesis import strategies as st

from datorum.core.check.formats import FORMATS


def fits(name: str, *values: str) -> list[bool | None]:
    return FORMATS[name][1](pl.Series("x", values, dtype=pl.String)).to_list()


GOOD_AND_BAD: dict[str, tuple[tuple[str, ...], tuple[str, ...]]] = {
    "email": (
        ("ada@quillmoss.example", "a.b+seeds@x-y.example", "åse@bjørkvik.example"),
        (
            *("ada", "ada@", "@x.example", "a b@x.example", "ada@x..example", "ada@-x.example", "a@b@c.example"),
            *("ada@ab--cd.example", f"ada@{'a' * 64}.example", "ada@x-.example", ".ada@x.example"),
        ),
    ),
    "date": (("2024-02-29", "1999-12-31"), ("2023-02-29", "2024-13-01", "24-01-01", "2024-1-1", "31.12.2024")),
    "date-time": (
        ("2024-02-29T23:59:60Z", "2024-01-01T00:00:00.5+01:00"),
        ("2024-01-01T24:00:00Z", "2024-01-01T00:00:00", "2023-02-29T00:00:00Z"),
    ),
    "time": (("14:10:00Z", "23:59:59"), ("24:00:00", "14:10", "9:15:00")),
    "duration": (("P3D", "PT1H30M", "P2W", "P1Y2M"), ("3D", "P3", "PT3D")),
    "uri": (("https://quillmoss.example/a?b#c", "mailto:ada@x.example"), ("quillmoss.example", "http://a b", "//x")),
    "url": (("https://quillmoss.example/beet", "http://x.example:8080"), ("ftp://x.example", "https://", "x.example")),
    "uuid": (
        ("123e4567-e89b-12d3-a456-426614174000",),
        ("123e4567e89b12d3a456426614174000", "123e4567-e89b-12d3-a456"),
    ),
    "ipv4": (("192.0.2.1", "0.0.0.0", "255.255.255.255"), ("256.0.0.1", "1.2.3", "1.2.3.4.5")),
    "ipv6": (("2001:db8::1", "::1"), ("2001:db8", "12345::1")),
    "hostname": (("quillmoss.example", "a-b"), ("-a.example", "a b", "a_b")),
    "regex": (("^a+$",), ("(", "[a")),
    "json-pointer": (("", "/a/b~1c"), ("a/b", "/a~2")),
    "phone": (("+4722334455", "+493817907"), ("22334455", "+47", "+47223344556677889900", "call me")),
    "country": (("NO", "DE"), ("no", "NOR", "XX", "Norway")),
    "currency": (("NOK", "EUR"), ("nok", "kr", "XYZ")),
    "language": (("nb", "en-GB"), ("norsk", "EN_gb")),
    "locale": (("nb", "en_GB", "en-GB"), ("norsk",)),
    "gtin": (("4006381333931", "73513537"), ("4006381333932", "12345", "40063813339AB")),
    "iban": (("NO93 8601 1117 947", "DE89370400440532013000"), ("NO9386011117948", "DE00")),
    "timezone": (("Europe/Oslo", "UTC"), ("Oslo", "GMT+25", "Quillmoss/Shed")),
    "password-hash": (("$2y$10$" + "a" * 53, "$argon2id$v=19$m=1,t=1,p=1$c2FsdA$aGFzaA"), ("hunter2", "")),
    "slug": (("red-onion", "beet2"), ("Red-onion", "red onion", "-red", "red--onion")),
    "html": (("<p>Sow <b>early</b></p>", "no markup"), ("<script>x</script>", '<p onclick="x">a</p>')),
}


@pytest.mark.parametrize("name", GOOD_AND_BAD)
def test_a_format_takes_what_fits_and_nothing_else(name: str) -> None:
    good, bad = GOOD_AND_BAD[name]
    assert fits(name, *good) == [True] * len(good), good
    assert fits(name, *bad) == [False] * len(bad), bad


def test_every_format_is_one_of_those_by_name_or_by_meaning() -> None:
    told = {FORMATS[name][0] for name in GOOD_AND_BAD}
    others = {name for name, (says, _) in FORMATS.items() if says not in told}
    assert others <= {"uri-reference", "iri"}


@pytest.mark.parametrize("name", FORMATS)
def test_what_is_blank_is_held_to_no_format(name: str) -> None:
    assert FORMATS[name][1](pl.Series("x", [None, None], dtype=pl.String)).null_count() == 2


@pytest.mark.parametrize("name", FORMATS)
def test_a_format_says_what_it_wants(name: str) -> None:
    assert FORMATS[name][0].split()[0] in ("a", "an", "HTML")


def by_the_library(text: str) -> bool:
    try:
        validate_email(text, check_deliverability=False, test_environment=True)
    except EmailNotValidError:
        return False
    return True


PART = st.text(st.sampled_from("aZ9.-_+é"), min_size=1, max_size=9)


@given(st.lists(st.one_of(st.tuples(PART, PART).map("@".join), PART.map("ada@{}.example".format)), max_size=5))
def test_an_address_taken_at_first_sight_is_one_that_the_library_takes(addresses: list[str]) -> None:
    assert fits("email", *addresses) == [by_the_library(address) for address in addresses]
