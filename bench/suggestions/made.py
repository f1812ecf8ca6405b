"""Header sets by the hundred: kinds of record × languages × styles of header × habits of a site's field names. A third,
by language and habit, is looked at by nobody who builds: only its figures are printed."""

from __future__ import annotations

import random
import re
import zlib
from collections.abc import Iterator
from typing import NamedTuple

import polars as pl

from bench.suggestions.measure import HeaderSet
from bench.suggestions.values import column
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.suggest.lexicon import ANY, concepts
from datorum.core.table import FLAG, ROW

_T, _I, _N, _B, _D, _M, _L = (
    FieldType.TEXT, FieldType.INTEGER, FieldType.NUMBER, FieldType.BOOLEAN, FieldType.DATE, FieldType.DATE_TIME,
    FieldType.LIST,
)  # fmt: skip


class _Part(NamedTuple):
    """A concept of a kind of record: what its field takes, the kind of its values, and how sites call it, habit by
    habit."""

    concept: str
    type: FieldType
    mark: str
    names: tuple[str, ...]
    format: str | None = None


def _parts(text: str) -> tuple[_Part, ...]:
    types = {"t": _T, "i": _I, "n": _N, "b": _B, "d": _D, "m": _M, "l": _L}
    found = []
    for line in filter(None, map(str.strip, text.splitlines())):
        head, _, names = line.partition(" = ")
        concept, kind, mark = (part.strip() for part in head.split("/"))
        form = {"email": "email", "url": "uri"}.get(mark)
        found.append(_Part(concept, types[kind], mark, tuple(name.strip() for name in names.split(";")), form))
    return tuple(found)


