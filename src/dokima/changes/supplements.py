"""An order and its supplements as one order by line number, and what differs between two such documents."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.engine.program import Program, Run
from dokima.engine.running.agreed_columns import shared_asks
from dokima.engine.running.capturing_terms import capture_terms
from dokima.engine.running.context import Context
from dokima.engine.running.preparing import prepare
from dokima.exact import decimals, to_decimals
from dokima.exact import total as sum_of
from dokima.model.agreed_terms import Agreed, AgreedLine, AgreedTerms
from dokima.model.columns import shown, value_at
from dokima.model.content import HEADER_ASIDE, LINE_ASIDE, plain
from dokima.model.document import Document
from dokima.model.order import Order

Plain = dict[str, Any]


def as_document(program: Program, order: Order | Document) -> Document:
    """An order with its values as the rulebook's fields hold them, what a line comes to by default written out.

    Raises:
        DocumentError: It cannot be read.
    """
    document = order if isinstance(order, Document) else Document.read(order, program.fields)
    by_default = [name for level, name, _ in program.defaults if level == "line" and name in ("item", "quantity")]
    if not by_default or all(name in fields for fields in document.lines.values() for name in by_default):
        return document
    orders = prepare(program, document.orders(program.fields), Run())
    for place, number in enumerate(orders.line_numbers):
        given = {name: value_at(orders.line(name), place) for name in by_default}
        document = document.with_line(number, {**given, **document.lines[number]})
    return document


def with_terms(program: Program, document: Document, run: Run) -> Document:
    """The document with the terms it keeps, or those it would keep from now on."""
    if document.terms is not None:
        return document
    terms = capture_terms(program, document.orders(program.fields), run)
    return document if terms is None else document.with_terms(terms)


def frozen(document: Document) -> Document:
    """The document with terms of which tax and advance stand too, as long as nothing of it changes."""
    return document if document.terms is None else document.with_terms(replace(document.terms, frozen=True))


def combined(program: Program, documents: Sequence[Document]) -> Document:
    """An original and its supplements as one order: quantities and kept figures of a line are added up."""
    original, *supplements = documents
    if not supplements:
        return original
    # A document edited since keeps more figures than one that was settled; only what all of them keep adds up.
    terms = [each.terms for each in documents]
    held = [set(line.figures) for each in terms if each for line in each.lines.values() if line.figures]
    common = set.intersection(*held) if held else set()
    whole, agreed = original, {} if terms[0] is None else _restricted(terms[0], common)
    for document, more in zip(supplements, terms[1:], strict=True):
        for number, fields in document.lines.items():
            first = whole.lines.get(number)
            if first is None:
                whole = whole.with_line(number, fields)
            elif not document.is_parent(number):
                whole = whole.with_line(number, {**first, **_together(first, fields)})
        for number, mine in ({} if more is None else _restricted(more, common)).items():
            agreed[number] = _added(agreed[number], mine) if number in agreed else mine
    header = next((each for each in terms if each is not None), None)
    if header is None:
        return whole
    lines = {number: agreed[number] for number in whole.lines if number in agreed}
    return restated(program, whole.with_terms(replace(header, settled="combined", lines=lines)))


def _together(held: Mapping[str, Any], more: Mapping[str, Any]) -> Plain:
    """Quantity and delivered quantity of two holdings of a line."""
    sums = {}
    for name in ("quantity", "delivered"):
        values = [value for each in (held, more) if (value := each.get(name)) is not None]
        if values:
            sums[name] = total(values)
    return sums


def total(values: Sequence[Decimal]) -> Decimal:
    """The exact sum of some numbers."""
    (found,) = to_decimals(sum_of(decimals(values)))
    return Decimal(0) if found is None else found


def _restricted(terms: AgreedTerms, names: Collection[str]) -> dict[str, AgreedLine]:
    """The terms of lines with some of their figures only."""
    return {
        number: line.with_figures({name: value for name, value in line.figures.items() if name in names})
        for number, line in terms.lines.items()
    }


def _added(line: AgreedLine, more: AgreedLine) -> AgreedLine:
    """The terms of a line with the figures of another holding added; answers and unit price are those of the first."""
    figures = dict(line.figures)
    for name, value in more.figures.items():
        if name != "price" and value is not None and figures.get(name) is not None:
            figures[name] = plain(total([Decimal(figures[name]), Decimal(value)]))
    return line.with_figures(figures)


def restated(program: Program, document: Document, settled: str = "") -> Document:
    """The document with its terms said to be those of the document as it stands now.

    What a settlement leaves stands on each document as settled: the fields that would call for a new price
    (``basis``), and what tables were asked over several lines (``asks``), are those of this document, until it is
    itself changed in one.
    """
    terms = document.terms or AgreedTerms()
    work = _Restating(program, document)
    return document.with_terms(
        replace(
            terms,
            settled=settled or terms.settled,
            digest=document.digest(terms.fields),
            basis=work.basis(terms, "header", 0),
            asks=work.asks(terms, "header", 0),
            lines={
                number: replace(line, basis=work.basis(line, "line", at), asks=work.asks(line, "line", at))
                for number, line in terms.lines.items()
                for at in [work.places[number]]
            },
        )
    )


class _Restating:
    """What the fields of a document, and the tables over its lines, say now."""

    def __init__(self, program: Program, document: Document) -> None:
        self.program = program
        self.orders = prepare(program, document.orders(program.fields), Run())
        self.places = {number: at for at, number in enumerate(self.orders.line_numbers)}

    def basis(self, agreed: Agreed, level: str, at: int) -> Plain:
        column = self.orders.header if level == "header" else self.orders.line
        return {name: plain(value_at(column(name), at)) for name in agreed.basis}

    def asks(self, agreed: Agreed, level: str, at: int) -> dict[str, list[Any]]:
        if not agreed.asks:
            return {}
        leaves, kept = self.orders.leaves()
        context = Context(self.program, leaves, Run(), self.orders, kept)
        place = at if kept is None or level == "header" else int(np.flatnonzero(kept == at)[0])
        found: dict[str, list[Any]] = {}
        for name in agreed.asks:
            table = self.program.tables.get(name)
            formulas = [] if table is None else shared_asks(table, self.program.definition.reprice_on)
            values = [formula.evaluate(context, table.level) for formula in formulas if table is not None]
            found[name] = [plain(value_at(value, place)) for value in values]
        return found


def commercial_fields(document: Document) -> tuple[Plain, dict[str, Plain]]:
    """The fields of header and lines that are commercial, as plain values, and the answers each line has agreed."""
    header = {name: plain(value) for name, value in document.header.items() if name not in HEADER_ASIDE}
    lines = {
        number: {name: plain(value) for name, value in fields.items() if name not in (*LINE_ASIDE, "number")}
        for number, fields in document.lines.items()
    }
    for number, line in ({} if document.terms is None else document.terms.lines).items():
        if number in lines:
            lines[number]["agreed terms"] = plain(line.answers)
    return header, lines


def moved(before: Document, after: Document) -> Iterator[str]:
    """What differs commercially between two documents, in words."""
    (header, lines), (header_now, lines_now) = commercial_fields(before), commercial_fields(after)
    for name in dict.fromkeys([*header, *header_now]):
        if header.get(name) != header_now.get(name):
            yield f"{name.replace('_', ' ')} was {_said(header.get(name))} and is {_said(header_now.get(name))}"
    for number in dict.fromkeys([*lines, *lines_now]):
        if number not in lines_now:
            yield f"line {number} is gone"
        elif number not in lines:
            yield f"line {number} is new"
        else:
            old, new = lines[number], lines_now[number]
            for name in dict.fromkeys([*old, *new]):
                if old.get(name) != new.get(name):
                    said = (
                        "" if name == "agreed terms" else f" was {_said(old.get(name))} and is {_said(new.get(name))}"
                    )
                    yield f"line {number}: {name.replace('_', ' ')}{said or ' have moved'}"


def next_number(order: str, letter: str, taken: Iterable[str]) -> str:
    """The next number of a change order (``SQ-2041-C2``) or a supplement (``SQ-2041-S1``) of an order."""
    known = set(taken)
    return next(number for at in itertools.count(1) if (number := f"{order}-{letter}{at}") not in known)


def _said(value: Any) -> str:
    return "blank" if value is None else shown(value)
