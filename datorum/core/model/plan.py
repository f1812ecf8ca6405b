"""What a run will do, record by record, field by field. There are as many of these as a site has records, so they are
plain values: what comes from outside is validated where it comes in."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, Literal

from pydantic import BaseModel


class Action(StrEnum):
    """What happens to one row of the sheet."""

    CREATE = "create"
    UPDATE = "update"
    UNCHANGED = "unchanged"
    LEFT_OUT = "left out"
    HELD = "held"


class Policy(BaseModel, frozen=True, extra="forbid"):
    """What happens on a match, on no match, and with the site's mail."""

    on_match: Literal["update", "skip"] = "update"
    on_no_match: Literal["create", "skip"] = "create"
    send_mail: bool = False


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
    """One row of the frozen plan.

    ``changes`` holds every field that will be sent, keyed by path; for a create, ``before`` is None throughout.
    ``on_site`` is the matching record as the site had it when the plan was made. ``record_type``: that of a record
    which is made since links mean it; empty where it is the import's own.
    """

    row: int
    action: Action
    key: str | None = None
    reason: str = ""
    record_id: str | None = None
    etag: str | None = None
    changes: dict[str, Change] = field(default_factory=dict)
    on_site: dict[str, Any] | None = None
    record_type: str = ""
