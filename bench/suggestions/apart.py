"""Sheets that stand apart: written by hand after the concepts were, in the wording of exports, on sites of other
habits; half of them in languages that are in no file. ``python -m bench.suggestions.apart``"""

from __future__ import annotations

import polars as pl

from bench.suggestions.measure import HeaderSet, measure
from bench.suggestions.values import column
from datorum.core.model import Field, FieldType, RecordType
from datorum.core.table import FLAG, ROW

_TYPES = {
    "t": FieldType.TEXT, "i": FieldType.INTEGER, "n": FieldType.NUMBER, "b": FieldType.BOOLEAN, "d": FieldType.DATE,
    "m": FieldType.DATE_TIME, "l": FieldType.LIST,
}  # fmt: skip
_FORMATS = {"email": "email", "url": "uri"}

KNOWN = (
    (
        "customers, German accounts",
        "customers",
        """
        Debitor Nr. | accountRef | t | id
        Name 1 | displayLabel | t | name
        E-Mail (Rechnung) | billingMail | t | email
        Tel. privat | homePhone | t | phone
        Str./Hausnr. | addrStreet | t | street
        PLZ | addrZip | t | postcode
        Wohnort | addrTown | t | city
        Länderkz. | addrCountry | t | country
        Geb.-Datum | birthDay | d | date
        Angelegt am | addedOn | m | date
        USt-ID | taxRef | t | id
        Sachbearbeiter | | | word
    """,
    ),
    (
        "products, Polish wholesaler",
        "products",
        """
        Indeks | itemRef | t | sku
        Nazwa towaru | itemTitle | t | text
        Opis długi | itemBody | t | text
        Cena brutto | grossPrice | n | number
        Cena promocyjna | promoPrice | n | number
        Stan mag. | availQty | i | integer
        Waga (kg) | massKg | n | number
        Producent | makerLabel | t | word
        Kod EAN | eanCode | t | gtin
        Zdjęcie 1 | mainPhoto | t | url
        Kategoria | shelf | l | list
        JM | | | word
    """,
    ),
    (
        "orders, Portuguese shop",
        "orders",
        """
        N.º encomenda | orderRef | t | id
        Data da encomenda | placedOn | m | date
        Estado | workflow | t | word
        E-mail do cliente | clientMail | t | email
        Método de pagamento | paidVia | t | word
        Portes | carriage | n | number
        Desconto | rebate | n | number
        IVA | vatSum | n | number
        Total | grandSum | n | number
        Observações | clientRemark | t | text
        Loja | | | word
    """,
    ),
    (
        "users, Finnish association",
        "users",
        """
        Käyttäjätunnus | handleId | t | slug
        Sähköposti | mailTo | t | email
        Etunimi | nameGiven | t | given
        Sukunimi | nameFamily | t | family
        Rooli | grantedRole | t | word
        Liittymispvm | memberFrom | m | date
        Viim. kirjautuminen | seenAt | m | date
        Kotisivu | homeUrl | t | url
        Jäsennro | | | id
    """,
    ),
    (
        "customers, Greek",
        "customers",
        """
        Όνομα | GivenNm | t | given
        Επώνυμο | FamilyNm | t | family
        Email | MailAdr | t | email
        Τηλέφωνο | PhoneNr | t | phone
        Διεύθυνση | StreetLn1 | t | street
        Τ.Κ. | PostCd | t | postcode
        Πόλη | TownNm | t | city
        Χώρα | CountryCd | t | country
        Ημερομηνία εγγραφής | RegTs | m | date
        Παρατηρήσεις | Remark | t | text
    """,
    ),
    (
        "offers, Turkish",
        "offers",
        """
        Kupon Kodu | voucherRef | t | sku
        Açıklama | voucherText | t | text
        Başlangıç Tarihi | goodFrom | d | date
        Bitiş Tarihi | goodUntil | d | date
        Min. Sepet Tutarı | floorSum | n | number
        Kullanım Limiti | useCap | i | integer
        Ücretsiz Kargo | freePost | b | flag
    """,
    ),
    (
        "articles, French magazine",
        "articles",
        """
        Titre de l'article | heading | t | text
        Chapô | standfirst | t | text
        Texte intégral | bodyHtml | t | text
        Auteur | writtenBy | t | name
        Mis en ligne le | liveSince | m | date
        Langue | tongue | t | word
        Mots-clés | topics | l | list
        Visuel principal | coverUrl | t | url
        Méta-description | searchText | t | text
        Identifiant URL | pathPart | t | slug
    """,
    ),
    (
        "comments, Czech",
        "comments",
        """
        Jméno | postedByName | t | name
        E-mail | postedByMail | t | email
        Text recenze | reviewBody | t | text
        Hodnocení | starCount | i | integer
        Datum vložení | writtenAt | m | date
        IP adresa | fromIp | t | ip
        Schváleno | okFlag | b | flag
    """,
    ),
)
LAST = (
    (
        "customers, Italian",
        "customers",
        """
        Ragione sociale | companyLabel | t | word
        Referente | contactName | t | name
        Indirizzo e-mail | contactMail | t | email
        Cellulare | contactMobile | t | phone
        Via | siteRoad | t | street
        CAP | siteZip | t | postcode
        Comune | siteTown | t | city
        Prov. | siteProvince | t | word
        P.IVA | fiscalCode | t | id
        Cliente dal | clientSince | m | date
    """,
    ),
    (
        "products, Dutch",
        "products",
        """
        Art.nr. | article_no | t | sku
        Omschrijving | long_text | t | text
        Verkoopprijs incl. | selling_price | n | number
        Actieprijs | action_price | n | number
        Voorraad | on_stock | i | integer
        Gewicht (gram) | weight_grams | n | number
        Merk | brand_label | t | word
        Barcode | scan_code | t | gtin
        Afbeelding | picture_link | t | url
        Online | is_online | b | flag
    """,
    ),
    (
        "orders, Hungarian",
        "orders",
        """
        Rendelésszám | OrderNo | t | id
        Rendelés dátuma | OrderedOn | m | date
        Állapot | OrderStage | t | word
        Vevő e-mail címe | BuyerEmail | t | email
        Fizetési mód | PayMode | t | word
        Szállítási díj | DeliveryCost | n | number
        Kedvezmény | Reduction | n | number
        Végösszeg | FinalSum | n | number
        Megjegyzés | BuyerNote | t | text
    """,
    ),
    (
        "users, Swedish",
        "users",
        """
        Användarnamn | login_id | t | slug
        E-postadress | mail_address | t | email
        Förnamn | given_name | t | given
        Efternamn | surname | t | family
        Behörighet | access_role | t | word
        Senast inloggad | last_signin | m | date
        Skapad | created_ts | m | date
        Webbplats | web_page | t | url
    """,
    ),
    (
        "customers, Russian",
        "customers",
        """
        Имя | firstname | t | given
        Фамилия | lastname | t | family
        Эл. почта | mail | t | email
        Моб. телефон | cellphone | t | phone
        Город | town | t | city
        Индекс | zip | t | postcode
        Страна | nation | t | country
        Дата рождения | born | d | date
        Примечание | memo | t | text
    """,
    ),
    (
        "offers, Danish",
        "offers",
        """
        Rabatkode | promo_code | t | sku
        Gælder fra | active_from | d | date
        Gælder til | active_to | d | date
        Mindste køb | min_purchase | n | number
        Maks. antal | max_redeem | i | integer
        Brugt | redeemed | i | integer
        Gratis fragt | ships_free | b | flag
    """,
    ),
)
UNKNOWN = (
    ("customers, Albanian", "customers", """
        Emri | firstName | t | given
        Mbiemri | lastName | t | family
        Posta elektronike | email | t | email
        Telefoni | phone | t | phone
        Kompania | company | t | word
        Rruga | street | t | street
        Kodi postar | postcode | t | postcode
        Qyteti | city | t | city
        Shteti | country | t | country
        Datëlindja | birthDate | d | date
    """),
    ("orders, Maltese", "orders", """
        Numru tal-ordni | number | t | id
        Data tal-ordni | orderedAt | m | date
        Indirizz elettroniku | customerEmail | t | email
        Munita | currency | t | currency
        Metodu ta' ħlas | paymentMethod | t | word
        Skont | discount | n | number
        Total | total | n | number
        Noti | note | t | text
    """),
    ("products, Basque", "products", """
        Erreferentzia | sku | t | sku
        Izena | name | t | text
        Deskribapena | description | t | text
        Prezioa | price | n | number
        Barra-kodea | gtin | t | gtin
        Irudia | imageUrl | t | url
        Kategoriak | categories | l | list
        Argitaratua | published | b | flag
    """),
    ("users, Welsh", "users", """
        Enw defnyddiwr | username | t | slug
        E-bost | email | t | email
        Enw cyntaf | firstName | t | given
        Cyfenw | lastName | t | family
        Gwefan | website | t | url
        Cofrestrwyd | registeredAt | m | date
    """),
)  # fmt: skip


