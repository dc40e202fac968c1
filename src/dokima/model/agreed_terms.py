"""`AgreedTerms`: what an order keeps from when it was agreed, so that later price lists do not move it."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import lru_cache
from typing import Any

from dokima.errors import ExactError
from dokima.exact import parse
from dokima.model.arguments import came
from dokima.model.content import TERMS_FORM

Record = dict[str, Any]
_MAPPINGS = ("basis", "answers", "rows", "asks")


@dataclass(frozen=True)
class Agreed:
    """What a header and a line keep alike. Values are plain: numbers and dates as text.

    Attributes:
        rulebook: Fingerprint of the rulebook whose answers they are.
        day: Day of the agreement in ISO 8601, blank if nobody noted it.
        basis: Fields that call for a new price (``reprice_on``), as they were.
        answers: Answers of tables, by dotted name of the column; of a graduated table its bands.
        rows: By table the row that answered, in words; None where none did.
        asks: By table that reads a field of ``reprice_on`` over several lines, what its formulas had asked.
    """

    rulebook: str = ""
    day: str = ""
    basis: Mapping[str, Any] = field(default_factory=dict)
    answers: Mapping[str, Any] = field(default_factory=dict)
    rows: Mapping[str, str | None] = field(default_factory=dict)
    asks: Mapping[str, Sequence[Any]] = field(default_factory=dict)

    def _shared(self) -> Record:
        return {
            "rulebook": self.rulebook,
            **({"agreed": self.day} if self.day else {}),
            "basis": dict(self.basis),
            "answers": dict(self.answers),
            "rows": dict(self.rows),
            **({"asks": dict(self.asks)} if self.asks else {}),
        }


@dataclass(frozen=True)
class AgreedLine(Agreed):
    """What one line keeps.

    Attributes:
        taxes: By tax step percent, category and reason; None for a tax that does not meet the line.
        figures: Unit price, line amount and the amount of every step.
    """

    taxes: Mapping[str, Mapping[str, Any] | None] = field(default_factory=dict)
    figures: Mapping[str, Any] = field(default_factory=dict)

    def to_dict(self) -> Record:
        """The line as plain data, without its number."""
        return {**self._shared(), "taxes": dict(self.taxes), "figures": dict(self.figures)}

    def with_figures(self, figures: Mapping[str, Any]) -> AgreedLine:
        """The same line with other figures."""
        return replace(self, figures=figures)


@dataclass(frozen=True)
class AgreedTerms(Agreed):
    """What one order keeps.

    Attributes:
        fields: Fields that its figures follow from, by dotted name.
        digest: SHA-256 of those fields as they were.
        settled: Number of the change order that settled its figures, blank if they were computed.
        frozen: Whether tax and advance are kept too: those of a baseline, and of a change that was submitted.
        emptied: Number of the change order whose settlement took every line away, blank for none.
        lines: What each line without sub-lines keeps, by number.
    """

    fields: Sequence[str] = ()
    digest: str = ""
    settled: str = ""
    frozen: bool = False
    emptied: str = ""
    lines: Mapping[str, AgreedLine] = field(default_factory=dict)

    @classmethod
    def from_records(cls, records: Iterable[Mapping[str, Any]] | None) -> AgreedTerms | None:
        """Terms as documents hold them; None for none.

        Args:
            records: One record of the order itself, under a blank line number, and one of each line. `wrong_terms`
                has found nothing wrong with any of them.
        """
        by_line = {str(record.get("line") or ""): record for record in records or ()}
        if not by_line:
            return None
        header = by_line.pop("", {})
        return cls(
            **_shared(header),
            fields=tuple(header.get("fields", ())),
            digest=str(header.get("digest") or ""),
            settled=str(header.get("settled") or ""),
            frozen=bool(header.get("frozen")),
            emptied=str(header.get("emptied") or ""),
            lines={
                number: AgreedLine(**_shared(line), taxes=line.get("taxes", {}), figures=line.get("figures", {}))
                for number, line in by_line.items()
            },
        )

    def to_records(self) -> list[Record]:
        """The terms as documents hold them; `from_records` reads them back."""
        header: Record = {
            "line": "",
            "form": TERMS_FORM,
            **self._shared(),
            "fields": list(self.fields),
            "digest": self.digest,
            **({"settled": self.settled} if self.settled else {}),
            **({"frozen": True} if self.frozen else {}),
            **({"emptied": self.emptied} if self.emptied else {}),
        }
        return [header, *({"line": number, **line.to_dict()} for number, line in self.lines.items())]

    def without_lines(self, numbers: Collection[str]) -> AgreedTerms:
        """The terms without those of some lines."""
        return replace(self, lines={number: line for number, line in self.lines.items() if number not in numbers})

    def answers_of(self, number: str) -> Mapping[str, Any]:
        """The table answers that a line keeps, those of its header included."""
        return {**self.answers, **(self.lines[number].answers if number in self.lines else {})}


def _shared(record: Mapping[str, Any]) -> Record:
    found: Record = {name: record.get(name, {}) for name in _MAPPINGS}
    return {"rulebook": str(record.get("rulebook") or ""), "day": str(record.get("agreed") or ""), **found}


def wrong_terms(record: Mapping[str, Any]) -> str:
    """What is wrong with a record of agreed terms as it was given, blank for nothing."""
    if record.get("line", "") == "" and record.get("form") != TERMS_FORM:
        got = f"form {record['form']!r}" if "form" in record else "an earlier form"
        return (
            f"expected agreed terms of form {TERMS_FORM} (got {got}): another version of Dokima wrote them; "
            "reprice the lines with it, or take the terms away"
        )
    for part in (*_MAPPINGS, "figures", "taxes"):
        if not isinstance(record.get(part, {}), Mapping):
            return f"expected '{part}' as a mapping (got {came(record[part])})"
    fields = record.get("fields", ())
    if not isinstance(fields, list | tuple) or not all(isinstance(name, str) for name in fields):
        return f"expected 'fields' as a list of names (got {came(fields)})"
    for name, asked in record.get("asks", {}).items():
        if not isinstance(asked, list | tuple):
            return f"asks.{name}: expected a list of values (got {came(asked)})"
    numbers: list[tuple[str, Any]] = list(record.get("figures", {}).items())
    for step, tax in record.get("taxes", {}).items():
        if tax is not None and not isinstance(tax, Mapping):
            return f"taxes.{step}: expected percent, category and reason (got {came(tax)})"
        numbers.append((f"taxes.{step}.percent", None if tax is None else tax.get("percent")))
    for name, value in record.get("answers", {}).items():
        if isinstance(value, list):
            if not all(isinstance(band, list) and len(band) == 3 for band in value):
                return f"answers.{name}: expected bands of a break, a price and its base (got {came(value)})"
            numbers += [(f"{name} band {at}", part) for at, band in enumerate(value) for part in band]
    for name, value in numbers:
        if value is None or (isinstance(value, str) and not _wrong_number(value)):
            continue
        try:
            parse(value)
        except ExactError as error:
            return f"{name}: {error}"
    return ""


@lru_cache(maxsize=100_000)
def _wrong_number(text: str) -> str:
    """What is wrong with a number in text, blank for nothing; many orders keep the same few numbers."""
    try:
        parse(text)
    except ExactError as error:
        return str(error)
    return ""