KINDS = {
    "customers": _parts("""
        given/t/given = first name; given name; forename; fname; name first; first
        family/t/family = last name; family name; surname; lname; name last; last
        email/t/email = email; e mail; email address; mail; contact email; mail addr
        phone/t/phone = phone; telephone; phone number; tel; contact phone; phone no
        company/t/word = company; organisation; company name; firm; business name; org
        vat number/t/id = vat number; tax id; vat id; vat no; tax number; vat reg no
        street/t/street = street; address line 1; street address; addr1; line one street; road
        street second/t/word = street 2; address line 2; second line; addr2; line two; street extra
        postcode/t/postcode = postcode; zip; postal code; zip code; post code; zipcode
        city/t/city = city; town; locality; place; city name; town city
        region/t/word = region; state; province; county; state province; district
        country/t/country = country; country code; nation; ctry; country iso; land
        language/t/word = language; locale; lang; preferred language; language code; tongue
        newsletter/b/flag = newsletter; marketing consent; accepts marketing; subscribed; opt in; mailing list
        birth date/d/date = birth date; date of birth; birthday; dob; born; birthdate
        registered date/m/date = registered at; member since; signup date; joined; joined on; registration date
        note/t/text = note; notes; remark; comments internal; remarks; memo
        spent/n/number = total spent; lifetime value; revenue; ltv; spent; money spent
        """),
    "products": _parts("""
        sku/t/sku = sku; article number; item no; product code; stock keeping unit; art no
        name/t/word = name; title; product name; label; product title; item name
        description/t/text = description; body; long description; descr; full description; desc
        summary/t/text = short description; summary; teaser; excerpt; intro; brief
        price regular/n/number = regular price; list price; base price; rrp; full price; original price
        price sale/n/number = sale price; offer price; special price; promo price; discounted price; reduced price
        price cost/n/number = cost price; purchase price; cost; buying price; cost of goods; unit cost
        stock/i/integer = stock; inventory; stock quantity; qty on hand; available; stock level
        weight/n/number = weight; weight kg; gross weight; wt; net weight; mass
        length/n/number = length; depth; length cm; len; dimension length; long side
        width/n/number = width; width cm; wide; w; dimension width; breadth
        height/n/number = height; height cm; h; tall; dimension height; elevation
        category/l/list = categories; category; product type; group; product category; departments
        brand/t/word = brand; manufacturer; vendor; maker; brand name; producer
        gtin/t/gtin = gtin; ean; barcode; upc; ean code; bar code
        image/t/url = image; picture; image url; main image; photo; thumbnail
        slug/t/slug = slug; handle; url key; permalink; url slug; seo url
        published/b/flag = published; active; visible; is active; online; enabled
        tag/l/list = tags; keywords; labels; tag list; tag names; tagged
        color/t/word = color; colour; col; shade; color name; hue
        """),
    "orders": _parts("""
        order number/t/id = number; order number; order no; order id; order ref; order key
        order date/m/date = ordered at; order date; placed at; purchase date; date placed; ordered on
        paid date/m/date = paid at; payment date; date paid; paid on; paid date; payment received
        status/t/word = status; order status; state; order state; current status; progress
        currency/t/currency = currency; currency code; curr; ccy; iso currency; money unit
        email/t/email = customer email; email; buyer email; mail; client mail; contact email
        payment method/t/word = payment method; payment type; pay method; paid by; payment gateway; payment
        shipping method/t/word = shipping method; delivery method; carrier; ship via; delivery type; shipment method
        shipping cost/n/number = shipping total; shipping cost; delivery fee; freight; postage; shipping amount
        subtotal/n/number = subtotal; items total; sub total; net total; goods total; merchandise total
        discount/n/number = discount total; discount; discount amount; rebate; total discount; reduction
        tax/n/number = tax total; tax; vat amount; vat; total tax; tax amount
        total/n/number = total; grand total; order total; total amount; sum total; total price
        tracking number/t/sku = tracking number; tracking code; parcel number; tracking; consignment no; waybill
        coupon code/t/word = coupon code; discount code; promo code; voucher; voucher code; code used
        note/t/text = note; customer note; remark; order comments; order note; message
        """),
    "offers": _parts("""
        coupon code/t/sku = code; coupon code; voucher code; promo code; discount code; coupon
        description/t/text = description; details; descr; text; about; explanation
        start date/d/date = starts at; valid from; start date; begins; from date; active from
        end date/d/date = ends at; valid until; end date; expires; to date; expiry date
        minimum/n/number = minimum amount; minimum; min spend; minimum order; min amount; minimum total
        maximum/n/number = maximum amount; maximum; max spend; max amount; upper limit; maximum total
        usage limit/i/integer = usage limit; max uses; maximum uses; limit; uses allowed; total uses allowed
        usage limit user/i/integer = user limit; customer limit; max per customer; limit per user; each may; per user
        usage count/i/integer = usage count; times used; used; redemptions; uses; redeemed count
        free shipping/b/flag = free shipping; free delivery; no shipping cost; freeship; ships free; gratis shipping
        """),
    "users": _parts("""
        login/t/slug = username; login; user name; login name; account name; user id name
        email/t/email = email; mail; e mail; email address; user email; contact mail
        given/t/given = first name; given name; fname; first; forename; name given
        family/t/family = last name; family name; lname; last; surname; name family
        display name/t/name = display name; nickname; public name; screen name; shown name; nick
        role/t/word = role; user role; roles; group role; access level; permission
        url/t/url = website; url; homepage; web site; site url; web page
        bio/t/text = bio; biography; about; about me; profile text; description of user
        registered date/m/date = registered at; registered; signup date; member since; joined; registration date
        lastlogin date/m/date = last login; last seen; last visit; last active; last sign in; latest login
        password/t/hash = password hash; password; pass hash; encrypted password; pwd; hash
        """),
    "articles": _parts("""
        name/t/text = title; headline; name; heading; article title; caption title
        slug/t/slug = slug; permalink; url key; handle; path name; url slug
        content/t/text = content; body; text; html; article body; main text
        summary/t/text = summary; excerpt; teaser; intro; lead; abstract
        author/t/name = author; author name; written by; byline; writer; creator
        published date/m/date = published at; publish date; publication date; date published; go live; release date
        language/t/word = language; locale; lang; language code; site language; tongue
        seo title/t/text = seo title; meta title; page title; meta headline; browser title; serp title
        seo description/t/text = seo description; meta description; meta desc; search description; meta text; serp text
        image/t/url = image; featured image; picture; cover; hero image; main photo
        tag/l/list = tags; keywords; labels; topics; tag names; tag list
        """),
    "comments": _parts("""
        author/t/name = author name; author; commenter; posted by; reviewer; name of author
        email/t/email = author email; email; mail; commenter email; reviewer email; e mail
        content/t/text = content; comment text; body; message; review text; text
        rating/i/integer = rating; stars; score; star rating; grade; points
        created date/m/date = created at; posted at; date; created; written on; comment date
        ip/t/ip = ip address; ip; author ip; remote ip; client ip; from ip
        verified/b/flag = verified; verified buyer; is verified; confirmed; verified purchase; approved buyer
        """),
}  # fmt: skip
HABITS = ("snake", "camel", "kebab", "pascal", "prefixed", "nested")
STYLES = ("plain", "upper", "snake", "cut", "slip", "prefixed")
_PREFIXES = {"customers": "cust", "products": "prd", "orders": "ord", "offers": "off", "users": "usr",
             "articles": "art", "comments": "cmt"}  # fmt: skip
