"""Users, and who came to the courses."""

from __future__ import annotations

import base64
import hashlib
import warnings
from collections.abc import Iterator, Sequence

from demo.data.exports.sheet import Export, Record, csv_file, moment, money, planted, to
from demo.data.people import STAYING

with warnings.catch_warnings():
    # It is gone from the library of later versions; this one has it.
    warnings.simplefilter("ignore", DeprecationWarning)
    import crypt


def users(world: Sequence[Record]) -> Iterator[Export]:
    """The 913 who move."""
    found = planted(
        world[STAYING:], "users",
        {
            "e-mail address is none": (9, to("email", "moss(at)quillmoss.example")),
            "unknown role": (6, to("role", "gardener")),
            "no username": (4, to("username", "")),
            "username too long": (3, to("username", "a" * 70)),
            "no stored password": (12, to("stored", "")),
            "password stored in another way": (7, _in_another_way),
        },
    )  # fmt: skip
    rows = [
        (
            {
                "Login": one.record["username"], "E-mail": one.record["email"], "Name": one.record["display_name"],
                "Level": one.record["role"], "Language": one.record["locale"],
                "Since": moment(one.record["registered_at"]), "About": one.record["bio"],
                "Homepage": one.record["website"], "Stored password": _stored(one.record),
            },
            one.faults,
        )
        for one in found
    ]  # fmt: skip
    rows.append(({**rows[17][0]}, {"user stands twice"}))
    yield csv_file(
        "users.csv", "users", "a row a user, below two lines of the shop's own", rows, len(found), encoding="cp1252",
        before=("Quillmoss seed library", "Members and staff"),
    )  # fmt: skip


def password_of(username: str) -> str:
    """What a user types to sign in."""
    return f"seed-{username}"


def _stored(one: Record) -> str:
    """What the old shop keeps of a password: bcrypt, as its language spells it."""
    if "stored" in one:
        return str(one["stored"])
    salt = base64.b64encode(hashlib.md5(one["username"].encode()).digest(), b"./").decode()[:21]
    return crypt.crypt(password_of(one["username"]), f"$2y$04${salt}u")


def _in_another_way(one: Record) -> None:
    """Of those who have not signed in since long."""
    one["stored"] = hashlib.md5(password_of(one["username"]).encode()).hexdigest()


def entries(world: Sequence[Record]) -> Iterator[Export]:
    """A row an entry, its files in a cell."""
    found = planted(
        world, "entries",
        {
            "unknown customer": (11, to("customer", "gone@quillmoss.example")),
            "impossible date": (7, to("entered_at", "30.02.2019 09:00")),
            "unknown state": (4, to("state", "slept through it")),
            "no reference": (3, to("reference", "")),
        },
    )  # fmt: skip
    rows = [
        (
            {
                "Ref.": one.record["reference"], "Course": one.record["course"], "Participant": one.record["customer"],
                "Booked": moment(one.record["entered_at"]), "State": one.record["state"],
                "Paid": money(one.record["paid"]), "Files": " | ".join(one.record["files"]),
                "Remarks": one.record["remarks"],
            },
            one.faults,
        )
        for one in found
    ]  # fmt: skip
    rows.insert(300, ({**rows[44][0]}, {"reference stands twice"}))
    yield csv_file("course-entries.csv", "course-entries", "a row an entry, files in a cell", rows, len(found))
