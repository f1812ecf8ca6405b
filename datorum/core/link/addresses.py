"""Addresses within texts that lead to records: found in markup, joined to the records by their keys, written anew."""

from __future__ import annotations

import html
import re
from collections.abc import Callable, Sequence
from typing import NamedTuple
from urllib.parse import parse_qsl, unquote, urlsplit

import polars as pl

from datorum.core.link.keys import ROW_OF, KeyTable
from datorum.core.link.resolve import LinkTarget, looked_for
from datorum.core.model.text_addresses import TextAddresses

# A tag ends before the next begins, so that no text makes this look far.
_TAG = re.compile(r"<([A-Za-z][A-Za-z0-9]*)((?:[^<>\"']|\"[^\"<]*\"|'[^'<]*')*+)>")
_GIVEN = re.compile(r"(?i)(?<![\w-])(href|src|poster)\s*=\s*(?:\"([^\"]*)\"|'([^']*)'|([^\s\"'>]+))")
_ALONE = re.compile(r"(?i)^\s*((?:https?:)?//[^\s<>\"]+|/[^\s<>\"]*)\s*$")
_NUMBERED = re.compile(r"^(\d+)(?=[-_])|(?<=[-_])(\d+)$")
_TELLS = re.compile(
    r"(?i)^(.*_)?(id|p|key|nr|no|number|num|slug|handle|name|sku|code|ean|gtin|isbn|ref|reference|article|product|item"
    r"|post|page_?id|file)$"
)
_NO_NUMBER = re.compile(r"(?=.*[^\W\d_]).{3}")
"""What a query gives by any other name may be a key where it has a letter: the number of a page is none."""
_HOLDS_ANY = r"(?i)(href|src|poster)\s*=|^\s*(https?:/)?/"


class Address(NamedTuple):
    """An address in a text, from ``begins`` to ``ends``, as it is meant there. ``tag``: from where to where the tag
    goes that has it, and the attribute with it, where it stands in markup."""

    begins: int
    ends: int
    value: str
    tag: tuple[int, int] | None = None
    attribute: tuple[int, int] | None = None
    picture: bool = False


def addresses_in(text: str) -> list[Address]:
    """The addresses that markup leads to, in order; of a text that is an address and no more, that one."""
    alone = _ALONE.match(text)
    if alone:
        return [Address(alone.start(1), alone.end(1), alone[1])]
    found = []
    for tag in _TAG.finditer(text):
        for one in _GIVEN.finditer(tag[2]):
            group = next(number for number in (2, 3, 4) if one[number] is not None)
            first = tag.start(2)
            value = html.unescape(one[group]).strip()
            if value and not value.startswith("#"):
                found.append(Address(
                    first + one.start(group), first + one.end(group), value, tag.span(),
                    (first + one.start(), first + one.end()), tag[1].lower() == "img",
                ))  # fmt: skip
    return found


def host_of(address: str) -> str:
    """The server that an address names, in small letters; none where it names none."""
    try:
        return (urlsplit(address).hostname or "") if "//" in address else ""
    except ValueError:
        return ""


def path_of(address: str) -> str:
    """The path of an address from the top of its site."""
    try:
        return "/" + unquote(urlsplit(address).path).lstrip("/")
    except ValueError:
        return "/"


def keys_in(address: str) -> list[str]:
    """What may be the key of a record in its address, the likeliest first: all of it, its path, the last part of that
    with and without how it ends, a number at either end of it, and what its query gives, by a telling name first."""
    try:
        parts = urlsplit(address)
        query = parse_qsl(parts.query, max_num_fields=50)
    except ValueError:
        return [address]
    whole = address.partition("#")[0]
    path = unquote(parts.path)
    last = path.rstrip("/").rpartition("/")[2]
    stem = re.sub(r"\.[A-Za-z0-9]{1,5}$", "", last)
    number = _NUMBERED.search(stem)
    asked = [value for name, value in query if _TELLS.match(name)]
    others = [value for name, value in query if not _TELLS.match(name) and _NO_NUMBER.match(value)]
    ends = [number[1] or number[2]] if number else []
    found = [whole, path, path.strip("/"), *asked, last, stem, *ends, *others]
    return [one for one in dict.fromkeys(found) if one and one != "/"]


class AddressTarget(NamedTuple):
    """Records that addresses may lead to: how they are looked for by a key, by their ids what ``addresses`` those have
    that are on the site, and the path below which alone addresses lead to them."""

    target: LinkTarget
    addresses: KeyTable | None
    under: str = ""

    def may_have(self, address: str) -> bool:
        """Whether an address may be that of such a record."""
        return path_of(address).startswith(f"/{self.under.strip('/')}/") if self.under.strip("/") else True


class Leading(NamedTuple):
    """What becomes of the addresses in the texts of a field. ``unread``: the record types that they may lead to of
    which the site's records are not known."""

    rule: TextAddresses
    targets: tuple[AddressTarget, ...]
    unread: tuple[str, ...] = ()


class TextsFared(NamedTuple):
    """Of some texts what is sent in their place, and of each the addresses that lead nowhere."""

    texts: pl.Series
    nowhere: list[list[str]]


