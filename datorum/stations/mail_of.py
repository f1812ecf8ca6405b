"""What mail a run would have a site send."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from datorum.core.model import Policy
from datorum.sites import MailRule, SiteType
from datorum.stations.basis import Target


class MailOf(NamedTuple):
    """The kinds of mail that are ``sent``, by the names of their switches, all of it where the site has no switch that
    says so; ``silent``: none is, and the site can be told so."""

    sent: tuple[str, ...]
    silent: bool
    as_a_rule: bool

    @property
    def text(self) -> str:
        """What is sent, as a sentence without its ends."""
        if self.silent:
            return "the site is asked to send no mail"
        if self.sent:
            return f"the site sends its mail: {', '.join(self.sent)}"
        return "the site sends its mail" if self.as_a_rule else "the site does not say how to silence its mail"

    @property
    def sentence(self) -> str:
        """What is sent, as a sentence."""
        return "Mail is silenced." if self.silent else f"{self.text[0].upper()}{self.text[1:]}."


def mail_of(target: Target, policy: Policy) -> MailOf:
    """What mail is sent by a plan's policy, by the site as it was when the plan was made."""
    return mail_of_types((target.description.type(kind.name) for _, kind, _ in target.destinations), policy)


def mail_of_types(types: Iterable[SiteType], policy: Policy) -> MailOf:
    """What mail is sent about records of some types."""
    rule = MailRule(policy.send_mail, policy.mails)
    every = list(types)
    sent = dict.fromkeys(one.name for kind in every for one in kind.mails if rule.sends(one.name))
    return MailOf(tuple(sent), not sent and all(kind.mails for kind in every), policy.send_mail)
