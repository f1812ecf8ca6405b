"""Passwords that are worth something, and guessing that is slow for those who guess and for nobody else."""

from __future__ import annotations

import threading
import time
from concurrent.futures import ThreadPoolExecutor

import pytest
from sqlalchemy import select, text

from datorum.core.errors import Conflict, NotFound, NotSignedIn
from datorum.store import passwords, people, tries
from datorum.store.database import session
from datorum.store.models import SignIn
from datorum.store.passwords import WeakPassword
from datorum.store.tries import TooManyTries, expect_few_tries, keep_try

GOOD = "barley under snow 9"


@pytest.fixture(autouse=True)
def _nobody(database: None) -> None:
    with session() as store:
        store.execute(text("TRUNCATE person, sign_in_try CASCADE"))


def add(name: str, role: str = "editor") -> None:
    with session() as store:
        people.add_person(store, name, GOOD, role)


@pytest.mark.parametrize(
    ("password", "says"),
    [
        ("short", "fewer than 12"),
        ("elevenchars", "fewer than 12"),
        ("passwordpassword", "tried first"),
        ("123456789012", "tried first"),
        ("qwertyuiop12", "tried first"),
        ("iloveyou1234", "tried first"),
        ("aaaaaaaaaaaaaaaa", "tried first"),
        ("corfieldcorfield", "tried first"),
        ("Datorum12345", "tried first"),
    ],
)
def test_a_password_that_is_tried_first_is_refused(password: str, says: str) -> None:
    with pytest.raises(WeakPassword, match=says) as refused:
        passwords.hashed(password, about=("corfield",))
    assert refused.value.remedy


@pytest.mark.parametrize("password", [GOOD, "rye-and-moss", "ærlig talt, 42 epler", "x" * 50 + "7barley" * 140])
def test_a_good_password_is_taken_and_found_again(password: str) -> None:
    kept = passwords.hashed(password)
    assert kept.startswith("$argon2id$")
    assert passwords.fits(password, kept)
    assert not passwords.fits(password + " ", kept)
    assert not passwords.fits(password, None)


def test_no_more_than_two_passwords_are_worked_on_at_once(monkeypatch: pytest.MonkeyPatch) -> None:
    inside, most, lock = 0, 0, threading.Lock()

    class Slow:
        def verify(self, kept: str, password: str) -> bool:
            nonlocal inside, most
            with lock:
                inside += 1
                most = max(most, inside)
            time.sleep(0.02)
            with lock:
                inside -= 1
            return True

    monkeypatch.setattr(passwords, "_hasher", Slow())
    with ThreadPoolExecutor(12) as pool:
        assert all(pool.map(lambda _: passwords.fits("x", "kept"), range(24)))
    assert most == 2


def test_guessing_from_one_address_stops_there_and_not_where_the_person_is() -> None:
    with session() as store:
        keep_try(store, "ada", "10.0.0.1", good=True)
        for _ in range(10):
            keep_try(store, "ada", "203.0.113.9", good=False)
        with pytest.raises(TooManyTries, match="from here"):
            expect_few_tries(store, "ada", "203.0.113.9")
        expect_few_tries(store, "ada", "10.0.0.1")
        expect_few_tries(store, "bo", "203.0.113.9")


def test_guessing_many_people_from_one_address_stops() -> None:
    with session() as store:
        for number in range(50):
            keep_try(store, f"person {number}", "203.0.113.9", good=False)
        with pytest.raises(TooManyTries):
            expect_few_tries(store, "somebody else", "203.0.113.9")
        expect_few_tries(store, "somebody else", "203.0.113.10")


def test_guessing_one_person_from_many_addresses_stops_strangers_and_not_the_person() -> None:
    with session() as store:
        keep_try(store, "ada", "10.0.0.1", good=True)
        for number in range(100):
            keep_try(store, "ada", f"198.51.100.{number}", good=False)
        with pytest.raises(TooManyTries):
            expect_few_tries(store, "ada", "192.0.2.7")
        expect_few_tries(store, "ada", "10.0.0.1")


def test_tries_are_forgiven_by_a_good_one_and_by_time(monkeypatch: pytest.MonkeyPatch) -> None:
    with session() as store:
        for _ in range(9):
            keep_try(store, "ada", "10.0.0.1", good=False)
        keep_try(store, "ada", "10.0.0.1", good=True)
        keep_try(store, "ada", "10.0.0.1", good=False)
        expect_few_tries(store, "ada", "10.0.0.1")
        for _ in range(12):
            keep_try(store, "bo", "10.0.0.1", good=False)
        store.execute(text("UPDATE sign_in_try SET at = at - interval '11 minutes'"))
        expect_few_tries(store, "bo", "10.0.0.1")
    assert tries._BY_BOTH < tries._BY_ADDRESS < tries._BY_PERSON


def test_another_password_ends_every_sign_in_of_the_old_one() -> None:
    add("ada")
    with session() as store:
        people.open_sign_in(store, people.sign_in(store, "ada", GOOD))
    with session() as store:
        people.set_password(store, "ada", "another good one 5")
    with session() as store:
        assert store.scalars(select(SignIn)).all() == []
        with pytest.raises(NotSignedIn):
            people.sign_in(store, "ada", GOOD)
        assert people.sign_in(store, "ada", "another good one 5").name == "ada"


def test_signing_out_everywhere_leaves_others_signed_in() -> None:
    add("ada")
    add("bo")
    with session() as store:
        for name in ("ada", "ada", "bo"):
            people.open_sign_in(store, people.sign_in(store, name, GOOD))
        assert people.sign_out_everywhere(store, "ada") == 2
        assert len(store.scalars(select(SignIn)).all()) == 1


def test_somebody_who_is_removed_signs_in_no_more_and_the_last_administrator_stays() -> None:
    add("ada", "administrator")
    add("bo")
    with session() as store:
        people.remove_person(store, "bo")
        with pytest.raises(NotSignedIn):
            people.sign_in(store, "bo", GOOD)
        with pytest.raises(Conflict, match="last administrator"):
            people.remove_person(store, "ada")
        with pytest.raises(NotFound, match="nobody called jun") as missing:
            people.remove_person(store, "jun")
    assert "ada" in missing.value.remedy