_OPEN, _WAS, _CLOSE = "\x11", "\x12", "\x13"
_TOKEN = re.compile(f"{_OPEN}([^{_WAS}]*){_WAS}([^{_CLOSE}]*){_CLOSE}")
_CONTROLS = re.compile(f"[{_OPEN}{_WAS}{_CLOSE}]")
PLAIN = "\x14"
"""What stands before an address that is no part of markup, and is written as it is."""


def texts_fared(leading: Leading, values: pl.Series) -> TextsFared:
    """Have the addresses in some texts lead to the records of this site; each distinct text once."""
    rule = leading.rule
    held = values.str.contains(_HOLDS_ANY).fill_null(False)
    places = held.arg_true()
    found = [addresses_in(text) for text in values.filter(held)]
    own = {one.value for listed in found for one in listed if rule.is_old(one.value, host_of(one.value))}
    led = led_to(sorted(own), leading.targets)
    nowhere: list[list[str]] = [[] for _ in range(len(values))]
    written = []
    for place, text, listed in zip(places, values.filter(held), found, strict=True):
        missing = list(dict.fromkeys(one.value for one in listed if one.value in own and one.value not in led))
        nowhere[place] = missing
        written.append(_written(text, listed, led, set(missing) if rule.missing == "take off" else set()))
    texts = values.scatter(places, written) if written else values
    return TextsFared(texts, nowhere)


def led_to(addresses: Sequence[str], targets: Sequence[AddressTarget]) -> dict[str, str]:
    """The address on this site that each of some addresses is to be, or the row whose record will have it."""
    pairs = [(address, key) for address in addresses for key in keys_in(address)]
    asked = pl.DataFrame(pairs, schema={"address": pl.String, "key": pl.String}, orient="row")
    led: dict[str, str] = {}
    for one in targets:
        keys = one.target.compared(asked["key"])
        found = looked_for(one.target, keys)
        for address, state, value in zip(asked["address"], found.state, found.value, strict=True):
            if address in led or value is None or state not in ("found", "awaited") or not one.may_have(address):
                continue
            to = value if value.startswith(ROW_OF) else _of_id(one, value)
            if to is not None:
                led[address] = to
    return led


def _of_id(one: AddressTarget, record_id: str) -> str | None:
    if one.addresses is None:
        return None
    found = one.addresses.places_of(pl.Series([record_id]))[0]
    return None if found is None else web_address(one.addresses.frame["value"][found])


def web_address(given: object) -> str | None:
    """What a record gives as its address, where a browser opens it as a page; nothing else is made a link."""
    return given if isinstance(given, str) and given.lower().startswith(("https://", "http://", "/")) else None


def _written(text: str, listed: Sequence[Address], led: dict[str, str], off: set[str]) -> str:
    parts, at = [], 0
    for one in listed:
        if one.begins < at:
            # It stands in a tag that was taken off.
            continue
        to = led.get(one.value)
        if to is not None:
            parts += [_clean(text[at : one.begins]), _token(to, one, text)]
            at = one.ends
        elif one.value in off:
            begins, ends = one.begins, one.ends
            if one.tag is not None and one.attribute is not None:
                begins, ends = one.tag if one.picture else one.attribute
            parts.append(_clean(text[at : max(begins, at)]))
            at = ends
    return "".join([*parts, _clean(text[at:])])


def _clean(text: str) -> str:
    return _CONTROLS.sub("", text)


def _token(to: str, one: Address, text: str) -> str:
    """What stands for an address: itself where it is known, or the row that will have it, with what stood there."""
    plain = "" if one.tag is not None else PLAIN
    fragment = f"#{one.value.partition('#')[2]}" if "#" in one.value else ""
    if not to.startswith(ROW_OF):
        whole = to + fragment
        return whole if plain else html.escape(whole)
    return f"{_OPEN}{plain}{to}{_WAS}{_clean(text[one.begins : one.ends])}{_CLOSE}"


class Waiting(NamedTuple):
    """A part of a text that is an address which a row's record will have: the row as a reference says it, what stood
    there before, and whether it is a part of markup."""

    row: str
    was: str
    markup: bool


def parts_of_text(text: str) -> list[str | Waiting]:
    """A text in its parts, as ``texts_fared`` gives it."""
    found: list[str | Waiting] = []
    at = 0
    for one in _TOKEN.finditer(text):
        if one.start() > at:
            found.append(text[at : one.start()])
        found.append(Waiting(one[1].removeprefix(PLAIN), one[2], not one[1].startswith(PLAIN)))
        at = one.end()
    return [*found, text[at:]] if at < len(text) else found


def hold_addresses(values: pl.Series) -> bool:
    """Whether any of some texts may have an address in it."""
    return bool(values.str.contains(_HOLDS_ANY).any())


def own_addresses(values: pl.Series, is_own: Callable[[str], bool]) -> pl.DataFrame:
    """The distinct addresses in some texts that are wanted, with how many times each stands: ``address``, ``count``."""
    held = values.drop_nulls()
    held = held.filter(held.str.contains(_HOLDS_ANY))
    found = [one.value for text in held for one in addresses_in(text) if is_own(one.value)]
    return (
        pl.Series("address", found, dtype=pl.String).value_counts().sort(["count", "address"], descending=[True, False])
    )