def as_set(title: str, kind: str, text: str) -> HeaderSet:
    """A sheet with values made for it: a line a column, with its field, the field's type, and the kind of its
    values."""
    fields, right = [], set()
    columns: dict[str, list[str]] = {}
    for line in filter(None, map(str.strip, text.splitlines())):
        header, path, letter, mark = (part.strip() for part in line.split("|"))
        columns[header] = column(header, None, mark, len(columns))
        if path:
            form = _FORMATS.get(mark)
            item = Field(path=path, title="") if letter == "l" else None
            fields.append(Field(path=path, title="", type=_TYPES[letter], format=form, items=item))
            right.add((header, path))
    rows = len(next(iter(columns.values())))
    frame = pl.DataFrame({ROW: range(2, rows + 2), FLAG: [None] * rows, **columns}, schema_overrides={FLAG: pl.String})
    return HeaderSet(title, RecordType(name=kind, title=kind, fields=tuple(fields)), frame, right)


def main() -> None:
    for what, sets in (
        ("languages that are known", KNOWN),
        ("the same, written last", LAST),
        ("languages that are in no file", UNKNOWN),
    ):
        found = measure([as_set(*one) for one in sets])
        print(f"{what}: precision {found.precision:.1%}, recall {found.recall:.1%}")
        for line in found.wrong:
            print(f"  wrong   {line}")
        for line in found.missed:
            print(f"  missed  {line}")


if __name__ == "__main__":
    main()