_NESTED = {"street": "address", "street second": "address", "postcode": "address", "city": "address",
           "region": "address", "country": "address", "length": "dimensions", "width": "dimensions",
           "height": "dimensions", "seo title": "seo", "seo description": "seo"}  # fmt: skip


_LACKS = 0.18


class Made(NamedTuple):
    """A header set with what it was made of; ``unseen``: it is of the third that nobody looks at."""

    set: HeaderSet
    kind: str
    language: str
    style: str
    habit: str
    unseen: bool


def is_unseen(language: str, habit: str) -> bool:
    """Of each language two habits of six."""
    return (HABITS.index(habit) + zlib.crc32(language.encode())) % 3 == 0


def languages() -> list[str]:
    """Those that concepts have names in."""
    return sorted({language for _, names in concepts() for language in names} - {ANY})


def made_sets(only: str | None = None) -> Iterator[Made]:
    """Every set: of each language and habit one a kind of record, in one of the styles."""
    names = dict(concepts())
    for language in [only] if only else languages():
        for habit in HABITS:
            for at, (kind, parts) in enumerate(KINDS.items()):
                style = STYLES[(HABITS.index(habit) + at) % len(STYLES)]
                chance = random.Random(f"{language} {habit} {kind}")
                made = _made(kind, parts, language, habit, style, names, chance)
                yield Made(made, kind, language, style, habit, is_unseen(language, habit))


def _made(
    kind: str, parts: tuple[_Part, ...], language: str, habit: str, style: str, names: dict[str, dict[str, str]],
    chance: random.Random,
) -> HeaderSet:  # fmt: skip
    every = [_field(kind, part, habit) for part in parts]
    # Sheets have columns that no field takes, and sites fields that no column has.
    fields = [field for field in every if chance.random() >= _LACKS] or every
    columns: dict[str, list[str]] = {}
    right = set()
    for part, field in zip(parts, every, strict=True):
        if field in fields and chance.random() < _LACKS:
            continue
        said = names.get(part.concept, {}).get(language) or _said_together(part.concept, language, names)
        header = _styled(chance.choice(said.split(",")).strip(), style, kind, chance) if said else ""
        if not header or header in columns:
            continue
        columns[header] = column(header, None, part.mark, len(columns))
        if field in fields:
            right.add((header, field.path))
    columns["zz 1"] = column("zz 1", None, "word", 1)
    rows = len(columns["zz 1"])
    frame = pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})
    record_type = RecordType(name=kind, title=kind.capitalize(), fields=tuple(fields))
    return HeaderSet(f"{kind}, {language}, {style} on {habit}", record_type, frame, right)


def _said_together(concept: str, language: str, names: dict[str, dict[str, str]]) -> str:
    """“Order number” as its two words."""
    words = [names.get(one, {}).get(language, "").split(",")[0].strip() for one in concept.split()]
    return " ".join(words) if all(words) else ""


def _field(kind: str, part: _Part, habit: str) -> Field:
    words = part.names[HABITS.index(habit)].split()
    joined = "".join(word.capitalize() for word in words)
    path = {
        "snake": "_".join(words), "camel": joined[0].lower() + joined[1:], "kebab": "-".join(words), "pascal": joined,
        "prefixed": f"{_PREFIXES[kind]}_{'_'.join(words)}",
        "nested": ".".join([*filter(None, [_NESTED.get(part.concept)]), joined[0].lower() + joined[1:]]),
    }[habit]  # fmt: skip
    item = Field(path=path, title="") if part.type is FieldType.LIST else None
    return Field(path=path, title="", type=part.type, format=part.format, items=item)


def _styled(name: str, style: str, kind: str, chance: random.Random) -> str:
    match style:
        case "upper":
            return name.upper()
        case "snake":
            return re.sub(r"\W+", "_", name.lower())
        case "cut":
            words = name.split()
            return " ".join(f"{word[:6]}." if len(word) > 9 else word for word in words)
        case "slip" if len(name) > 7 and chance.random() < 0.3:
            at = chance.randrange(2, len(name) - 1)
            return name[:at] + name[at + 1 :]
        case "prefixed":
            return f"{_PREFIXES[kind]} {name}"
    return name
