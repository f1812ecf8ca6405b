"""How the record that a field means is found, and what becomes of the field where it is not."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field, model_validator

from datorum.core.model.field_mapping import FieldMapping

BETWEEN_PARTS = "\x1f"
"""What stands between the parts of a key of several fields."""
OWN_KEY = "its key"
"""Stands for the key by which a record was looked for among the columns that feed it where it is made."""
OWN_VALUE = "its file"
"""Stands for what a cell names a file by among the columns that feed the record of it where that is made."""
COLUMN = "\x1d"
"""What the path of a key begins with that is no field of the other record, but a column of the sheet that brings it."""
LookedIn = Literal["site", "sheet", "imports"]


class LinkRule(BaseModel, frozen=True, extra="forbid"):
    """``by``: the fields of the other record by which it is looked for, each with a column; none: by what the site
    itself takes, its id. ``column``: in the place of these what stands in a column of the sheet that brings it, such as
    the number that it had before; the site does not know of that, and it is not looked for there. ``parted_by``: what
    stands between the keys of those above it and its own, where it is looked for by its path from the top of a tree.
    ``of_files``: the cell names a file, by its path or its address; its record is looked for by the file's name alone.
    ``look``: where, in this order: on the site, in this sheet, among what other imports bring.

    ``missing``: where it is found nowhere, the record is held, the field is left blank, it means the record with the
    id ``fixed``, or one is made, with what ``made`` feeds beside its key, once however many rows name it, those above
    it first. ``several``: where more than one has the key, the record is held, or it means the newest, the oldest, or
    the one among them that is active.
    """

    by: tuple[str, ...] = ()
    column: str = ""
    parted_by: str = ""
    of_files: bool = False
    look: tuple[LookedIn, ...] = Field(default_factory=lambda: ("site", "sheet", "imports"))
    missing: Literal["hold", "blank", "fixed", "make"] = "hold"
    fixed: str = ""
    made: dict[str, FieldMapping] = Field(default_factory=dict)
    several: Literal["hold", "newest", "oldest", "active"] = "hold"

    @classmethod
    def by_key(cls, key: str) -> LinkRule:
        """A rule that looks by a field of the other record or, where the key begins so, by a column of its sheet."""
        return cls(column=key.removeprefix(COLUMN)) if key.startswith(COLUMN) else cls(by=(key,))

    @property
    def looked_in(self) -> tuple[LookedIn, ...]:
        """Where it is looked for: on the site only by what that knows."""
        return tuple(place for place in self.look if place != "site" or not self.column)

    @property
    def keyed(self) -> bool:
        """Whether it is looked for by anything but what the site itself takes."""
        return bool(self.by or self.column)

    def sentence(self) -> str:
        """How it finds a record, in words."""
        column = f"what stands in {self.column} where it comes from" if self.column else ""
        by = column or " and ".join(self.by) or "the id that the site gives"
        path = f", as a path parted by “{self.parted_by.strip()}”" if self.parted_by else ""
        path += ", as the name of a file" if self.of_files else ""
        places = {"site": "on the site", "sheet": "in this sheet", "imports": "among what other imports bring"}
        missing = {"hold": "held", "blank": "left blank", "fixed": f"the record {self.fixed}", "make": "made"}
        several = {"hold": "held", "newest": "the newest", "oldest": "the oldest", "active": "the active one"}
        where = ", then ".join(places[place] for place in self.looked_in)
        return (
            f"found by {by}{path}, {where}; found nowhere: {missing[self.missing]}; "
            f"found several times: {several[self.several]}"
        )

    def seen_columns(self) -> set[str]:
        """The columns that feed what is made where none is found."""
        feeds = self.made.values() if self.missing == "make" else ()
        return set().union(*(fed.seen_columns() for fed in feeds)) - {OWN_KEY, OWN_VALUE}

    @model_validator(mode="after")
    def _by_one_or_the_other(self) -> LinkRule:
        if self.column and (self.by or self.parted_by):
            raise ValueError("a record is looked for by its fields, or by a column of its sheet, not by both")
        return self

    @model_validator(mode="before")
    @classmethod
    def _by_one_field(cls, kept: Any) -> Any:
        """A rule that is a field's path alone, as mappings of before have it."""
        return {"by": (kept,)} if isinstance(kept, str) else kept

    @model_validator(mode="after")
    def _whole(self) -> LinkRule:
        if self.of_files and (self.parted_by or len(self.by) != 1):
            raise ValueError("the record of a file is looked for by one of its fields, the file's name")
        if self.parted_by and len(self.by) > 1:
            raise ValueError("a record is looked for by its path or by several fields, not by both")
        if self.missing == "fixed" and not self.fixed.strip():
            raise ValueError("the record that is meant where none is found has no id")
        return self
