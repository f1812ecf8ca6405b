"""Links held to what they find."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from datorum.core.check.findings import Where, findings_frame
from datorum.core.link import LinkTarget, Resolved
from datorum.core.model import Field, FieldType
from datorum.core.said import said
from datorum.core.steps.landing import Landed

LINK_MISSING = said(
    "link missing",
    "finds no record",
    "At Map, see where it is looked for and what is done where none is found, or correct the rows.",
    acceptable=False,
)
LINK_SEVERAL = said(
    "link several",
    "finds several records",
    "At Map, choose which of several is meant, or correct the rows.",
    acceptable=False,
)
LINK_UNREAD = said(
    "link unread", "has not been looked for", "Have the site's records read; a rehearsal reads them too."
)


def link_findings(
    where: Where, field: Field, target: LinkTarget, landed: Landed, found: Resolved
) -> Iterator[pl.DataFrame]:
    """What is wrong with the references of some rows, of whose distinct values ``found`` says how they fared."""
    by, path = " and ".join(key.title for key in target.keys), field.path
    if field.required and not field.nullable and field.type is not FieldType.LIST:
        says = f"is left blank, as no {target.one} has this {by}, and the site requires it"
        yield from _told(where, path, landed, found.state == "left blank", "required", says)
    missing = found.state == "missing"
    yield from _told(where, path, landed, missing, LINK_MISSING, f"finds no {target.one} by {by}")
    unread = found.state == "unread"
    says = f"has not been looked for: the site’s {target.to} have not been read"
    yield from _told(where, path, landed, unread, LINK_UNREAD, says, blocks=False)
    several = found.state == "several"
    says = "finds {:,} " + f"{target.to} by {by}"
    yield from _told(where, path, landed, several, LINK_SEVERAL, says, found.records)


def _told(
    where: Where, path: str, landed: Landed, marked: pl.Series, rule: str, says: str, counts: pl.Series | None = None,
    *, blocks: bool = True,
) -> Iterator[pl.DataFrame]:  # fmt: skip
    if not marked.any():
        return
    rows = landed.over_rows(marked)
    values = landed.values.filter(rows)
    told: str | list[str] = says
    if counts is not None:
        told = [says.format(count) for count in landed.over_rows(counts).filter(rows)]
    yield findings_frame(where.filter(rows), path, rule, values.str.replace_all("\x1f", " · "), told, blocks=blocks)
