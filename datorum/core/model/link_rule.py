"""How the record that a field means is found, and what becomes of the field where it is not."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field, model_validator

from datorum.core.model.field_mapping import FieldMapping

BETWEEN_PARTS = "\x1f"
"""What stands between the parts of a key of several fields."""
OWN_KEY = "its key"
"""Stands for the key by which a record was looked for among the columns that feed it where it is made."""
LookedIn = Literal["site", "sheet", "imports"]


class LinkRule(BaseModel, frozen=True, extra="forbid"):
    """``by``: the fields of the other record by which it is looked for, each with a column; none: by what the site
    itself takes, its id. ``parted_by``: what stands between the keys of those above it and its own, where it is looked
    for by its path from the top of a tree. ``look``: where, in this order: on the site, in this sheet, among what other
    imports bring.

    ``missing``: where it is found nowhere, the record is held, the field is left blank, it means the record with the
    id ``fixed``, or one is made, with what ``made`` feeds beside its key, once however many rows name it, those above
    it first. ``several``: where more than one has the key, the record is held, or it means the newest, the oldest, or
    the one among them that is active.
    """

    by: tuple[str, ...] = ()
    parted_by: str = ""
    look: tuple[LookedIn, ...] = Field(default_factory=lambda: ("site", "sheet", "imports"))
    missing: Literal["hold", "blank", "fixed", "make"] = "hold"
    fixed: str = ""
    made: dict[str, FieldMapping] = Field(default_factory=dict)
    several: Literal["hold", "newest", "oldest", "active"] = "hold"

    def sentence(self) -> str:
        """How it finds a record, in words."""
        by = " and ".join(self.by) or "the id that the site gives"
        path = f", as a path parted by “{self.parted_by.strip()}”" if self.parted_by else ""
        places = {"site": "on the site", "sheet": "in this sheet", "imports": "among what other imports bring"}
        missing = {"hold": "held", "blank": "left blank", "fixed": f"the record {self.fixed}", "make": "made"}
        several = {"hold": "held", "newest": "the newest", "oldest": "the oldest", "active": "the active one"}
        where = ", then ".join(places[place] for place in self.look)
        return (
            f"found by {by}{path}, {where}; found nowhere: {missing[self.missing]}; "
            f"found several times: {several[self.several]}"
        )

    def seen_columns(self) -> set[str]:
        """The columns that feed what is made where none is found."""
        feeds = self.made.values() if self.missing == "make" else ()
        return set().union(*(fed.seen_columns() for fed in feeds)) - {OWN_KEY}

    @model_validator(mode="before")
    @classmethod
    def _by_one_field(cls, kept: Any) -> Any:
        """A rule that is a field's path alone, as mappings of before have it."""
        return {"by": (kept,)} if isinstance(kept, str) else kept

    @model_validator(mode="after")
    def _whole(self) -> LinkRule:
        if self.parted_by and len(self.by) > 1:
            raise ValueError("a record is looked for by its path or by several fields, not by both")
        if self.missing == "fixed" and not self.fixed.strip():
            raise ValueError("the record that is meant where none is found has no id")
        return self
