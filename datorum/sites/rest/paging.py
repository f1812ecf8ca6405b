"""How the pages of a list are turned, by the names that parameters and answers have for it."""

from __future__ import annotations

import re
from collections.abc import Iterator

from datorum.sites.rest.model import Paging, PagingStyle
from datorum.sites.rest.parts import Operations, plain
from datorum.sites.rest.schema import Json


def _any(*names: str) -> re.Pattern[str]:
    """One of some names, written with or without marks between their words: ``page_size`` is ``pageSize`` too."""
    return re.compile(f"(?i)^({'|'.join(name.replace('_', '[_-]?') for name in names)})$")


_PAGE = _any("[$]?page", "p", "page_(no|num|number|index)", "current_page", r"page\[number\]")
_OFFSET = _any(
    "[$]?offset", "[$]?skip", "start", "start_(index|at|row)", "page_start", "first_result", r"page\[offset\]"
)
_CURSOR = _any(
    "cursor", r"page\[(cursor|after)\]", "starting_after", "(start|from|since)_(key|id)", "marker", "bookmark",
    "(next_)?(page|pagination|continuation)_token", "next_(token|cursor|page)", "continuation", "scroll_id",
)  # fmt: skip
_LESS_SURE_CURSOR = _any("after", "next")
_LESS_SURE_OFFSET = _any("from")
_SIZE = _any(
    "[$]?limit", "[$]?top", "count", "first", "max", "results", "size", "per_page", "page_(size|limit|length|items)",
    r"page\[(size|limit)\]", "items_per_page", "max_(results|items|count)", "num", "rows", "take", "amount",
)  # fmt: skip
_NEXT = _any("next", "next_(url|link|href|page|page_url|page_link)", "@?odata[.]nextLink")
_NEXT_TOKEN = _any("next_(cursor|token|page_token|marker|key)", "(end|after)_cursor", "continuation_token", "cursor")
_TOTAL = _any(
    "total", "count", "total_(count|results|items|entries|records|size|elements|rows)", r"\w*total_count",
    "result_count", "record_count", "found", "num_found", "hits", "matches",
)  # fmt: skip
_AROUND = _any(
    "_?links?",
    "meta",
    "info",
    "_?metadata",
    "paging",
    "pagination",
    "page",
    "page_info",
    "(result|response)_(info|meta|metadata)",
)


def paging_of(parameters: dict[str, Json], answer: Json, operation: Json, operations: Operations) -> Paging:
    """The ways in which a list's pages are turned: an address of the next page is surest, then a token, a page, an
    offset; a header that says it may be there beside all of them."""
    page, size = _named(parameters, _PAGE), _named(parameters, _SIZE)
    offset, cursor = _named(parameters, _OFFSET), _named(parameters, _CURSOR)
    if not (page or offset or cursor):
        # Words that are as often the bounds of a period.
        offset, cursor = _named(parameters, _LESS_SURE_OFFSET), _named(parameters, _LESS_SURE_CURSOR)
    texts = [(at, name) for at, name, part in _scalars(answer, operations) if _may_be_text(part)]
    next_at = next((at for at, name in texts if _NEXT.match(name)), None)
    token_at = next((at for at, name in texts if _NEXT_TOKEN.match(name)), None) if cursor else None
    styles: list[PagingStyle] = []
    if cursor:
        styles.append("cursor")
    if page:
        styles.append("page")
    if offset:
        styles.append("offset")
    if next_at:
        styles.append("next-url")
    if not styles and "link" in {name.lower() for name in operations.headers(operation)}:
        styles.append("link-header")
    surest: tuple[PagingStyle, ...] = ("next-url", "cursor", "link-header", "page", "offset")
    numbered = plain(parameters[page].get("schema")) if page else {}
    most = plain(parameters[size].get("schema")).get("maximum") if size else None
    return Paging(
        style=next((style for style in surest if style in styles), "none"),
        styles=tuple(styles),
        page=page,
        first=0 if 0 in (numbered.get("default"), numbered.get("minimum")) else 1,
        offset=offset,
        cursor=cursor,
        size=size,
        size_most=int(most) if isinstance(most, int | float) and most >= 1 else None,
        next_at=next_at,
        next_token_at=token_at,
    )


def _may_be_text(part: Json) -> bool:
    """Whether a value may be a text, or may be null beside that."""
    kinds = part.get("type")
    branches = [one for word in ("anyOf", "oneOf") for one in part.get(word) or () if isinstance(one, dict)]
    return (
        kinds in ("string", None) or (isinstance(kinds, list) and "string" in kinds) or any(map(_may_be_text, branches))
    )


def total_at(answer: Json, operations: Operations) -> str | None:
    """Where a list's answer says how many records there are in all."""
    numbers = [
        (at, name) for at, name, part in _scalars(answer, operations) if part.get("type") in ("integer", "number")
    ]
    return next((at for at, name in numbers if _TOTAL.match(name)), None)


def _named(parameters: dict[str, Json], names: re.Pattern[str]) -> str | None:
    def fits(name: str) -> bool:
        return "date" not in str(plain(parameters[name].get("schema")).get("format"))

    return next((name for name in parameters if names.match(name) and fits(name)), None)


def _scalars(answer: Json, operations: Operations, before: str = "", depth: int = 0) -> Iterator[tuple[str, str, Json]]:
    """The single values of an answer that stand around its records: where, the name, the schema."""
    whole = operations.merged(answer)
    inner = []
    for name, unresolved in plain(whole.get("properties")).items():
        part = operations.merged(unresolved)
        if "properties" in part:
            if _AROUND.match(str(name)) and depth < 3:
                inner.append((f"{before}{name}.", part))
            elif _NEXT.match(str(name)) and "href" in plain(part["properties"]):
                yield f"{before}{name}", str(name), {"type": "string"}
        elif part.get("type") != "array":
            yield f"{before}{name}", str(name), part
    for prefix, part in inner:
        yield from _scalars(part, operations, prefix, depth + 1)
