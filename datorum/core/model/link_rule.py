"""How the record that a field means is found, and what becomes of the field where it is not."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import BaseModel, Field, model_validator

BETWEEN_PARTS = "\x1f"
"""What stands between the parts of a key of several fields."""
LookedIn = Literal["site", "sheet", "imports"]


class LinkRule(BaseModel, frozen=True, extra="forbid"):
    """``by``: the fields of the other record by which it is looked for, each with a column; none: by what the site
    itself takes, its id. ``look``: where, in this order: on the site, in this sheet, among what other imports bring.

    ``missing``: where it is found nowhere, the record is held, the field is left blank, or it means the record with the
    id ``fixed``. ``several``: where more than one has the key, the record is held, or it means the newest or the
    oldest.
    """

    by: tuple[str, ...] = ()
    look: tuple[LookedIn, ...] = Field(default_factory=lambda: ("site", "sheet", "imports"))
    missing: Literal["hold", "blank", "fixed"] = "hold"
    fixed: str = ""
    several: Literal["hold", "newest", "oldest"] = "hold"

    def sentence(self) -> str:
        """How it finds a record, in words."""
        by = " and ".join(self.by) or "the id that the site gives"
        places = {"site": "on the site", "sheet": "in this sheet", "imports": "among what other imports bring"}
        missing = {"hold": "held", "blank": "left blank", "fixed": f"the record {self.fixed}"}[self.missing]
        several = {"hold": "held", "newest": "the newest", "oldest": "the oldest"}[self.several]
        where = ", then ".join(places[place] for place in self.look)
        return f"found by {by}, {where}; found nowhere: {missing}; found several times: {several}"

    @model_validator(mode="before")
    @classmethod
    def _by_one_field(cls, kept: Any) -> Any:
        """A rule that is a field's path alone, as mappings of before have it."""
        return {"by": (kept,)} if isinstance(kept, str) else kept

    @model_validator(mode="after")
    def _fixed_is_named(self) -> LinkRule:
        if self.missing == "fixed" and not self.fixed.strip():
            raise ValueError("the record that is meant where none is found has no id")
        return self
