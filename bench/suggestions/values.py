"""Values for the columns of the header sets, as uneven as an export's, by what a field or a mark asks for."""

from __future__ import annotations

import random
from collections.abc import Callable

from stdnum import ean

from datorum.core.model import Field, FieldType

_GIVEN = "Ingrid Lars Åse Jonas Mette Karl Sofie Henrik Nora Emil Tuva Odd".split()
_FAMILY = "Berg Lie Moen Haugen Strand Vik Solheim Brandt Keller Vogel Dahl Nyborg".split()
_CITIES = "Bergen Hamar Ås Lübeck Kiel Bremen Lund York Leeds Tromsø Molde Jena".split()
_WORDS = "beans carrot kale fennel sorrel chervil parsnip leek radish salsify thyme dill".split()
_WORDINGS = {
    "country": ("Norway", "DE", "Sverige", "Denmark", "GB"), "language": ("en", "Norwegian", "de", "German"),
    "currency": ("NOK", "EUR", "kr", "SEK"), "plan": ("free", "Premium", "grower", "Grower plan"),
    "role": ("Administrator", "editor", "customer", "Subscriber"),
    "order": ("completed", "Processing", "pending", "cancelled"), "discount": ("percent", "Fixed", "fixed"),
    "comment": ("approved", "pending", "1", "spam"), "translation": ("draft", "reviewed", "published"),
}  # fmt: skip
_MARKS: dict[str, Callable[[random.Random, int], str]] = {
    "id": lambda chance, row: str(1000 + row),
    "date": lambda chance, row: f"{chance.randint(1, 28)}/{chance.randint(1, 12)}/{chance.randint(2015, 2024)}",
    "word": lambda chance, row: chance.choice(_WORDS),
    "number": lambda chance, row: f"{chance.uniform(1, 900):.2f}",
    "flag": lambda chance, row: chance.choice(("yes", "no", "1", "0")),
    "hash": lambda chance, row: "$2y$10$" + "".join(chance.choices("abcdefghijkLMNOP0123456789./", k=53)),
    "slug": lambda chance, row: f"{chance.choice(_WORDS)}-{chance.choice(_WORDS)}-{row}",
    "ip": lambda chance, row: f"10.{chance.randint(0, 255)}.{chance.randint(0, 255)}.{row % 256}",
    "gtin": lambda chance, row: (digits := f"40{chance.randint(0, 9999999999):010d}") + ean.calc_check_digit(digits),
    "list": lambda chance, row: "|".join(sorted({chance.choice(_WORDS) for _ in range(3)})),
    "country": lambda chance, row: chance.choice(_WORDINGS["country"]),
    "currency": lambda chance, row: chance.choice(_WORDINGS["currency"]),
    "email": lambda chance, row: f"{chance.choice(_GIVEN)}.{row}@example.org".lower(),
    "url": lambda chance, row: f"https://shop.example/{chance.choice(_WORDS)}/{row}.jpg",
    "phone": lambda chance, row: f"+47 {chance.randint(20, 99)} {chance.randint(10, 99)} {chance.randint(1000, 9999)}",
    "name": lambda chance, row: f"{chance.choice(_GIVEN)} {chance.choice(_FAMILY)}",
    "given": lambda chance, row: chance.choice(_GIVEN),
    "family": lambda chance, row: chance.choice(_FAMILY),
    "city": lambda chance, row: chance.choice(_CITIES),
    "postcode": lambda chance, row: f"{chance.randint(0, 9999):04d}",
    "street": lambda chance, row: f"{chance.choice(_FAMILY)}veien {chance.randint(1, 99)}",
    "sku": lambda chance, row: f"{chance.choice(_WORDS)[:3].upper()}-{row:04d}",
    "integer": lambda chance, row: str(chance.randint(1, 40)),
    "text": lambda chance, row: " ".join(chance.choices(_WORDS, k=chance.randint(4, 14))),
}  # fmt: skip
_BY_NAME = (
    ("email", "email"), ("phone", "phone"), ("postcode", "postcode"), ("city", "city"), ("street", "street"),
    ("line1", "street"), ("sku", "sku"), ("ip", "ip"), ("slug", "slug"), ("url", "url"), ("number", "id"), ("id", "id"),
    ("notes", "text"), ("description", "text"), ("content", "text"), ("body", "text"), ("bio", "text"),
    ("note", "text"),
    ("first", "given"), ("last", "family"), ("display", "name"), ("reviewer.name", "name"), ("author_name", "name"),
    ("billing.name", "name"), ("shipping.name", "name"), ("customer.name", "name"), ("source", "text"),
    ("target", "text"), ("original", "text"), ("translated", "text"), ("post", "slug"), ("gtin", "gtin"),
    ("barcode", "gtin"), ("remark", "text"),
)  # fmt: skip
_BY_TYPE = {
    FieldType.DATE: "date", FieldType.DATE_TIME: "date", FieldType.NUMBER: "number", FieldType.INTEGER: "integer",
    FieldType.BOOLEAN: "flag", FieldType.LIST: "list",
}  # fmt: skip


def column(header: str, field: Field | None, mark: str, seed: int, rows: int = 60) -> list[str]:
    """The cells of one column, a few of them blank."""
    chance = random.Random(f"{header}{seed}")
    make = _MARKS[mark or _mark_of(header, field)] if not field or not field.enum else None
    cells = [
        chance.choice(_wordings(field)) if make is None and field else make(chance, row)  # type: ignore[misc]
        for row in range(rows)
    ]
    return ["" if chance.random() < 0.05 else cell for cell in cells]


def _wordings(field: Field) -> tuple[str, ...]:
    accepted = {value.lower() for value in field.enum}
    return max(_WORDINGS.values(), key=lambda words: len({word.lower() for word in words} & accepted))


def _mark_of(header: str, field: Field | None) -> str:
    if field is None:
        return "word"
    if field.path == "name" or field.path.endswith(".name"):
        first = {"first name": "given", "vorname": "given", "fornavn": "given", "nombre": "given", "surname": "family",
                 "nachname": "family", "etternavn": "family", "apellidos": "family"}  # fmt: skip
        return first.get(header.lower(), "name" if "." in field.path or field.path == "name" else "word")
    if field.type in _BY_TYPE:
        return _BY_TYPE[field.type]
    if field.format:
        return {"uri": "url"}.get(field.format, field.format)
    return next((mark for part, mark in _BY_NAME if part in field.path.lower()), "word")
