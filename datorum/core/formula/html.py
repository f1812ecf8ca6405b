"""HTML cut down to what a site should get: no markup, or an allowed set free of page-builder wrappers."""

from __future__ import annotations

import html
import re
from collections import Counter

import nh3

from datorum.core.formula.shortcodes import Treatment, treated

ALLOWED_TAGS = (
    "a", "abbr", "b", "blockquote", "br", "cite", "code", "dd", "del", "dl", "dt", "em", "figcaption", "figure", "h1",
    "h2", "h3", "h4", "h5", "h6", "hr", "i", "img", "ins", "li", "ol", "p", "pre", "q", "s", "small", "strong", "sub",
    "sup", "table", "tbody", "td", "tfoot", "th", "thead", "tr", "u", "ul",
)  # fmt: skip
"""What text on a website is made of; ``div``, ``span`` and ``section`` are not among it, since they only wrap."""

_ATTRIBUTES = {
    "a": {"href", "title", "hreflang"},
    "abbr": {"title"},
    "img": {"src", "alt", "title", "width", "height"},
    "ol": {"start"},
    "td": {"colspan", "rowspan"},
    "th": {"colspan", "rowspan", "scope"},
    "blockquote": {"cite"},
}
_EMPTY = re.compile(r"<(p|h[1-6]|li|em|strong|b|i|figure|blockquote)>(?:\s|&nbsp;|\u00a0|<br>)*</\1>")
_BLOCK_END = re.compile(r"(?i)<(?:br\s*/?|/(?:p|div|h[1-6]|li|tr|blockquote|pre|section|article|table|ul|ol))\s*>")


_TAG = re.compile(r"<(/?)([a-zA-Z][a-zA-Z0-9]*)")
_NEVER_DEEP = frozenset(
    (
        "area base br col dd dt embed hr img input li link meta option p param source tbody td tfoot th thead tr track"
        " wbr"
    ).split()
)
"""Elements that hold nothing, or that the next of their kind closes."""
_DEEPEST = 200
_MOST_WORK = 2_000_000


class TooDeep(ValueError):
    """The markup is nested so deep that its parser would not come to an end in time."""


def _refuse_depth(text: str) -> None:
    """Raise TooDeep. The parser (WHATWG HTML, 13.2) goes through all open elements at many tags."""
    open_now: Counter[str] = Counter()
    depth = deepest = tags = 0
    for match in _TAG.finditer(text):
        name = match[2].lower()
        tags += 1
        if name in _NEVER_DEEP:
            continue
        if match[1]:
            closed = min(open_now[name], 1)
            open_now[name] -= closed
            depth -= closed
        else:
            open_now[name] += 1
            depth += 1
            deepest = max(deepest, depth)
    if deepest > _DEEPEST or deepest * tags > _MOST_WORK:
        raise TooDeep("the markup is nested too deep")


def clean_html(text: str, tags: frozenset[str] | None = None, *, shortcodes: Treatment = "off") -> str:
    """Markup of the allowed tags only, wrappers, comments, scripts and empty paragraphs gone, and shortcodes too unless
    they are kept. Raises TooDeep."""
    _refuse_depth(text)
    kept = nh3.clean(
        treated(text, shortcodes),
        tags=set(tags or ALLOWED_TAGS),
        attributes=_ATTRIBUTES,
        link_rel=None,
        url_schemes={"http", "https", "mailto", "tel"},
    )
    before = None
    while kept != before:
        before, kept = kept, _EMPTY.sub("", kept)
    return re.sub(r"\n\s*\n+", "\n", kept).strip()


def strip_tags(text: str) -> str:
    """The text without its markup; what ended a paragraph or line ends a line. Raises TooDeep."""
    _refuse_depth(text)
    broken = _BLOCK_END.sub("\n", treated(text, "off"))
    plain = html.unescape(nh3.clean(broken, tags=set()))
    lines = (" ".join(line.split()) for line in plain.replace("\u00a0", " ").split("\n"))
    return re.sub(r"\n{3,}", "\n\n", "\n".join(lines)).strip()
