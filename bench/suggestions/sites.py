"""Two made-up sites that the header sets are mapped onto: one of flat names, one nested and in camel case.

Each field is ``path: type``, an exclamation mark for required; ``text`` may be left out.
"""

from __future__ import annotations

from datorum.core.model import Field, FieldType, RecordType

_COUNTRIES = ("NO", "DE", "SE", "DK", "GB", "FR", "ES", "NL")
_ENUMS = {
    "country": _COUNTRIES,
    "language": ("en", "nb", "de", "sv", "fr"),
    "currency": ("NOK", "EUR", "SEK", "GBP"),
    "plan": ("free", "premium", "grower"),
    "role": ("administrator", "editor", "author", "customer", "subscriber"),
    "order": ("pending", "processing", "completed", "cancelled", "refunded"),
    "discount": ("percent", "fixed"),
    "comment": ("approved", "pending", "spam"),
    "translation": ("draft", "reviewed", "published"),
}
_TYPES = {
    "date": FieldType.DATE, "moment": FieldType.DATE_TIME, "number": FieldType.NUMBER, "integer": FieldType.INTEGER,
    "flag": FieldType.BOOLEAN, "list": FieldType.LIST,
}  # fmt: skip
_FORMATS = {"email": "email", "url": "uri"}

_SITES = {
    "a": {
        "customers": """number email:email! name! company plan:plan joined_at:moment birth_date:date phone address.line1
            address.line2 address.postcode address.city address.country:country language:language newsletter:flag
            total_spent:number orders_count:integer notes""",
        "users": """number:integer username! email:email! display_name first_name last_name role:role
            registered_at:moment url:url bio locale:language password_hash""",
        "products": """sku! name! description short_description regular_price:number sale_price:number sale_from:date
            sale_to:date stock_quantity:integer weight:number length:number width:number height:number categories:list
            tags:list image:url published:flag tax_class gtin brand slug""",
        "orders": """number! ordered_at:moment! paid_at:moment status:order currency:currency customer_email:email!
            billing.name billing.company billing.street billing.postcode billing.city billing.country:country
            shipping.name shipping.street shipping.postcode shipping.city shipping.country:country shipping_method
            payment_method subtotal:number shipping_total:number discount_total:number tax_total:number total:number!
            note lines.sku lines.name lines.quantity:integer lines.price:number""",
        "coupons": """code! description discount_type:discount! amount:number! starts_at:date expires_at:date
            minimum_amount:number maximum_amount:number individual_use:flag exclude_sale_items:flag free_shipping:flag
            usage_limit:integer usage_limit_per_user:integer""",
        "comments": """number:integer post! parent:integer author_name! author_email:email author_url:url author_ip
            content! created_at:moment status:comment rating:integer""",
        "translations": "key source! target! language:language! context status:translation note",
    },
    "b": {
        "customers": """externalId email:email! firstName! lastName! company phone vatNumber billing.street
            billing.street2 billing.postcode billing.city billing.country:country shipping.street shipping.postcode
            shipping.city shipping.country:country createdAt:moment updatedAt:moment marketingConsent:flag tags:list""",
        "users": """userName! email:email! nickname firstName lastName roles:list createdAt:moment avatarUrl:url
            active:flag phone""",
        "products": """slug title! bodyHtml vendor productType tags:list published:flag sku! weight:number
            inventory:integer price:number! compareAtPrice:number cost:number barcode imageUrl:url seoTitle
            seoDescription""",
        "orders": """externalId! placedAt:moment! paidAt:moment completedAt:moment state:order currencyCode:currency
            customer.email:email! customer.name customer.phone total:number taxTotal:number shippingTotal:number
            paymentMethod transactionId trackingNumber remark items.sku! items.name items.quantity:integer
            items.unitPrice:number""",
        "coupons": """code! value:number! kind:discount validFrom:date validUntil:date minimumSubtotal:number
            maxUses:integer currency:currency active:flag""",
        "comments": """productSku! reviewer.name reviewer.email:email rating:integer title body! createdAt:moment
            verified:flag""",
        "translations": "recordKey! field! locale:language! original translated!",
    },
}


KINDS = {site: tuple(kinds) for site, kinds in _SITES.items()}
"""The kinds of record that each site has."""


def record_type(site: str, kind: str) -> RecordType:
    """One kind of record of one of the sites."""
    return RecordType(name=kind, title=kind.capitalize(), fields=tuple(map(_field, _SITES[site][kind].split())))


def _field(text: str) -> Field:
    path, _, kind = text.rstrip("!").partition(":")
    return Field(
        path=path,
        title=path.replace("_", " ").replace(".", ", "),
        type=_TYPES.get(kind, FieldType.TEXT),
        format=_FORMATS.get(kind),
        enum=_ENUMS.get(kind, ()),
        required=text.endswith("!"),
        items=Field(path=path, title=path) if kind == "list" else None,
        in_list=path.rsplit(".", 1)[0] if path.startswith(("lines.", "items.")) else None,
    )
