"""What becomes of addresses of the site that is left, where they stand within texts."""

from __future__ import annotations

import re
from typing import Literal

from pydantic import BaseModel, Field, model_validator

_SCHEME = re.compile(r"(?i)^[a-z][a-z0-9+.-]*:")


class AddressKey(BaseModel, frozen=True, extra="forbid"):
    """Records that addresses may lead to, and what of such a record stands in its old address: a field (``by``), or a
    ``column`` of the sheet that brings it. ``under``: the path below which alone addresses lead to them."""

    record_type: str
    by: str = ""
    column: str = ""
    under: str = ""

    @model_validator(mode="after")
    def _by_one_or_the_other(self) -> AddressKey:
        if bool(self.by) == bool(self.column):
            raise ValueError("a record is told from an address by one of its fields, or by a column of its sheet")
        return self


class TextAddresses(BaseModel, frozen=True, extra="forbid"):
    """Addresses within the texts of a field that lead to records: they are written as those that the records have on
    this site. ``hosts``: the servers of the site that is left; addresses that name no server are of it too. ``to``:
    what they may lead to, in this order.

    ``missing``: one that leads nowhere is kept as it is, holds its record, or is taken off, so that the words of a link
    stay and a picture goes.
    """

    hosts: tuple[str, ...] = ()
    to: tuple[AddressKey, ...] = Field(min_length=1, max_length=32)
    missing: Literal["keep", "hold", "take off"] = "keep"

    def sentence(self) -> str:
        """Where addresses lead, in words."""
        to = ", ".join(f"{one.record_type} by {one.column or one.by}" + (f" below /{one.under}" if one.under else "")
                       for one in self.to)  # fmt: skip
        of = f", of {' and '.join(self.hosts)}" if self.hosts else ""
        missing = {"keep": "kept as they are", "hold": "hold their records", "take off": "taken off"}[self.missing]
        return f"lead to {to}{of}; those that lead nowhere: {missing}"

    @property
    def hosts_alike(self) -> frozenset[str]:
        """The servers in small letters, without what says that they serve pages."""
        return frozenset(one.strip().lower().removeprefix("www.") for one in self.hosts)

    def is_old(self, address: str, host: str) -> bool:
        """Whether an address that names a server, or none, is of the site that is left."""
        return host.removeprefix("www.") in self.hosts_alike if host else _SCHEME.match(address) is None
