"""What the site writes to people, unless it is told not to."""

from __future__ import annotations

import smtplib
from collections.abc import Callable
from email.message import EmailMessage
from typing import Any, NamedTuple

Record = dict[str, Any]


class Letter(NamedTuple):
    """A mail to somebody."""

    to: str
    subject: str
    text: str


Mail = Callable[[Record, Record | None, Record | None], Letter | None]
"""What is written about a record: as it is now, as it was before if it was there, and its customer if it has one."""


def welcome(record: Record, _before: Record | None, _customer: Record | None) -> Letter | None:
    """To a new customer."""
    return Letter(record["email"], "Welcome to Quillmoss", f"Dear {record['name']},\n\nyour account is ready.\n")


def of_order(record: Record, before: Record | None, customer: Record | None) -> Letter | None:
    """To whoever ordered, when an order comes in and when its state changes."""
    if customer is None or (before is not None and before.get("status") == record.get("status")):
        return None
    state = record.get("status", "pending")
    text = f"Dear {customer['name']},\n\nyour order {record['number']} is now {state}.\n"
    return Letter(customer["email"], f"Your order {record['number']}: {state}", text)


def of_offer(record: Record, _before: Record | None, _customer: Record | None) -> Letter | None:
    """To all members at once."""
    return Letter("members@quillmoss.example", f"An offer: {record['code']}", record.get("description") or "For you.\n")


def invitation(user: Record) -> Letter:
    """To somebody who is to choose a password."""
    name = user.get("display_name") or user["username"]
    return Letter(user["email"], "Your account at Quillmoss", f"Dear {name},\n\nplease choose a password.\n")


def send(port: int, letter: Letter) -> None:
    """Hand a letter to the mail server."""
    mail = EmailMessage()
    mail["From"], mail["To"], mail["Subject"] = "seeds@quillmoss.example", letter.to, letter.subject
    mail.set_content(letter.text)
    with smtplib.SMTP("127.0.0.1", port, timeout=10) as server:
        server.send_message(mail)
