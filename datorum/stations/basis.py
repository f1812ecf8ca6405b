"""What a check and a plan rest on. When any part of it changes they are stale, and say which part it was."""

from __future__ import annotations

import hashlib
from collections.abc import Collection, Mapping

from pydantic import BaseModel

from datorum.core.model import RecordType
from datorum.sites import SiteDescription
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened
from datorum.stations.landings import today
from datorum.stations.links import types_addressed, types_made, types_meant
from datorum.stations.named_files import takes_files
from datorum.stations.remembered import Remembered
from datorum.stations.surroundings import Surroundings, store_of, surroundings_of
from datorum.store import models
from datorum.store.contents import Owner, state_of

_CHANGED = {
    "sheet": "the sheet was read again",
    "mapping": "the mapping changed",
    "rows": "rows were corrected, left out or accepted",
    "rules": "rules were added or taken away",
    "site": "the site was connected anew at another address",
    "records": "the site describes its records otherwise",
    "links": "records that links mean were read again",
    "files": "files were added or taken away",
}
"""What is said of each part that has changed. Parts without a sentence are fixed in what was worked out from them."""


def basis_of(now: Opened, around: Surroundings | None = None) -> dict[str, str]:
    """A digest of each thing that a check and a plan of an import are worked out from."""
    formulas = now.mapping.rows.formula.strip() or any(fed.sees_row for fed in now.mapping.fields.values())
    kind = now.record_type
    return {
        "sheet": " ".join(str(number) for number in (now.sheet.id, *dict(now.source().beside).values())),
        "mapping": str(now.mapping_version),
        "rows": str(now.revision),
        "rules": _digest(*kind.rules),
        "records": _described(now),
        "site": _digest(now.item.site.address),
        "day": today().isoformat(),
        "person": now.mapped_by if formulas else "",
        "links": links_known(now, around=around),
        "files": _files_known(now),
    }


def _files_known(now: Opened) -> str:
    """What tells whether the files that values name are those that they were."""
    return state_of(store_of(now), Owner(now.item.id)) if takes_files(now) else ""


AWAITS = "awaits"
"""Under this a plan keeps the imports that are to bring what it means."""


def links_known(now: Opened, awaited: Collection[int] = (), around: Surroundings | None = None) -> str:
    """A digest of what is known of the records that fed links can mean: when they were read from the site, and what
    other imports bring, or are to bring where they are ``awaited``."""
    names = types_meant(now)
    if not names:
        return ""
    return _digest(*(around or surroundings_of(now)).known(now.item, names, awaited))


def what_changed(before: Mapping[str, str], now: Mapping[str, str]) -> str:
    """The first part that is another than before, as a sentence without its end; empty where there is none."""
    return next((said for part, said in _CHANGED.items() if before.get(part, "") != now[part]), "")


class Target(BaseModel, frozen=True):
    """What a run of a plan goes by: the records it makes, the key they are told by, and the site they go to, all as
    they were when the plan was made. ``made``: the record types of which some are made since links mean them, and the
    key of each; ``addressed``: those to whose records addresses in texts lead."""

    record_type: RecordType
    match_key: str
    key_with: tuple[str, ...] = ()
    made: dict[str, str] = {}
    addressed: tuple[str, ...] = ()
    address: str
    description: SiteDescription

    @classmethod
    def of(cls, now: Opened) -> Target:
        """The target of an import as it stands, whose mapping has a match key."""
        assert now.mapping.match_key is not None
        return cls(
            record_type=now.record_type,
            match_key=now.mapping.match_key,
            key_with=now.mapping.key_with,
            made=types_made(now),
            addressed=(addressed := types_addressed(now)),
            address=now.item.site.address,
            description=description_of(now.item).only(now.item.record_type, *types_made(now), *addressed),
        )

    @property
    def destinations(self) -> list[tuple[str, RecordType, str]]:
        """The name under which rows of a plan are of a record type, the type, and its key; the import's own first."""
        made = [(name, self.description.type(name).record_type, key) for name, key in self.made.items()]
        return [("", self.record_type, self.match_key), *made]

    @classmethod
    def kept(cls, plan: models.Plan) -> Target:
        """The target that a plan was made for. It is never altered, and remembered: to read it takes a while."""
        return _TARGETS.get((plan.id, plan.created_at), None, lambda: cls.model_validate(plan.target))


_TARGETS: Remembered[Target] = Remembered(32)


def _described(now: Opened) -> str:
    """A digest of how the site describes the records of an import. It takes a while, and a description stays as it
    is."""
    kind = now.record_type.model_copy(update={"rules": ()})
    return _DESCRIBED.get(
        (now.item.description_id, now.item.record_type),
        None,
        lambda: _digest(kind, description_of(now.item).only(now.item.record_type)),
    )


_DESCRIBED: Remembered[str] = Remembered(512)


def _digest(*parts: BaseModel | str) -> str:
    digest = hashlib.sha256()
    for part in parts:
        digest.update((part if isinstance(part, str) else part.model_dump_json()).encode())
        digest.update(b"\0")
    return digest.hexdigest()
