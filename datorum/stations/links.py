"""The links of an import's records: which fields point to other records, and by which keys."""

from __future__ import annotations

from datorum.core.check import is_fed
from datorum.core.errors import InvalidMapping, Place
from datorum.core.link import LinkTarget
from datorum.core.model import Field, FieldType, LinkRule, Mapping
from datorum.core.model.link_rule import COLUMN
from datorum.core.model.text_addresses import AddressKey, TextAddresses
from datorum.sites import SiteType, singular
from datorum.sites.rest.model import Link
from datorum.stations.defined import fields_defined
from datorum.stations.descriptions import description_of
from datorum.stations.imports import Opened

_ID = Field(path="id", title="id")
_ACTIVE = {"active", "enabled", "published", "publish", "approved", "live", "visible"}


def links_of(now: Opened) -> dict[str, Link]:
    """The links of an import's record type, by the paths of their fields."""
    return {link.field: link for link in description_of(now.item).type(now.item.record_type).links}


def links_fed(now: Opened, mapping: Mapping) -> dict[str, Link]:
    """The links that anything feeds, by path."""
    return {path: link for path, link in links_of(now).items() if is_fed(mapping, path)}


def addresses_fed(now: Opened, mapping: Mapping) -> dict[str, TextAddresses]:
    """What becomes of old addresses in the texts of the fields that anything feeds, by path."""
    there = {field.path for field in now.record_type.writable}
    return {path: rule for path, rule in mapping.addresses.items() if path in there and is_fed(mapping, path)}


def types_meant(now: Opened) -> set[str]:
    """The record types that fed links, and addresses in texts, lead to, and those that define fed fields."""
    linked = {link.to for link in links_fed(now, now.mapping).values()}
    linked |= {definer.record_type for definer in fields_defined(now, now.mapping).values()}
    return linked.union(*(_led_to(rule) for rule in addresses_fed(now, now.mapping).values()))


def types_addressed(now: Opened) -> tuple[str, ...]:
    """The usable record types to whose records addresses in texts lead."""
    usable = description_of(now.item).usable
    led = set[str]().union(*(_led_to(rule) for rule in addresses_fed(now, now.mapping).values()))
    return tuple(sorted(led & usable.keys()))


def _led_to(rule: TextAddresses) -> set[str]:
    return {one.record_type for one in rule.to}


def link_of_address(now: Opened, path: str, key: AddressKey) -> tuple[Link, LinkRule]:
    """An address in the text of a field as a link to the record that it leads to, by what the site itself gives."""
    kind = description_of(now.item).types[key.record_type]
    link = Link(field=path, to=key.record_type, by=kind.id_field or "id", confidence=1.0, why="an address in a text")
    return link, LinkRule(column=key.column) if key.column else LinkRule(by=(key.by,))


def takes_id(now: Opened, link: Link) -> bool:
    """Whether a link takes the id that the site itself gives a record."""
    kind = description_of(now.item).types.get(link.to)
    return kind is None or link.by == (kind.id_field or "id")


def said_active(kind: SiteType) -> tuple[str, frozenset[str]] | None:
    """The path of the field that says whether a record is active, and what it says then, in small letters."""
    for field in kind.record_type.fields:
        last = field.path.rpartition(".")[2].lower()
        if field.type is FieldType.BOOLEAN and last.removeprefix("is_") in _ACTIVE:
            return field.path, frozenset({"true"})
        said = _ACTIVE.intersection(value.lower() for value in field.enum)
        if said and not field.in_list:
            return field.path, frozenset(said)
    return None


def link_paths(now: Opened) -> frozenset[str]:
    """The paths of the fields that say which other record is meant."""
    return frozenset(links_of(now))


def rule_of(now: Opened, mapping: Mapping, path: str) -> LinkRule:
    """How a link is resolved; by the site's own id where nobody said otherwise."""
    return mapping.links.get(path) or LinkRule()


def keys_for(now: Opened, link: Link, rule: LinkRule) -> tuple[Field, ...]:
    """The fields of the other record by which a link looks for it, or one for the column of its sheet. Raises
    InvalidMapping where it has none of that name."""
    if rule.column:
        return (Field(path=f"{COLUMN}{rule.column}", title=rule.column),)
    kind = description_of(now.item).types.get(link.to)
    if not rule.by:
        by = link.by if kind is not None else "id"
        known = [field for field in (kind.fields if kind else ()) if field.path == by]
        return (known[0] if known else _ID,)
    if kind is None:
        raise InvalidMapping(
            f"The site does not describe {link.to}.", remedy="Take the link's key out.", place=Place(field=link.field)
        )
    return tuple(kind.record_type.field(path) for path in rule.by)


