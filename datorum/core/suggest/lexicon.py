"""What the words in headers mean, in the languages of web shops: a phrase stands for one or several concepts.

Each line is ``concepts: phrase, phrase, …``. Phrases are in plain letters (no accents, ø as o, ß as ss), as
``plain_word`` writes them. Words that stand in no line mean themselves.
"""

from __future__ import annotations

from functools import lru_cache

from datorum.core.formula.codes import plain_word

_LINES = """
email: e mail, email, mail, epost, e post, email address, e mail address, mail address, emailadresse, e mailadresse, epostadresse, e postadresse, mailadresse, courriel, adresse electronique, correo, correo electronico, posta elettronica, email addr, emailaddr, mailto, sahkoposti, e mailadres, emailadres, epostadress
given: first name, rufname, firstname, given name, givenname, forename, vorname, fornavn, prenom, nombre, nome, voornaam, fornamn, fname, first, given, etunimi, imie, name first
family: last name, lastname, surname, family name, familyname, nachname, etternavn, efternavn, nom de famille, apellido, apellidos, cognome, achternaam, efternamn, lname, last, family, familienname, zuname, sukunimi, nazwisko, name last, sirname
middle: middle name, middlename, mellomnavn, zweitname, second name
name: name, full name, fullname, fullt navn, fullstendig navn, navn, namn, nom, nimi, nazwa, naam, title, titel, tittel, titre, titulo, titolo, label, bezeichnung, benevnelse, contact name, kontaktperson, ansprechpartner, contact person, complete name, vollstandiger name, nombre completo, nom complet, volledige naam
salutation: salutation, anrede, honorific, prefix, tiltale, mr mrs, civilite
display name: display name, displayname, nickname, nick, nice name, nicename, visningsnavn, anzeigename, screen name, public name, pseudo, pseudonym, alias
login: username, user name, login, user login, login name, loginname, benutzername, brukernavn, anvandarnamn, nombre de usuario, gebruikersnaam, account name, nom d utilisateur, usuario, nome utente
password: password, passwort, passord, losenord, pass, pwd, password hash, passwordhash, hashed password, user pass, kennwort, mot de passe, contrasena, encrypted password, hash
phone: phone, telephone, tel, telefon, telefonnummer, phone number, telephone number, tlf, tlf nr, tel nr, telefono, telefoon, telefoonnummer, puhelin, fon, rufnummer, numero de telephone, contact number, phone no, tel no, telephone no, telephonenumber, phonenumber, daytime phone
phone mobile: mobile, mobil, mobile phone, mobilnummer, mobiltelefon, handy, handynummer, cell, cellphone, cell phone, portable, movil, gsm, mobile number, mobil nr, mobilnr, mobiel
fax: fax, telefax, faks, fax number
street: street, address 1, address1, address line 1, addressline1, street address, streetaddress, strasse, gate, gateadresse, vei, gata, adress line 1, line 1, line1, addr1, calle, rue, via, straat, adresse 1, adresse1, strasse und hausnummer, strasse hausnummer, strasse nr, street 1, street line 1, addr line 1, adresszeile 1, addr, adresselinje 1, postadresse, direccion, indirizzo, osoite, adresslinje 1, gatuadress, streetname, street name, strassenname, hausanschrift
street second: address 2, address2, address line 2, addressline2, street 2, line 2, line2, addr2, adresse 2, adresse2, adresszusatz, apartment, apt, suite, unit, c o, adresszeile 2, street line 2, adresselinje 2, address extra, complement, complement d adresse, etasje, zusatz, address addition, extra address, adresslinje 2
housenumber: house number, hausnummer, husnummer, house no, haus nr, hausnr, huisnummer, street number, husnr
address: address, adresse, anschrift, adress, adres, addresse
postcode: postcode, post code, zip, zip code, zipcode, postal code, postalcode, plz, postleitzahl, postnummer, postnr, post nr, code postal, codigo postal, cap, cp, postcode zip, zip postcode, zip postal code, postinumero, kod pocztowy, postal, zip postal, postcode plz
city: city, town, ort, stadt, sted, poststed, stad, ville, ciudad, citta, plaats, place, locality, city town, town city, wohnort, postort, kommune, woonplaats, poblacion, localite, kaupunki, miasto, suburb, stadt ort
region: state, region, province, county, fylke, bundesland, provinz, lan, provincia, departement, state province, state county, kanton, canton, provincie, prefecture, estado
country: country, land, pays, pais, paese, country code, countrycode, landkode, landcode, landerkurzel, country iso, iso country, nation, maa, kraj, landskode, landkod, country name, land iso, kuntri
company: company, company name, companyname, firma, firmenname, bedrift, firmanavn, foretag, organisation, organization, organization name, organisation name, business, business name, entreprise, societe, empresa, azienda, bedrijf, bedrijfsnaam, unternehmen, yritys, org, org name, virksomhet, farm, nursery, trade name, foretagsnamn, raison sociale
vat number: vat number, vat id, vat no, vatnumber, tax id, tax number, ust id, ust idnr, ustid, umsatzsteuer id, mva nr, mva nummer, organisasjonsnummer, org nr, orgnr, org number, btw nummer, tva, numero de tva, nif, cif, steuernummer, ein, taxid, vat reg no, organisationsnummer
birth date: date of birth, geb, geb am, geboren, geboren am, f dato, fod dato, birth date, birthdate, birthday, dob, born, geburtsdatum, geburtstag, fodselsdato, fodt, fodelsedatum, date de naissance, fecha de nacimiento, data di nascita, geboortedatum, born on, birth, syntymaaika
gender: gender, sex, geschlecht, kjonn, kon, sexe, sexo, genere, geslacht
language: language, lang, locale, sprache, sprak, langue, idioma, lingua, taal, preferred language, language code, languagecode, lang code, site language, kieli, jezyk, sprakkode, sprachcode, target language code, idiom, user locale, ui language, korrespondenzsprache
newsletter: newsletter, newsletter opt in, subscribed, subscribe, opt in, optin, marketing, accepts marketing, email marketing, mailing list, nyhetsbrev, marketing consent, newsletter abonniert, abonniert, news letter, marketing opt in, consent, samtykke, email opt in, nieuwsbrief, boletin, infolettre, receive newsletter, wants newsletter, receives newsletter, newsletter subscription, newsletter einwilligung, markedsforing, newsletteranmeldung
created date: created, created at, created on, created date, date created, createdat, created on date, creation date, date added, added, added on, added at, erstellt, erstellt am, erstellungsdatum, angelegt, angelegt am, opprettet, opprettet dato, skapad, date de creation, fecha de creacion, data di creazione, oprettet, insert date, inserted at, entry date, createdon, date created gmt, anlagedatum, aangemaakt, aangemaakt op, creado, cree le, date creation, dato opprettet, registreringsdatum
registered date: registered, registered at, registration date, registered on, registration, user registered, signup date, sign up date, signed up, signed up at, signup, joined, join date, joined at, joined on, member since, customer since, registriert, registriert am, registrert, registreringsdato, kunde siden, kunde seit, mitglied seit, medlem siden, innmeldt, date d inscription, fecha de registro, since, account created, registrierungsdatum, fecha alta, fecha de alta, kund sedan, klant sinds
updated date: updated, updated at, updated on, last updated, modified, modified at, modified on, date modified, last modified, last change, changed, changed at, last changed, geandert, geandert am, aktualisiert, aktualisiert am, endret, oppdatert, sist endret, sist oppdatert, andrad, updatedat, update date, date updated, derniere modification, actualizado, modificado, anderungsdatum, letzte anderung, fecha de modificacion, dato endret, gewijzigd, lastmodified
published date: published at, published on, publish date, date published, publication date, publiseringsdato, veroffentlicht, veroffentlicht am, publisert, go live, release date, publiseres, post date, erschienen, date de publication, fecha de publicacion, publishedat, pub date, pubdate
lastlogin date: last login, last seen, last active, last visit, letzter login, letzte anmeldung, sist innlogget, sist aktiv, last logged in, last sign in, last access, last activity, derniere connexion, sist sett
paid date: paid at, paid on, payment date, date paid, paid date, bezahlt am, betalt dato, zahlungsdatum, betalingsdato, date de paiement, paidat, fecha de pago
completed date: completed at, completed, date completed, fulfilled at, shipped at, shipping date, ship date, versanddatum, versendet am, sendt, sendt dato, delivery date, lieferdatum, leveringsdato, shipped on, dispatched, dispatch date, date shipped, date completed
order date: order date, ordered, ordered at, ordered on, date ordered, placed at, placed on, order placed, purchase date, purchased at, purchased on, bestelldatum, bestellt am, ordredato, bestillingsdato, orderdatum, date de commande, fecha de pedido, auftragsdatum, order created, sale date, kjopsdato, besteldatum, date of order, orderdate, ordre dato, data ordine, fecha pedido
start date: start, starts, start date, valid from, starts at, from date, date from, gultig ab, gyldig fra, startdato, startdatum, begins, begin date, von, active from, available from, fra dato, startet, starts on, valid after, fra, desde, debut, giltig fran, ab datum, fecha de inicio, date de debut, geldig vanaf
end date: end, ends, end date, expires, expires at, expiry, expiry date, expiration, expiration date, date expires, expires on, valid until, valid to, valid till, gultig bis, utloper, utlopsdato, gyldig til, sluttdato, enddatum, ablaufdatum, ablauf, lauft ab, until, to date, date to, active until, best before, til dato, date d expiration, fecha de caducidad, scadenza, slutdatum, expire date, valid through, giltig till, fecha de vencimiento, ends at, valido hasta, verloopdatum, geldig tot, bis
sale start date: sale start, offer start, offer starts, offer from, sale from, sale starts, date on sale from, sale start date, sale price from, sale price start, special price from, special from date, aktion von, tilbud fra, sale price dates from, angebot ab, angebot von, sale begins
sale end date: sale end, offer end, offer ends, offer until, sale to, sale ends, sale until, date on sale to, sale end date, sale price to, special price to, special to date, aktion bis, tilbud til, sale price dates to, angebot bis, sale price until, sale price end
date: date, datum, dato, day, dag, fecha, timestamp, time, datetime, date time, when, zeitpunkt, tidspunkt, date gmt
id: id, identifiant, identifier, uid, guid, uuid, external id, externalid, ext id, legacy id, old id, reference, ref, record id, source id, remote id, legacy reference, import id, kennung, referanse, referenz, gammel id, alte id, foreign id
number: number, no, nr, num, nummer, numero, nro, numer
customer: customer, kunde, client, cliente, kund, klant, buyer, kaufer, kjoper, shopper, asiakas, klient, besteller, purchaser, acheteur, kunden
user: user, benutzer, bruker, account, konto, anvandare, utilisateur, member, medlem, mitglied, compte, usuario, utente, gebruiker
product: product, produkt, vare, artikkel, prodotto, producto, produit, ware, tuote, item, prod, vara, seed
order: order, ordre, bestell, bestellung, bestilling, auftrag, commande, pedido, ordine, purchase, sale order, bestallning, zamowienie, tilaus, kjop, ordrenr
field: field, felt, feld, champ, campo, falt, veld, field name, feldname, feltnavn
coupon: coupon, voucher, gutschein, kupong, promo, promotion, cupon, kampanje, gavekort, coupons
coupon code: discount code, promo code, gutscheincode, coupon code, rabattcode, rabattkode, kampanjekode, bon de reduction, kupongkode, kuponkod, vouchercode, voucher code, couponcode, kortingscode, rabattkod, offer code, code promo, codigo de descuento, codice sconto
comment: comment, kommentar, commentaire, comentario, review, anmeldelse, rezension, omtale, recension, opinion, avis, feedback, resena, commento, comments, reviews
translation: translation, ubersetzung, oversettelse, traduction, traduccion, translated text, oversatt tekst, translated, oversattning, vertaling, traduzione, oversatt, ubersetzt, traducido, msgstr
sku: sku, article number, article no, article nr, artikelnummer, artikelnr, artikel nr, art nr, artnr, art no, varenummer, varenr, vare nr, item number, item no, item code, product code, productcode, product number, product no, product nr, produktnummer, produktkode, produktnr, stock code, model number, part number, part no, reference article, referencia, codice articolo, artikelcode, stock keeping unit, lagernummer, produktcode, ref produit, codigo de producto, best nr, bestellnummer artikel, item sku, artikkelnummer, productnummer
gtin: gtin, ean, ean code, ean13, ean 13, barcode, bar code, upc, isbn, strichcode, strekkode, streckkod, code barre, code barres, codigo de barras, gtin 13, eankode, ean kode, gtin ean, gtin 14, streepjescode
brand: brand, manufacturer, marke, hersteller, merke, produsent, fabricant, marca, vendor, varumarke, marque, maker, breeder, merk, leverandor, supplier, lieferant, producer
category: category, categories, kategorie, kategori, kategorien, kategorier, product category, categorie, categoria, collection, product type, group, warengruppe, varegruppe, produktgruppe, product group, section, department, rubrik, produktkategorie, cat, categorias, breadcrumb, categories path, category path, kategoriepfad, rubrique
tag: tag, tags, keywords, schlagworte, schlagworter, stichworte, stikkord, etiketter, etiquettes, etiquetas, product tags, nokkelord, keyword, mots cles, emneord, taggar, stichworter
description: description, long description, beschreibung, beskrivelse, beskrivning, descripcion, descrizione, desc, body, body html, content, innhold, inhalt, text, full description, details, product description, produktbeschreibung, produktbeskrivelse, omschrijving, description html, langbeschreibung, langtext, contenu, beschrijving, detailed description, langtekst, popis
summary: short description, summary, excerpt, teaser, kurzbeschreibung, kort beskrivelse, utdrag, zusammenfassung, sammendrag, intro, ingress, lead text, short text, description courte, kurztext, descripcion corta, breve descrizione, auszug, abstract, blurb, subtitle, short desc, kortbeskrivelse, resume, korte omschrijving
slug: slug, permalink, url key, handle, url slug, seo url, permalenke, url handle, nice url, urlkey, seo slug, url path
url: url, website, web site, homepage, webseite, nettside, web, link, webside, hjemmeside, web address, site web, sitio web, www, internet, nettsted, internetseite, sito web, page web, hemsida, nettadresse, website url, webadresse
image: image, images, picture, photo, bild, bilde, bilder, image url, image src, main image, featured image, picture url, foto, imagen, immagine, afbeelding, thumbnail, bildurl, bilde url, bild url, hauptbild, img, image link, gallery, produktbild, image urls, hovedbilde, cover, afbeeldingen
avatar: avatar, avatar url, profile picture, profile image, profilbild, profilbilde, gravatar
price: price, price incl vat, price incl tax, price excl vat, price ex vat, preis inkl mwst, preis exkl mwst, pris inkl mva, pris eks mva, pris ink moms, preis, pris, prix, precio, prezzo, prijs, unit price, einzelpreis, stykkpris, amount per item, hinta, cena, item price, enhetspris, stuckpreis, precio unitario, prix unitaire, price each, pris pr stk, price per unit, a pris, artikelpreis
price regular: regular price, list price, original price, listenpreis, listepris, ordinaer pris, ordinarie pris, compare at price, rrp, msrp, uvp, normalpreis, normalpris, veilpris, standard price, base price, full price, precio normal, precio regular, prix normal, veiledende pris, prix regulier, basispreis, grundpreis, price regular, prix catalogue, normale prijs, utsalgspris
price sale: sale price, special price, discounted price, offer price, angebotspreis, aktionspreis, tilbudspris, salgspris, sonderpreis, kampanjepris, precio rebajado, prix promo, prix promotionnel, reduced price, rabattpreis, reapris, price sale, reduzierter preis, nedsatt pris, precio oferta, actieprijs, promo price, prix solde, aanbiedingsprijs
price cost: cost, cost price, purchase price, einkaufspreis, ek, innkjopspris, kostpris, cost per item, wholesale price, inpris, innpris, prix d achat, precio de coste, inkjopspris, inkoopprijs
currency: currency, wahrung, valuta, devise, moneda, currency code, currencycode, waehrung, money, valuutta, waluta, divisa, valutakode
stock: stock, inventory, quantity in stock, stock quantity, inventory qty, lager, lagerbestand, lagerbeholdning, bestand, pa lager, stock level, qty on hand, qty in stock, available, available quantity, existencias, lagerantall, in stock, on hand, on stock, voorraad, giacenza, stock qty, beholdning, stocklevel, inventory quantity, lagersaldo, verfugbar, inventar, disponible, verfugbare menge, antall pa lager
quantity: quantity, qty, antall, anzahl, menge, antal, cantidad, quantite, units, count, pieces, pcs, item quantity, stuckzahl, stk, qta, aantal, item count, ordered quantity, quantity purchased, quantity ordered, bestelmengde, maara, ilosc, quantita
weight: weight, gewicht, vekt, vikt, poids, peso, gross weight, net weight, weight kg, weight g, grams, bruttogewicht, nettovekt, versandgewicht, paino, waga, shipping weight
length: length, lange, lengde, langd, longueur, largo, depth, dybde, tiefe, lengte, lunghezza, profondeur
width: width, breite, bredde, bredd, largeur, ancho, breedte, larghezza
sowing: sowing, sow, aussaat, saing, semis, siembra
height: height, hohe, hoyde, hojd, hauteur, alto, hoogte, altezza
color: color, colour, farbe, farge, farg, couleur, kleur, colore
size: size, grosse, storrelse, storlek, taille, talla, maat, pack size, packsize, packing
tax class: tax class, tax rate, vat rate, steuersatz, mva sats, mwst satz, mwst, momssats, tax code, vat class, tax category, steuerklasse, mva kode, moms, tva taux, btw tarief, mva gruppe, tipo de iva, mva klasse, iva, taux de tva, avgiftsklasse
tax: tax, tax total, total tax, tax amount, vat, steuer, mva, mwst betrag, vat amount, skatt, taxes, tax sum, steuerbetrag, mva belop, impuesto, taxe, avgift, order tax, impuestos, belasting, momsbelopp, btw, total vat
total: total, grand total, order total, amount, sum, gesamt, gesamtbetrag, gesamtsumme, totalsum, belop, betrag, summe, total amount, totalt, total price, gesamtpreis, importe, montant, montant total, total paid, order amount, totalbelop, totaal, importe total, totale, endbetrag, rechnungsbetrag, ordresum, brutto, order value, bestellwert, amount total, sum total, ordrebelop, totalpris, total general
subtotal: subtotal, sub total, zwischensumme, delsum, net total, netto, items total, delsumma, items subtotal, warenwert, sous total, varesum, nettobetrag, sum varer, subtotaal
shipping cost: shipping cost, shipping total, shipping fee, shipping price, shipping amount, versandkosten, frakt, fraktkostnad, porto, delivery cost, freight, frais de port, shipping charge, postage, delivery fee, gastos de envio, fraktpris, delivery charge, freight cost, verzendkosten, spese di spedizione, lieferkosten, shipping charges, shippingcost
shipping method: shipping method, delivery method, versandart, leveringsmate, fraktmetode, carrier, shipping service, liefermethode, mode de livraison, fraktsatt, metodo de envio, shipping type, shipment method, lieferart, leveranssatt, verzendmethode, shipping provider, speditor
tracking number: tracking number, tracking, tracking code, sendungsnummer, sporingsnummer, track trace, trackingnummer, tracking no, kollinummer, sendungsverfolgung, tracking id, numero de suivi, kolli id
discount: discount, discount total, discount amount, rabatt, rabattbetrag, rabattsum, remise, descuento, sconto, korting, nachlass, avslag, discount value, rebate, coupon amount, total discount, coupon discount, cart discount, rabatter, discounts, rabattbelop, reduction, montant de la remise, wert, verdi, coupon value
payment method: payment method, payment, zahlungsart, betalingsmate, betaling, betalingsmetode, payment type, zahlungsmethode, mode de paiement, forma de pago, metodo de pago, payment gateway, betalsatt, pay method, paid by, paid with, payment provider, betaalmethode, betalmetod, moyen de paiement, zahlweise, metodo di pagamento, gateway
transaction id: transaction id, transaction, transaktion, transaksjon, payment id, transaction number, payment reference, transaksjonsnummer, transaktionsnummer, zahlungsreferenz, transaksjons id, txn id, charge id, transaktions id, betalingsreferanse
status: status, state of order, order status, zustand, tilstand, stand, bestellstatus, ordrestatus, etat, estado del pedido, approval, approved, freigegeben, godkjent, genehmigt, moderation, publish status, current status, statut, visibility, sichtbarkeit, synlighet, moderert, financial status, godkand, stato, estatus, tilstand ordre, freischaltung, orderstatus, statusen
note: note, notes, remark, remarks, bemerkung, bemerkungen, notiz, notizen, merknad, merknader, notat, anmerkung, customer note, kundenotat, order note, order notes, remarque, nota, notas, anteckning, kommentar til ordre, comments from customer, customer message, message, melding, hinweis, internal note, internal notes, memo, opmerking, opmerkingen, notater, note client, beskjed, buyer note, customer comment, kundenhinweis, mitteilung
author: author, autor, forfatter, verfasser, writer, auteur, author name, commenter, reviewer, user author, kommentator, byline, skrevet av, forfattar, autore, written by, geschrieben von, redakteur, forfattare, posted by, reviewer name, rezensent, anmelder, bewerter, from name
content: content of comment, comment text, comment content, comment body, kommentartext, kommentartekst, review text, message text, review body, contenu du commentaire, kommentarinhalt, review content, bewertungstext, kommentaren, tekst, texte, texto, comentario texto
rating: rating, bewertung, stars, score, vurdering, sterne, note review, karakter, terningkast, puntuacion, wertung, star rating, betyg, stjerner, valutazione, rank, grade, valoracion, punkte, waardering, etoiles, antall stjerner
ip: ip, ip address, client ip, ip adresse, remote ip, ipadresse, adresse ip, direccion ip
agent: user agent, browser, agent, useragent
parent: parent, parent id, reply to, in reply to, antwort auf, svar pa, svar til, ubergeordnet, overordnet, parent comment, parent sku, parent category, elternelement, forelder, parentid, parent term, reponse a, parent code, ubergeordnete, padre, parent product, parent name, in response to, foralder, bovenliggend
post: post, article, page, artikkel nettside, beitrag, innlegg, artikel beitrag, post id, article id, post slug, beitrags id, post title, article slug, article title, blog post, inlagg, entrada, growing note, page id, seite
role: role, roles, user role, rolle, rollen, roller, rol, group role, berechtigung, permission, user roles, roll, funksjon, brukerrolle, benutzerrolle, rango, rang, access level, tilgang, rol de usuario
bio: bio, biography, about, about me, biografi, uber mich, profile text, om meg, profil, biographie, user description, biografia, biographical info, kurzprofil, omtale av
tier: tier, plan, level, membership, membership level, customer group, kundengruppe, kundegruppe, segment, loyalty level, stufe, niva, kundentyp, kundetype, customer type, tarif, abo, abonnement, membership plan, loyalty tier, mitgliedschaft, medlemskap, kundegruppen, customer class, kundsegment, groupe client, grupo de clientes, medlemsniva, kundenstufe
spent: total spent, spent, lifetime value, revenue, umsatz, omsetning, total revenue, sum spent, ltv, gesamtumsatz, omsattning, total sales, money spent, total kjopt, spend
orders count: orders, order count, orders count, number of orders, total orders, anzahl bestellungen, antall ordre, antall ordrer, antall bestillinger, nb orders, antal order, no of orders, bestellungen, number of purchases, num orders
code: code, kode, kod, codigo, codice
type: type, typ, kind, art, discount type, rabatttyp, rabattype, coupon type, type of discount, gutscheinart, gutscheintyp, type de remise, tipo, soort, tipo de descuento, discount kind, slag, rabattart, type rabatt
minimum: minimum, min, minimum amount, minimum spend, min spend, min amount, minimum order, mindestbestellwert, minstebelop, minste kjop, minimum order value, minimum purchase, mindestbetrag, montant minimum, minimo, minsteordre, min order, compra minima, minimum subtotal, min purchase, minimumskjop, minimum bestelbedrag, min order value, minsta belopp, mindestumsatz, gasto minimo
maximum: maximum, max, maximum amount, maximum spend, max spend, max amount, hochstbetrag, maksbelop, maximum discount, maximo, max discount, maksimum, gasto maximo, maks belop
usage limit: usage limit, max uses, maximum uses, uses allowed, usage limit per coupon, nutzungslimit, maks bruk, bruksgrense, max redemptions, limit, total uses, max usage, redemption limit, anzahl einlosungen max, limite d utilisation, limite de uso, max anvandningar, einlosbar, maksimalt antall bruk, limit total, gebruikslimiet, max antall bruk, usage max
usage limit user: usage limit per user, uses per customer, limit per user, per customer limit, limit per customer, max uses per customer, per user limit, pro kunde, maks per kunde, per kunde, uses per user, nutzungslimit pro kunde, limite par client, pr kunde, grense per kunde, einlosungen pro kunde, limite por usuario, bruk per kunde
usage count: usage count, used, times used, uses, redeemed, redemptions, eingelost, antall brukt, brukt, number of uses, redemption count, usages, verwendet, times redeemed, innlost, benutzt, utilise, usado, gebruikt, antall innlosninger, anvandningar
free shipping: free shipping, free delivery, versandkostenfrei, gratis versand, fri frakt, gratis frakt, allow free shipping, livraison gratuite, envio gratis, kostenloser versand, portofrei, gratis levering, kostenlose lieferung, enable free shipping, gratis verzending
individual: individual use, individual use only, exclusive, not combinable, cannot be combined, nicht kombinierbar, kan ikke kombineres, combinable, kombinierbar, kan kombineres, stackable, non cumulable
exclude sale: exclude sale items, not on sale items, excludes sale, ikke tilbudsvarer, reduzierte ausgeschlossen, exclude discounted
featured: featured, highlight, is featured, utvalgt, hervorgehoben, fremhevet, empfohlen, recommended, promoted, top product, destacado
virtual: virtual, is virtual, virtuell
downloadable: downloadable, download, is downloadable, nedlastbar, herunterladbar
published: published, is published, active, enabled, aktiv, is active, visible, visible in catalog, online, synlig, sichtbar, live, aktivert, publiee, activo, enabled flag, actif, aktivert i butikk, published online, attivo, actief, publicado, on sale now
verified: verified, verified purchase, verified buyer, is verified, verifisert, verifiziert, verifiziert kauf, bekreftet, confirmed, email verified, bestatigt, email confirmed, verifie, verificado, verifierad, verifisert kjop, geprufter kauf
source: source, source text, original, original text, msgid, quelltext, quelle, kildetekst, kilde, ausgangstext, source string, english, originaltext, source value, texte source, original string, texto original, kalltext, brontekst, texte original, kildestreng
target: target, target text, zieltext, maltekst, msgtarget, target string, texte cible, target value, translated string, malstreng, maltext, texto traducido, doeltekst
key: key, string id, string key, message key, text key, resource key, msgctxt key, schlussel, nokkel, translation key, cle, clave, textschlussel, nyckel, sleutel, identifier key, resource id, label key, string name, resource name
context: context, msgctxt, kontekst, kontext, domain, text domain, contexte, contexto, namespace, where used
plural: plural, plural form, msgid plural, flertall, mehrzahl
translator: translator, ubersetzer, oversetter, translated by, oversatt av, ubersetzt von, traducteur, traductor, oversattare, vertaler
fuzzy: fuzzy, needs review, needs work, unsicher, zu prufen, to review, revisar
billing: billing, bill to, invoice, invoicing, rechnung, rechnungs, faktura, fakturerings, billed to, payer, bill, facturation, facturacion, fakturaadresse, rechnungsadresse, billing address, invoice address, rechnungsanschrift, adresse de facturation, factuur, factuuradres, betaler, fatturazione, fakturering, rechnungsempfanger
shipping: shipping, ship to, delivery, liefer, lieferung, levering, leverings, versand, shipment, recipient, leveringsadresse, lieferadresse, shipping address, delivery address, lieferanschrift, adresse de livraison, livraison, envio, leverans, mottaker, empfanger, ship, deliver to, envoi, entrega, bezorg, verzend, bezorgadres, spedizione, leveransadress, versandadresse, destinataire
line: line, line item, position, linje, zeile, linea, order line, ordrelinje, orderzeile, line items, items, bestellposition, ordrelinjer, varelinje, ligne, pos
line total: line total, line amount, row total, position total, linjesum, zeilensumme, positionssumme, item total, line sum, row sum, total line, sum linje, linjebelop, ligne total, positionsbetrag, total linea
menu order: menu order, sort order, sort, position order, sortering, reihenfolge, sortierung, sorting, display order, rekkefolge, orden, rekkefolgje, sequence, ordre d affichage, sorteerorde
attribute: attribute, option, variant, variante, alternativ, variation, variasjon, variations
seo title: meta title, seo title, page title, seitentitel, meta titel, sidetittel, titre seo, meta tittel
seo description: meta description, seo description, meta beschreibung, metabeskrivelse, seo beskrivelse, meta desc
"""

