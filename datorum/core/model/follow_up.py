"""What is done for the records of a run after it."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BaseModel, Field


class CallAction(BaseModel, frozen=True, extra="forbid"):
    """An operation of the site for each record, with ``values`` by path, texts that may have names of fields."""

    kind: Literal["action"] = "action"
    action: str
    values: dict[str, str] = {}


class SendMail(BaseModel, frozen=True, extra="forbid"):
    """A mail for each record, to the address in the field ``to``; ``per_minute`` of them at most."""

    kind: Literal["mail"] = "mail"
    to: str
    subject: str = Field(min_length=1, max_length=200)
    text: str = Field(min_length=1, max_length=20_000)
    per_minute: int = Field(60, ge=1, le=6_000)


class FollowUp(BaseModel, frozen=True, extra="forbid"):
    """What is done, and for which records ``of`` a run."""

    what: Annotated[CallAction | SendMail, Field(discriminator="kind")]
    of: Literal["created", "changed", "all"] = "all"

    @property
    def texts(self) -> list[str]:
        """The texts that may have names of fields."""
        return list(self.what.values.values()) if self.what.kind == "action" else [self.what.subject, self.what.text]
