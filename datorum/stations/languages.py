"""The completeness view: originals × languages, what a site has, lacks, and has older than its original."""

from __future__ import annotations

import datetime as dt
from collections import Counter
from collections.abc import Iterator
from functools import lru_cache
from typing import Any, Literal, NamedTuple

import orjson
from pydantic import BaseModel
from sqlalchemy.orm import Session

from datorum.core.errors import NotAllowed, NotReady
from datorum.core.suggest.names import tokens
from datorum.core.suggest.shapes import says_original
from datorum.core.values import at
from datorum.sites import SiteType
from datorum.stations.descriptions import description_of
from datorum.stations.sites import get_site
from datorum.stations.snapshots import moment_of, ready_snapshots
from datorum.store import models, snapshots
from datorum.store.database import session

LanguageState = Literal["original", "there", "partly", "missing", "older", "twice"]


class InLanguage(BaseModel):
    """A text in one language: ``days`` after its original it was changed last, where the site tells. ``partly``: some
    of what its original has is there."""

    state: LanguageState
    record_id: str | None = None
    page: str | None = None
    days: int | None = None


class Original(BaseModel):
    """An original with what there is of it, a cell for each language of the view."""

    record_id: str
    label: str
    page: str | None
    cells: list[InLanguage]


class LanguageCount(BaseModel):
    """What there is in a language: ``partly`` and ``older`` are among what is ``there``."""

    language: str
    there: int
    partly: int
    missing: int
    older: int


class Completeness(BaseModel):
    """``total`` originals answer the question, of all ``originals``; ``lost``: translations of what is not there."""

    record_type: str
    title: str
    as_of: dt.datetime | None
    languages: list[LanguageCount]
    originals: int
    lost: int
    total: int
    rows: list[Original]


class Translated(NamedTuple):
    """The fields by which records of a type say their language, and what they are a translation of."""

    language: str
    original: str


def translated(kind: SiteType) -> Translated | None:
    """How records of a type are translations of one another, where they are."""
    language = next((field.path for field in kind.fields if not field.in_list and _says_language(field.path)), None)
    original = next((link.field for link in kind.links if link.to == kind.name and not link.many
                     and says_original(link.field)), None)  # fmt: skip
    return Translated(language, original) if language and original else None


def is_translated(kind: SiteType) -> bool:
    """Whether records of a type say in which languages their texts are there."""
    return translated(kind) is not None or len(inner_languages(kind)) > 1


def inner_languages(kind: SiteType) -> dict[str, tuple[str, ...]]:
    """The paths of the texts that each record has in each language, by the languages that it has a field for."""
    found: dict[str, tuple[str, ...]] = {}
    for field in kind.fields:
        if field.language and not field.in_list:
            found[field.language] = (*found.get(field.language, ()), field.path)
    return found


def _says_language(path: str) -> bool:
    return tokens(path.rpartition(".")[2]) in (("language",), ("locale",))


def completeness(
    store: Session, site_id: int, record_type: str, *, only_open: bool = False, offset: int = 0, count: int = 100
) -> Completeness:
    """What there is of each original, by what was read of the site last; ``only_open``: those alone of which something
    is missing or older. Raises NotFound, NotAllowed where such records are not translations of one another, and
    NotReady where they were not read."""
    kind = description_of(get_site(store, site_id)).type(record_type)
    if not is_translated(kind):
        raise NotAllowed(
            f"The site’s {record_type} do not say of what they are a translation.",
            remedy="Where they do, correct the site's description.",
        )
    kept = ready_snapshots(store, site_id).get(record_type)
    if kept is None:
        raise NotReady(f"The site’s {record_type} have not been read.", remedy="Read the site first.")
    read = _read if translated(kind) is not None else _read_inner
    found = read(kept.id, kept.content, str(kept.as_of))
    wanted = [one for one in found.rows if _is_open(one)] if only_open else found.rows
    return found.model_copy(update={"as_of": kept.as_of, "total": len(wanted), "rows": wanted[offset : offset + count]})


def _is_open(one: Original) -> bool:
    return any(cell.state in ("partly", "missing", "older", "twice") for cell in one.cells)


class _Text(NamedTuple):
    """One record: its language, the original that it names, what it is called, and when it was changed."""

    id: str
    language: str
    of: str | None
    label: str
    page: str | None
    changed: str | None


class _Kept(NamedTuple):
    """A record of a snapshot: its id, what it is called, its page, when it was changed, and what it has."""

    id: str
    label: str
    page: str | None
    changed: str | None
    body: dict[str, Any]


