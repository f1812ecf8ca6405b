"""All records of one type, read from a site as they are at one time."""

from __future__ import annotations

from collections.abc import Callable

from datorum.core.errors import SiteUnavailable
from datorum.core.model import SiteRecord
from datorum.sites.protocol import Pages

_READINGS = 3
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
    for _ in range(_READINGS):
        found: dict[str, SiteRecord] = {}
        totals: set[int] = set()
        async for page, total in read():
            found.update((record.id, record) for record in page)
            if total is not None:
                totals.add(total)
            progress(len(found), total)
        if totals <= {len(found)}:
            return found
    if len(totals) > 1:
        raise SiteUnavailable(
            f"The site's records change while they are read: it said {min(totals):,} of them, then {max(totals):,}.",
            remedy="Read it again when nobody is changing records there.",
        )
    raise SiteUnavailable(
        f"The site says that it has {totals.pop():,} records, and gave {len(found):,}.",
        remedy="Read it again. If it stays so, the token may not see all records: ask the site's administrator.",
    )
