"""Texts held to where their addresses lead."""

from __future__ import annotations

from collections.abc import Iterator

import polars as pl

from datorum.core.check.findings import Where, findings_frame
from datorum.core.link.addresses import Leading, TextsFared
from datorum.core.said import said
from datorum.core.steps.landing import Landed

LEADS_NOWHERE = said(
    "leads nowhere",
    "leads to what is not on the new site",
    "At Map, say what such addresses may lead to, and what becomes of those that lead nowhere; or correct the texts.",
)
_UNREAD = said(
    "address unread",
    "holds addresses that have not been looked for",
    "Have the site's records read; a rehearsal reads them too.",
)


def address_findings(
    where: Where, path: str, leading: Leading, landed: Landed, fared: TextsFared
) -> Iterator[pl.DataFrame]:
    """What is wrong with the addresses in the texts of some rows: a finding for each that leads nowhere."""
    amiss = pl.Series([bool(one) for one in fared.nowhere], dtype=pl.Boolean)
    if not amiss.any():
        return
    if leading.unread:
        rows = landed.over_rows(amiss)
        kinds = " and ".join(leading.unread)
        unread = f"holds addresses that have not been looked for: the site’s {kinds} have not been read"
        yield findings_frame(where.filter(rows), path, _UNREAD, None, unread, blocks=False)
        return
    listed = landed.over_rows(pl.Series(fared.nowhere, dtype=pl.List(pl.String)))
    each = (
        pl.DataFrame({"at": pl.int_range(len(listed), eager=True), "address": listed}).explode("address").drop_nulls()
    )
    kept = {"keep": "stays as it is", "hold": "holds its record", "take off": "is taken off"}[leading.rule.missing]
    # In a cell one sees the text, which may be a page long.
    says = ("leads to nothing on the new site by " + each["address"] + f", which {kept}").to_list()
    blocks = leading.rule.missing == "hold"
    yield findings_frame(where.gather(each["at"]), path, LEADS_NOWHERE, each["address"], says, blocks=blocks)
