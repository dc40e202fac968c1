"""The words of reports in several languages; a rulebook may put its own in their place."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from dokima.engine.program import ProgramDefinition

_ENGLISH: Mapping[str, str] = {
    "change_order": "Change order",
    "of_order": "of order",
    "ledger_of": "Ledger of order",
    "state": "state",
    "reason": "reason",
    "requested_by": "requested by",
    "customer": "customer",
    "supplier": "supplier",
    "date": "date",
    "decided": "decided",
    "page": "Page",
    "of": "of",
    "draft": "draft",
    "submitted": "submitted",
    "approved": "approved",
    "rejected": "rejected",
    "withdrawn": "withdrawn",
    "summary": "Summary",
    "lines_changed": "What changes",
    "lines_all": "All lines",
    "header_changed": "Other terms",
    "nothing": "Nothing changes.",
    "before": "before",
    "after": "after",
    "variance": "variance",
    "line": "line",
    "item": "item",
    "description": "description",
    "quantity": "quantity",
    "unit_price": "unit price",
    "net": "net without tax",
    "added": "added",
    "removed": "removed",
    "changed": "changed",
    "unchanged": "unchanged",
    "follows": "changed by another line",
    "without_tax": "total without tax",
    "tax": "tax",
    "with_tax": "total with tax",
    "original": "original",
    "change": "change",
    "tax_rounding": "tax rounding",
    "current": "current",
    "pending": "pending",
    "budget": "budget",
    "headroom": "left of the budget",
    "headroom_pending": "left if all pending changes are approved",
    "movements": "From the original to now",
    "by_line": "By line, without tax",
    "signature": "Agreed: date, name, signature",
    "field": "field",
    "direct_edit": "direct edit",
    "revision": "revision",
    "unbalanced": "does not balance",
    "unknown": "unknown",
}
_GERMAN: Mapping[str, str] = {
    "change_order": "Änderungsauftrag",
    "of_order": "zu Auftrag",
    "ledger_of": "Nachtragsübersicht zu Auftrag",
    "state": "Stand",
    "reason": "Grund",
    "requested_by": "gewünscht von",
    "customer": "Kunde",
    "supplier": "Lieferant",
    "date": "Datum",
    "decided": "entschieden",
    "page": "Seite",
    "of": "von",
    "draft": "Entwurf",
    "submitted": "eingereicht",
    "approved": "genehmigt",
    "rejected": "abgelehnt",
    "withdrawn": "zurückgezogen",
    "summary": "Zusammenfassung",
    "lines_changed": "Was sich ändert",
    "lines_all": "Alle Positionen",
    "header_changed": "Sonstige Bedingungen",
    "nothing": "Es ändert sich nichts.",
    "before": "vorher",
    "after": "nachher",
    "variance": "Abweichung",
    "line": "Pos.",
    "item": "Artikel",
    "description": "Bezeichnung",
    "quantity": "Menge",
    "unit_price": "Einzelpreis",
    "net": "netto ohne Steuer",
    "added": "neu",
    "removed": "entfällt",
    "changed": "geändert",
    "unchanged": "unverändert",
    "follows": "durch andere Position geändert",
    "without_tax": "Summe ohne Steuer",
    "tax": "Steuer",
    "with_tax": "Summe mit Steuer",
    "original": "ursprünglich",
    "change": "Änderung",
    "tax_rounding": "Steuerrundung",
    "current": "aktuell",
    "pending": "offen",
    "budget": "Budget",
    "headroom": "vom Budget übrig",
    "headroom_pending": "übrig nach allen offenen Änderungen",
    "movements": "Vom Ursprung bis heute",
    "by_line": "Je Position, ohne Steuer",
    "signature": "Einverstanden: Datum, Name, Unterschrift",
    "field": "Feld",
    "direct_edit": "direkte Bearbeitung",
    "revision": "Revision",
    "unbalanced": "geht nicht auf",
    "unknown": "unbekannt",
}
_DUTCH: Mapping[str, str] = {
    "change_order": "Wijzigingsopdracht",
    "of_order": "bij order",
    "ledger_of": "Overzicht van wijzigingen bij order",
    "state": "stand",
    "reason": "reden",
    "requested_by": "gevraagd door",
    "customer": "klant",
    "supplier": "leverancier",
    "date": "datum",
    "decided": "besloten",
    "page": "Pagina",
    "of": "van",
    "draft": "concept",
    "submitted": "ingediend",
    "approved": "goedgekeurd",
    "rejected": "afgewezen",
    "withdrawn": "ingetrokken",
    "summary": "Samenvatting",
    "lines_changed": "Wat er wijzigt",
    "lines_all": "Alle regels",
    "header_changed": "Overige voorwaarden",
    "nothing": "Er wijzigt niets.",
    "before": "was",
    "after": "wordt",
    "variance": "verschil",
    "line": "regel",
    "item": "artikel",
    "description": "omschrijving",
    "quantity": "aantal",
    "unit_price": "stukprijs",
    "net": "netto zonder btw",
    "added": "nieuw",
    "removed": "vervalt",
    "changed": "gewijzigd",
    "unchanged": "ongewijzigd",
    "follows": "gewijzigd door een andere regel",
    "without_tax": "totaal zonder btw",
    "tax": "btw",
    "with_tax": "totaal met btw",
    "original": "oorspronkelijk",
    "change": "wijziging",
    "tax_rounding": "afronding btw",
    "current": "nu",
    "pending": "open",
    "budget": "budget",
    "headroom": "over van het budget",
    "headroom_pending": "over na alle open wijzigingen",
    "movements": "Van oorspronkelijk tot nu",
    "by_line": "Per regel, zonder btw",
    "signature": "Akkoord: datum, naam, handtekening",
    "field": "veld",
    "direct_edit": "directe bewerking",
    "revision": "revisie",
    "unbalanced": "klopt niet",
    "unknown": "onbekend",
}
LANGUAGES: Mapping[str, Mapping[str, str]] = {"en": _ENGLISH, "de": _GERMAN, "nl": _DUTCH}


@dataclass(frozen=True)
class Wording:
    """The words of a report.

    Attributes:
        words: By key.
        language: Language code, for the document itself.
        letterhead: Name, address, contact and whatever else a rulebook says, in its order.
    """

    words: Mapping[str, str]
    language: str = "en"
    letterhead: Mapping[str, str] = field(default_factory=dict)

    @classmethod
    def of(cls, definition: ProgramDefinition, locale: str = "") -> Wording:
        """The words of a locale's language (English where we have none), with those of the rulebook in their place."""
        language = locale.replace("-", "_").split("_")[0].lower()
        language = language if language in LANGUAGES else "en"
        return cls({**LANGUAGES[language], **definition.texts}, language, definition.letterhead)

    def __getitem__(self, key: str) -> str:
        return self.words.get(key, key.replace("_", " "))