def must_be_found(now: Opened, mapping: Mapping) -> None:
    """Raises InvalidMapping where a link is to be looked for by a field that the other record has not, or in a way that
    its records do not allow, or where what it finds nowhere cannot be made."""
    makes: dict[str, tuple[str, ...]] = {}
    for path, link in links_of(now).items():
        rule = rule_of(now, mapping, path)
        keys = tuple(key.path for key in keys_for(now, link, rule))
        kind = description_of(now.item).types.get(link.to)
        if rule.parted_by and (kind is None or kind.way_up is None):
            raise InvalidMapping(
                f"The site’s {link.to} do not stand in a tree, so they have no paths.",
                remedy="Look for them by one of their fields.",
                place=Place(field=path),
            )
        if rule.several == "active" and (kind is None or said_active(kind) is None):
            raise InvalidMapping(
                f"The site’s {link.to} do not say which of them are active.",
                remedy="Hold the record, or take the newest or the oldest.",
                place=Place(field=path),
            )
        if rule.missing == "make" and is_fed(mapping, path):
            if why := _why_not_made(kind, link, rule, keys):
                raise InvalidMapping(
                    f"{link.to.capitalize()} cannot be made where {path} finds none: {why}.",
                    remedy="Choose another key, or hold the record.",
                    place=Place(field=path),
                )
            if makes.setdefault(link.to, keys) != keys:
                raise InvalidMapping(
                    f"Two links have {link.to} made, by different keys: one record might be made twice.",
                    remedy="Look for them by the same key.",
                    place=Place(field=path),
                )


def must_lead(now: Opened, mapping: Mapping) -> None:
    """Raises InvalidMapping where addresses in texts are to lead to what the site has not, or to records that have no
    address on it."""
    types = description_of(now.item).types
    for path, rule in mapping.addresses.items():
        for one in rule.to:
            kind = types.get(one.record_type)
            if kind is None or kind.address_at is None:
                what = "keeps no such records" if kind is None else "gives its records no address"
                raise InvalidMapping(
                    f"Addresses in {path} cannot lead to {one.record_type}: the site {what}.",
                    remedy="Take it out of what the addresses lead to.",
                    place=Place(field=path),
                )
            link, by = link_of_address(now, path, one)
            keys_for(now, link, by)


def _why_not_made(kind: SiteType | None, link: Link, rule: LinkRule, keys: tuple[str, ...]) -> str:
    """Why what a link finds nowhere cannot be made, as a clause; empty where it can."""
    if kind is None or kind.out_of_reach:
        return "the site does not describe how" if kind is None else kind.out_of_reach
    if rule.column:
        return "they are looked for by what only a sheet has of them"
    there = {field.path for field in kind.record_type.writable if not field.in_list}
    if unknown := [path for path in keys if path not in there]:
        return f"{' and '.join(unknown)} is given by the site itself"
    if lost := [path for path in rule.made if path not in there]:
        return f"they have no field {lost[0]} that can be fed"
    own = kind.id_field or "id"
    if link.by != own and link.by not in (*keys, *rule.made):
        return f"the link takes their {link.by}, which nothing feeds"
    up = kind.way_up
    if rule.parted_by and up is not None and up.by != link.by:
        return f"the link takes their {link.by}, and they mean the one above by its {up.by}"
    return ""


def types_made(now: Opened) -> dict[str, str]:
    """The record types of which records are made where links find none, or that define fields, and the field by which
    each is told apart."""
    found = {}
    for path, link in links_fed(now, now.mapping).items():
        rule = rule_of(now, now.mapping, path)
        if rule.missing == "make":
            found[link.to] = keys_for(now, link, rule)[0].path
    for definer in fields_defined(now, now.mapping).values():
        found.setdefault(definer.record_type, definer.name_at)
    return found


def linked_types(now: Opened) -> list[SiteType]:
    """The record types that fed links point to and that are looked for on the site, and those that define fed fields,
    each once."""
    types = description_of(now.item).types
    wanted = [
        link.to
        for path, link in links_fed(now, now.mapping).items()
        if "site" in rule_of(now, now.mapping, path).looked_in and link.to in types
    ]
    wanted += [definer.record_type for definer in fields_defined(now, now.mapping).values()]
    wanted += [name for rule in addresses_fed(now, now.mapping).values() for name in sorted(_led_to(rule))
               if name in types]  # fmt: skip
    return [types[name] for name in dict.fromkeys(wanted)]


def link_hint(now: Opened, mapping: Mapping, field: Field) -> str:
    """Whom a link means and by what it is found, in a few words; empty where the field is none."""
    link = links_of(now).get(field.path)
    if link is None:
        return ""
    one = (link.to if link.many else singular(link.to)).replace("_", " ").replace("-", " ")
    article = "" if link.many else "an " if one[:1] in "aeiou" else "a "
    by = " and ".join(key.title for key in keys_for(now, link, rule_of(now, mapping, field.path)))
    return f"{article}{one}, found by {by.lower() if not by.isupper() else by}"


def judged_as(now: Opened, mapping: Mapping, field: Field) -> Field:
    """A field as what is supplied for it is held to: a link by the form of the key by which it is looked for."""
    link = links_of(now).get(field.path)
    if link is None:
        return field
    rule = rule_of(now, mapping, field.path)
    return LinkTarget(rule, link.to, "", keys_for(now, link, rule), (), link.many).judged(field)
