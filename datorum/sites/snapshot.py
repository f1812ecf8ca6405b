"""All records of one type, read from a site as they are at one time."""

from __future__ import annotations

from collections.abc import Callable

from datorum.core.errors import SiteUnavailable
from datorum.core.model import SiteRecord
from datorum.sites.protocol import Pages

READINGS = 3
"""As often is a site read that changes meanwhile."""

Progress = Callable[[int, int | None], None]
"""Is told how many records are read, and how many there are where the site says."""


def _quietly(_read: int, _total: int | None) -> None:
    """Progress that nobody asks for."""


async def read_whole(read: Callable[[], Pages], progress: Progress = _quietly) -> dict[str, SiteRecord]:
    """Every record that ``read`` gives, by its id: as many as the site says that it has.

    A site whose number of records changes while it is read is read again. Raises SiteUnavailable where it gives other
    than it says.
    """
    for _ in range(READINGS):
        found: dict[str, SiteRecord] = {}
        totals: set[int] = set()
        async for page in read():
            found.update((record.id, record) for record in page.records)
            if page.total is not None:
                totals.add(page.total)
            progress(len(found), page.total)
        if totals <= {len(found)}:
            return found
    raise not_whole(totals, len(found))


def not_whole(totals: set[int], read: int) -> SiteUnavailable:
    """What is wrong with a reading of so many records, during which the site told these totals."""
    if len(totals) > 1:
        return SiteUnavailable(
            f"The site's records change while they are read: it said {min(totals):,} of them, then {max(totals):,}.",
            remedy="Read it again when nobody is changing records there.",
        )
    return SiteUnavailable(
        f"The site says that it has {min(totals):,} records, and gave {read:,}.",
        remedy="Read it again. If it stays so, the token may not see all records: ask the site's administrator.",
    )
