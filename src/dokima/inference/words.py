"""What headings suggest, in the languages that exports come in. Words break ties; arithmetic decides."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping, Sequence

WORDS: Mapping[str, str] = {
    "header.number": "order orderno ordernumber orderid beleg belegnr belegnummer auftrag auftragsnr bestellung "
    "bestellnr document docno docnumber commande bestelling nummer salesorder purchaseorder po pono ponumber so sono "
    "sonumber no nr",
    "header.date": "date orderdate datum belegdatum auftragsdatum bestelldatum datecommande besteldatum docdate",
    "header.customer": "customer customerno client kunde kundennr kdnr debitor account klant buyer",
    "header.supplier": "supplier vendor lieferant lieferantennr kreditor fournisseur leverancier",
    "header.requested_by": "requestedby requester besteller contact ansprechpartner orderedby",
    "header.currency": "currency cur waehrung devise valuta ccy",
    "header.kind": "kind type ordertype belegart art",
    "line.number": "line lineno linenumber pos position posnr ligne regel zeile seq row item",
    "line.item": "item itemno sku article artikel artikelnr artnr product productcode material part partno "
    "reference ref code",
    "line.description": "description text bezeichnung artikeltext libelle designation omschrijving name productname",
    "line.unit": "unit uom me einheit mengeneinheit unite eenheid",
    "line.due_date": "duedate deliverydate liefertermin lieferdatum due leverdatum datelivraison needby",
    "quantity": "quantity qty menge anzahl qte quantite aantal ordered pieces stueck amountordered",
    "price": "price unitprice preis einzelpreis ep stueckpreis prix prixunitaire pu prijs rate listprice",
    "base": "base per priceunit preiseinheit pe priceper prijseenheid",
    "percent": "discount disc rabatt rabattprozent remise korting discountpercent rebate",
    "less": "discountamount rabattbetrag lessamount",
    "amount": "amount net netamount total linetotal betrag nettobetrag positionswert wert montant bedrag value",
    "tax_rate": "vat tax taxrate vatrate mwst mwstsatz ust steuersatz tva btw",
    "tax_amount": "taxamount vatamount mwstbetrag steuerbetrag",
}
"""Words by what they suggest."""

UNITS: Mapping[str, str] = {
    "stk": "C62", "stck": "C62", "stueck": "C62", "st": "C62", "pc": "C62", "pcs": "C62", "pce": "C62", "piece": "C62",
    "each": "C62", "ea": "C62", "u": "C62", "m": "MTR", "mtr": "MTR", "qm": "MTK", "m2": "MTK", "kg": "KGM",
    "g": "GRM", "t": "TNE", "l": "LTR", "ltr": "LTR", "h": "HUR", "hr": "HUR", "std": "HUR", "tag": "DAY", "day": "DAY",
    "set": "SET", "satz": "SET", "paar": "PR", "pair": "PR",
}  # fmt: skip
"""Words of units and their codes in UN/ECE Recommendation 20."""

CURRENCIES = frozenset([
    "AED", "ARS", "AUD", "BGN", "BRL", "CAD", "CHF", "CLP", "CNY", "COP", "CZK", "DKK", "EGP", "EUR", "GBP",
    "HKD", "HUF", "IDR", "ILS", "INR", "ISK", "JPY", "KRW", "KWD", "MAD", "MXN", "MYR", "NOK", "NZD", "PEN",
    "PHP", "PLN", "QAR", "RON", "RSD", "SAR", "SEK", "SGD", "THB", "TND", "TRY", "TWD", "UAH", "USD", "UYU",
    "VND", "ZAR",
])  # fmt: skip
"""Codes of ISO 4217 that exports have; a column of nothing else is one of currencies."""


def plain(heading: str) -> str:
    """A heading as small plain letters: ``Beleg-Nr.`` is ``belegnr``, ``Währung`` is ``waehrung``."""
    for letter, written in {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "Ä": "ae", "Ö": "oe", "Ü": "ue"}.items():
        heading = heading.replace(letter, written)
    decomposed = unicodedata.normalize("NFKD", heading)
    return re.sub(r"[^a-z0-9]", "", decomposed.encode("ascii", "ignore").decode().lower())


def suggests(heading: str, what: str) -> int:
    """How strongly a heading suggests something: 3 for its very word, 2 and 1 for part of one, 0 for not at all."""
    word, known = plain(heading), WORDS[what].split()
    if word in known:
        return 3
    if any(len(each) > 2 and (word.startswith(each) or word.endswith(each)) for each in known):
        return 2
    return 1 if any(len(each) > 3 and each in word for each in known) else 0


def best(headings: Sequence[str], what: str) -> str:
    """The heading that suggests something most; the first of equals; blank if none does."""
    return max(headings, key=lambda heading: suggests(heading, what), default="")


def field_name(heading: str) -> str:
    """A name for a field of one's own: letters, digits and ``_``."""
    for letter, written in {"ä": "ae", "ö": "oe", "ü": "ue", "ß": "ss", "Ä": "Ae", "Ö": "Oe", "Ü": "Ue"}.items():
        heading = heading.replace(letter, written)
    text = unicodedata.normalize("NFKD", heading.replace("%", " percent ")).encode("ascii", "ignore").decode()
    name = re.sub(r"[^a-z0-9]+", "_", text.lower()).strip("_")
    return name if name and not name[0].isdigit() else f"column_{name}".rstrip("_")
