"""The kinds of record that the old shop keeps."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

from pydantic import BaseModel

from demo.shop import forms
from demo.store import Table


@dataclass(frozen=True)
class Kind:
    """``name`` in paths and ``one`` around each record; ``number``: what its id is called. ``as_form``: it is sent as
    an HTML form, not as JSON."""

    name: str
    one: str
    form: type[BaseModel]
    unique: tuple[str, ...] = ()
    as_form: bool = False

    @property
    def number(self) -> str:
        return f"{self.one}_id"

    @cached_property
    def table(self) -> Table:
        """Where its records are kept."""
        return Table(f"shop_{self.one}", self.unique)


KINDS = {
    kind.name: kind
    for kind in (
        Kind("customers", "customer", forms.Customer, ("email",)),
        Kind("members", "member", forms.Member, ("login", "email")),
        Kind("categories", "category", forms.Category, ("code",)),
        Kind("items", "item", forms.Article, ("item_no",)),
        Kind("orders", "order", forms.Sale, ("order_no",)),
        Kind("vouchers", "voucher", forms.Voucher, ("code",), as_form=True),
        Kind("texts", "text", forms.Text, ("urlname",)),
        Kind("remarks", "remark", forms.Remark),
        Kind("bookings", "booking", forms.Booking, ("reference",)),
    )
}
TABLES = [kind.table for kind in KINDS.values()]