FILLERS = frozenset(
    """of the is has your my our a an and for in on at to by per variant de la le du des von der die das den det for av og und zu
    i pa til fra value data info information text column spalte kolonne felt col details custom main default
    primary current this own raw str txt flag y n yes gmt utc shop site web system profile record entry erp crm from old
    new legacy import export sql db tbl iso
    eur nok sek dkk usd gbp chf pln kr""".split()
)
"""Words that say little: they count for next to nothing."""

GENERIC = {"name": 0.7, "number": 0.6, "id": 0.8, "code": 0.6, "date": 0.5, "type": 0.8, "address": 0.2, "status": 0.9,
           "mobile": 0.25, "total": 0.9, "line": 0.45, "content": 0.9, "note": 0.9,
           "author": 0.5, "created": 0.8, "regular": 0.5}  # fmt: skip
"""How much words count that stand beside others more often than alone; any other counts 1."""

GROUPS: tuple[frozenset[str], ...] = tuple(
    frozenset(line.split())
    for line in (
        "billing shipping",
        "created registered updated published lastlogin paid completed start end birth order_",
        "minimum maximum",
        "regular sale cost",
        "from to",
        "given family middle display login company email phone",
        "second",
        "width height length weight",
        "source target",
        "summary description",
        "subtotal tax discount total shipping_",
        "user customer",
        "title_ description_",
        "featured virtual downloadable published verified",
    )
)
"""Words of which at most one can be meant."""