def _kept(store: Session, snapshot_id: int) -> Iterator[_Kept]:
    for chunk in snapshots.chunks(store, snapshot_id):
        columns = chunk.select(snapshots.ID, snapshots.LABEL, snapshots.PAGE, snapshots.CHANGED, snapshots.BODY)
        for number, label, page, changed, body in columns.iter_rows():
            yield _Kept(number, label or number, page, changed, orjson.loads(body))


@lru_cache(maxsize=8)
def _read(snapshot_id: int, _content: str, _as_of: str) -> Completeness:
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        kind = description_of(kept).type(kept.record_type)
        fields = translated(kind)
        assert fields is not None
        by = next(link.by for link in kind.links if link.field == fields.original)
        texts: dict[str, _Text] = {}
        named: dict[str, str] = {}
        for number, label, page, changed, body in _kept(store, snapshot_id):
            of = at(body, fields.original)
            language = str(at(body, fields.language) or "")
            texts[number] = _Text(number, language, str(of) if of else None, label, page, changed)
            named[number if by == (kind.id_field or "id") else str(at(body, by))] = number
    originals = {one.id: one for one in texts.values() if one.of is None}
    in_languages: dict[str, dict[str, list[_Text]]] = {number: {} for number in originals}
    lost = 0
    for one in texts.values():
        above = named.get(one.of) if one.of is not None else None
        if one.of is not None and above not in in_languages:
            lost += 1
        elif above is not None:
            in_languages[above].setdefault(one.language, []).append(one)
    common = Counter(one.language for one in texts.values() if one.language)
    languages = [language for language, _ in common.most_common()]
    first = Counter(one.language for one in originals.values()).most_common(1)
    languages.sort(key=lambda language: (language != first[0][0] if first else True, language))
    rows = [
        Original(
            record_id=one.id, label=one.label, page=one.page,
            cells=[_cell(one, language, in_languages[one.id].get(language, [])) for language in languages],
        )
        for one in sorted(originals.values(), key=lambda one: one.label.casefold())
    ]  # fmt: skip
    return _counted(kind, rows, languages, lost)


@lru_cache(maxsize=8)
def _read_inner(snapshot_id: int, _content: str, _as_of: str) -> Completeness:
    """Records that have their texts in each language: the original is what most of them have."""
    with session() as store:
        kept = store.get_one(models.Snapshot, snapshot_id)
        kind = description_of(kept).type(kept.record_type)
        spoken = inner_languages(kind)
        records: list[tuple[str, str, str | None, dict[str, int]]] = []
        for number, label, page, _, body in _kept(store, snapshot_id):
            counts = {language: sum(at(body, path) not in (None, "") for path in paths)
                      for language, paths in spoken.items()}  # fmt: skip
            records.append((number, label, page, counts))
    totals = {language: sum(counts[language] for *_, counts in records) for language in spoken}
    languages = sorted((one for one in spoken if totals[one]), key=lambda one: (-totals[one], one))
    first, others = languages[:1], sorted(languages[1:])
    rows = [
        Original(record_id=number, label=label, page=page, cells=[
            InLanguage(state=_inner_state(counts, language, first[0]), record_id=number, page=page)
            for language in (*first, *others)
        ])
        for number, label, page, counts in sorted(records, key=lambda one: one[1].casefold())
    ]  # fmt: skip
    return _counted(kind, rows, [*first, *others], lost=0)


def _inner_state(counts: dict[str, int], language: str, first: str) -> LanguageState:
    if not counts[language]:
        return "missing"
    if language == first:
        return "original"
    return "there" if counts[language] >= counts[first] else "partly"


def _counted(kind: SiteType, rows: list[Original], languages: list[str], lost: int) -> Completeness:
    states = [Counter(row.cells[place].state for row in rows) for place in range(len(languages))]
    return Completeness(
        record_type=kind.name, title=kind.title, as_of=None, originals=len(rows), lost=lost, total=len(rows), rows=rows,
        languages=[
            LanguageCount(language=language, there=len(rows) - counts["missing"], partly=counts["partly"],
                          missing=counts["missing"], older=counts["older"])
            for language, counts in zip(languages, states, strict=True)
        ],
    )  # fmt: skip


def _cell(original: _Text, language: str, there: list[_Text]) -> InLanguage:
    if original.language == language:
        return InLanguage(state="original", record_id=original.id, page=original.page)
    if not there:
        return InLanguage(state="missing")
    one = there[0]
    days = None
    if one.changed and original.changed:
        days = (moment_of(one.changed) - moment_of(original.changed)).days
    older = days is not None and moment_of(one.changed or "") < moment_of(original.changed or "")
    state: LanguageState = "twice" if len(there) > 1 else "older" if older else "there"
    return InLanguage(state=state, record_id=one.id, page=one.page, days=days)
