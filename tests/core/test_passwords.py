"""Stored password hashes: recognised, spelled as the site wants them, and never taken for passwords."""

from __future__ import annotations

import datetime as dt

import polars as pl
import pytest

from datorum.core.check import check
from datorum.core.model import Field, FieldMapping, Mapping, RecordType
from datorum.core.passwords import respelled, takes_hash, takes_password
from datorum.core.profile import profile
from datorum.core.profile.kinds import hash_format
from datorum.core.steps import Replace
from datorum.core.suggest import suggest
from datorum.core.table import FLAG, ROW

BCRYPT = "$2y$10$abcdefghijklmnopqrstuuGmWUvLqm0l9Cd0e0l0GCq4q9mRkCv6W"
WANTED = r"^\$2b\$[0-9]{2}\$[./A-Za-z0-9]{53}$"
KINDS = {
    BCRYPT: "bcrypt", "$argon2id$v=19$m=65536,t=3,p=4$c2FsdA$aGFzaA": "argon2", "$P$B" + "a" * 30: "phpass",
    "pbkdf2_sha256$600000$salt$aGFzaA==": "PBKDF2", "$6$salt$hash": "SHA-512 crypt", "d" * 32: "MD5",
}  # fmt: skip


@pytest.mark.parametrize(("text", "kind"), KINDS.items())
def test_the_kinds_in_use_are_known(text: str, kind: str) -> None:
    assert hash_format(text) == kind
    assert hash_format(text[:9]) is None or kind == "SHA-512 crypt"


@pytest.mark.parametrize("path", ["password_hash", "passwordHash", "login.hashed_password", "crypted_password"])
def test_a_field_that_takes_hashes_is_told_from_one_that_takes_passwords(path: str) -> None:
    assert takes_hash(Field(path=path, title="It"))
    assert not takes_password(Field(path=path, title="It"))
    assert takes_password(Field(path="password", title="Password"))
    assert not takes_password(Field(path="password_hint", title="Hint"))


def test_a_beginning_that_the_site_spells_otherwise_is_told_and_no_other() -> None:
    field = Field(path="password_hash", title="Hash", pattern=WANTED)
    assert respelled(field, [BCRYPT, "d" * 32, BCRYPT.replace("$2y$", "$2b$")]) == {"$2y$": "$2b$"}
    assert respelled(Field(path="password_hash", title="Hash"), [BCRYPT]) == {}
    assert respelled(field.model_copy(update={"pattern": r"^\$argon2"}), [BCRYPT]) == {}


def frame(**columns: list[str | None]) -> pl.DataFrame:
    height = len(next(iter(columns.values())))
    return pl.DataFrame({ROW: list(range(2, height + 2)), FLAG: [None] * height, **columns},
                        schema_overrides={FLAG: pl.String, **dict.fromkeys(columns, pl.String)})  # fmt: skip


def people(*fields: Field) -> RecordType:
    return RecordType(name="users", title="Users", fields=(Field(path="login", title="Login", unique=True), *fields))


def test_hashes_feed_the_field_of_hashes_spelled_as_the_site_wants() -> None:
    rows = frame(Login=[f"moss{at}" for at in range(30)], Password=[BCRYPT[:-2] + f"{at:02d}" for at in range(30)])
    kind = people(Field(path="password", title="Password", min_length=8, write_only=True),
                  Field(path="password_hash", title="Stored password", pattern=WANTED, write_only=True))  # fmt: skip
    mapping = suggest(kind, rows, profile(rows))
    assert mapping.fields["password_hash"].columns == ("Password",)
    assert mapping.fields["password_hash"].steps == (Replace(find="$2y$", by="$2b$"),)
    assert "password" not in mapping.fields or not mapping.fields["password"].fed
    found = check(rows, kind, mapping, dt.date(2026, 11, 29))
    assert found.held == 0


def test_hashes_are_no_passwords_and_who_has_none_is_listed() -> None:
    rows = frame(Login=["ada", "bo", "cy"], Password=[BCRYPT, None, "d" * 32])
    mapping = Mapping(fields={"login": FieldMapping(columns=("Login",)), "it": FieldMapping(columns=("Password",))})

    def rules(field: Field) -> list[tuple[int, str, bool]]:
        renamed = mapping.model_copy(update={"fields": {
            "login": mapping.fields["login"], field.path: mapping.fields["it"]}})  # fmt: skip
        found = check(rows, people(field), renamed, dt.date(2026, 11, 29)).findings
        return sorted(found.select("row", "rule", "blocks").iter_rows())

    taken = rules(Field(path="password", title="Password"))
    assert taken == [(2, "hash as password", True), (4, "hash as password", True)]
    assert rules(Field(path="password_hash", title="Hash")) == [(3, "no stored password", False)]