QUALIFIERS = {"billing": 0.9, "shipping": 0.72, "parent": 0.5, "updated": 0.6, "minimum": 0.6, "maximum": 0.6, "sale": 0.7,
              "cost": 0.5, "second": 0.5, "middle": 0.5, "lastlogin": 0.5, "paid": 0.6, "completed": 0.6, "end": 0.6,
              "seo": 0.4, "source": 0.7, "target": 0.8, "plural": 0.5, "start": 0.7, "birth": 0.6, "translator": 0.6,
              "user": 0.8, "line": 0.85}  # fmt: skip
"""What is left of a likeness when only one side has the word."""

RELATED = {frozenset(pair.split()): worth for pair, worth in {
    "id number": 0.7, "code number": 0.7, "id code": 0.6, "name display": 0.55, "name login": 0.3, "order registered": 0.0,
    "created registered": 0.85, "created order": 0.0, "content description": 0.85, "content comment": 0.9, "note comment": 0.7,
    "target translation": 0.95, "stock quantity": 0.75, "total price": 0.35, "discount total": 0.45, "id key": 0.6,
    "street address": 1.0, "author name": 0.5, "type category": 0.75, "status region": 0.6, "product line": 0.7, "brand company": 0.3, "note description": 0.6,
    "published status": 0.5, "summary description": 0.45, "published created": 0.6, "url slug": 0.35, "id sku": 0.72,
    "bio description": 0.7, "category tag": 0.3, "content note": 0.6, "id login": 0.2, "discount amount": 0.9, "name author": 0.5,
    "country region": 0.0, "name key": 0.3, "comment text": 0.8, "post product": 0.35, "id post": 0.5, "translation text": 0.6,
    "email login": 0.2, "source key": 0.35, "shipping_ shipping": 0.2, "total spent": 0.5, "tier type": 0.3, "tier role": 0.3,
    "image url": 0.4, "image avatar": 0.7, "approved status": 0.8, "quantity count": 0.8, "price regular": 0.0,
}.items()}  # fmt: skip
"""Words that say nearly the same, with what one is worth for the other."""


OWN_MEANS = {"coupon": "code", "comment": "content", "translation": "target", "order": "number", "product": "name",
             "customer": "name", "user": "login"}  # fmt: skip
"""What the name of a kind of record means when it is all that a header says: a sheet of coupons with a column “Coupon”."""


@lru_cache(maxsize=1)
def phrases() -> dict[tuple[str, ...], tuple[str, ...]]:
    """Every phrase as words, with the concepts that it stands for."""
    known: dict[tuple[str, ...], tuple[str, ...]] = {}
    for line in _LINES.strip().splitlines():
        concepts, _, listed = line.partition(":")
        for phrase in listed.split(","):
            words = tuple(plain_word(phrase).split())
            known.setdefault(words, tuple(concepts.split()))
    return known
