"""What a run will do, record by record, field by field. There are as many of these as a site has records, so they are
plain values: what comes from outside is validated where it comes in."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Literal

from pydantic import BaseModel
from pydantic import Field as Described


class Action(StrEnum):
    """What happens to one record."""

    CREATE = "create"
    UPDATE = "update"
    DELETE = "delete"
    UNCHANGED = "unchanged"
    LEFT_OUT = "left out"
    HELD = "held"
    UNNAMED = "unnamed"
    """It is on the site, and no row of the sheet names it."""
    FOLLOW_UP = "follow up"
    """Something is done for it that changes none of its fields."""

    AWAITED = "awaited"
    """It stands for a record that another import is to bring first."""

    @property
    def sends(self) -> bool:
        """Whether anything is sent for it."""
        return self in (Action.CREATE, Action.UPDATE, Action.DELETE, Action.FOLLOW_UP)


OF_RECORDS = tuple(action for action in Action if action not in (Action.FOLLOW_UP, Action.AWAITED))
"""What may become of the records of a sheet."""


class FieldPolicy(BaseModel, frozen=True, extra="forbid"):
    """What becomes of one field of a record that is on the site. ``items``: of a list all of it is written, or what it
    has is added to, or taken from, what the site has."""

    write: Literal["always", "if blank", "never"] = "always"
    items: Literal["as a whole", "add", "take away"] = "as a whole"


class Policy(BaseModel, frozen=True, extra="forbid"):
    """What happens on a match, on no match, to single fields, to records that no row names, and with the site's mail.

    ``keys``: further keys, each the paths of its fields, by which a record is looked for in this order where the match
    key of the mapping finds none. ``fields`` by path; of one that is not there the policy is that of a field that
    nobody has set any for. ``clear_first``: all records of the type are deleted before anything is written.
    """

    on_match: Literal["update", "skip", "hold"] = "update"
    on_no_match: Literal["create", "skip", "hold"] = "create"
    keys: tuple[tuple[str, ...], ...] = Described((), max_length=8)
    fields: Mapping[str, FieldPolicy] = {}
    unnamed: Literal["leave", "list", "delete"] = "leave"
    clear_first: bool = False
    send_mail: bool = False
    mails: Mapping[str, bool] = {}
    """Whether mail of single kinds is sent, by the names that the site has for them, where otherwise than as a rule."""

    def of_field(self, path: str) -> FieldPolicy:
        return self.fields.get(path, _AS_A_RULE)


_AS_A_RULE = FieldPolicy()


@dataclass(frozen=True, slots=True)
class Change:
    """One field of one record, before and after."""

    before: Any = None
    after: Any = None


@dataclass(frozen=True, slots=True)
class SiteRecord:
    """One record as the site gave it: its identity there, its body, its entity tag and the address of the page that
    shows it to a person, where the site gives them."""

    id: str
    body: dict[str, Any]
    etag: str | None = None
    page: str | None = None
    given: dict[str, Any] | None = None
    """The body in the site's own form, where that is another."""


@dataclass(frozen=True, slots=True)
class PlanRow:
    """What the frozen plan says of one record, its ``item``: the number of the record in the sheet, or one below 0
    where no row stands for it. ``row``: that of the sheet where it begins.

    ``changes`` holds every field that will be sent, keyed by path; for a create, ``before`` is None throughout, and of
    what is deleted it has what the record is known by to be still as it was. ``on_site`` is the matching record as the
    site had it when the plan was made. ``record_type``: that of a record which is made since links mean it; empty where
    it is the import's own. ``of_item``: it changes the record of that item once more.
    """

    item: int
    action: Action
    row: int | None = None
    key: str | None = None
    reason: str = ""
    record_id: str | None = None
    etag: str | None = None
    page: str | None = None
    changes: dict[str, Change] = field(default_factory=dict)
    on_site: dict[str, Any] | None = None
    record_type: str = ""
    of_item: int | None = None
