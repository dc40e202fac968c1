"""An order and its supplements as one order by line number, and what differs between two such documents."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.editing.document import Document
from dokima.editing.keeping_terms import TERMS
from dokima.engine.agreed_terms import by_number, shared_asks
from dokima.engine.capturing_terms import agreed_terms
from dokima.engine.context import Context
from dokima.engine.preparing import prepare
from dokima.engine.program import Program, Run
from dokima.exact import decimals, to_decimals
from dokima.exact import total as sum_of
from dokima.model.columns import shown, value_at
from dokima.model.content import HEADER_ASIDE, LINE_ASIDE, TERMS_FORM, fields_digest, plain
from dokima.model.order import Order
from dokima.model.orders import Orders

Plain = dict[str, Any]


def typed(program: Program, order: Order) -> Document:
    """An order with its values as the rulebook's fields hold them, what a line comes to by default written out.

    Raises:
        DocumentError: It cannot be read.
    """
    document = Document.read(order, program.fields)
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
    if document.header.get(TERMS):
        return document
    records = agreed_terms(program, document.orders(program.fields), run)
    return document.with_header(**{TERMS: records}) if records else document


def frozen(document: Document) -> Document:
    """The document with terms of which tax and advance stand too, as long as nothing of it changes."""
    terms = document.header.get(TERMS)
    if not terms:
        return document
    header, *lines = terms
    return document.with_header(**{TERMS: [{**header, "frozen": True}, *lines]})


def combined(program: Program, documents: Sequence[Document]) -> Document:
    """An original and its supplements as one order: quantities and kept figures of a line are added up."""
    original, *supplements = documents
    if not supplements:
        return original
    terms = [by_number(document.header.get(TERMS)) for document in documents]
    # A document edited since keeps more figures than one that was settled; only what all of them keep adds up.
    held = [set(record["figures"]) for each in terms for record in each.values() if "figures" in record]
    common = set.intersection(*held) if held else set()
    whole, figures = original, {n: _restricted(r, common) for n, r in terms[0].items()}
    for document, more in zip(supplements, terms[1:], strict=True):
        for number, fields in document.lines.items():
            first = whole.lines.get(number)
            if first is None:
                whole = whole.with_line(number, fields)
            elif not document.is_parent(number):
                whole = whole.with_line(number, {**first, **_together(first, fields)})
        for number, record in more.items():
            mine = _restricted(record, common)
            figures[number] = _added(figures[number], mine) if number in figures else mine
    if not figures:
        return whole
    header = {**figures.pop("", {}), "line": "", "settled": "combined"}
    records = [header, *(figures[number] for number in whole.lines if number in figures)]
    return restated(program, whole.with_header(**{TERMS: records}))


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


def _restricted(record: Mapping[str, Any], names: Collection[str]) -> Plain:
    """The terms of a line with some of its figures only."""
    figures = {name: value for name, value in record.get("figures", {}).items() if name in names}
    return {**record, **({"figures": figures} if "figures" in record else {})}


def _added(record: Mapping[str, Any], more: Mapping[str, Any]) -> Plain:
    """The terms of a line with the figures of another holding added; answers and unit price are those of the first."""
    figures = dict(record.get("figures", {}))
    for name, value in more.get("figures", {}).items():
        if name != "price" and value is not None and figures.get(name) is not None:
            figures[name] = plain(total([Decimal(figures[name]), Decimal(value)]))
    return {**record, **({"figures": figures} if figures else {})}


def restated(program: Program, document: Document, settled: str = "") -> Document:
    """The document with its terms said to be those of the document as it stands now.

    What a settlement leaves stands on each document as settled: the fields that would call for a new price
    (``basis``), and what tables were asked over several lines (``asks``), are those of this document, until it is
    itself changed in one.
    """
    header, *lines = document.header.get(TERMS) or [dict[str, Any](line="", form=TERMS_FORM)]
    orders = document.orders(program.fields)
    header = {**header, **({"settled": settled} if settled else {})}
    header["digest"] = fields_digest(orders.document(0), header.get("fields", ()))
    prepared = prepare(program, orders, Run())
    places = {number: at for at, number in enumerate(prepared.line_numbers)}
    header = _restated(program, prepared, header, "header", 0)
    stated = [_restated(program, prepared, record, "line", places[record["line"]]) for record in lines]
    return document.with_header(**{TERMS: [header, *stated]})


def _restated(program: Program, orders: Orders, record: Mapping[str, Any], level: str, at: int) -> Plain:
    column = orders.header if level == "header" else orders.line
    basis = {name: plain(value_at(column(name), at)) for name in record.get("basis", {})}
    asks = record.get("asks")
    if not asks:
        return {**record, "basis": basis}
    leaves, kept = orders.leaves()
    context = Context(program, leaves, Run(), orders, kept)
    place = at if kept is None or level == "header" else int(np.flatnonzero(kept == at)[0])
    found = {}
    for table in asks:
        known = program.tables.get(table)
        formulas = [] if known is None else shared_asks(known, program.definition.reprice_on)
        found[table] = [plain(value_at(f.evaluate(context, known.level), place)) for f in formulas if known is not None]
    return {**record, "basis": basis, "asks": found}


def commercial_fields(document: Document) -> tuple[Plain, dict[str, Plain]]:
    """The fields of header and lines that are commercial, as plain values, and the answers each line has agreed."""
    header = {name: plain(value) for name, value in document.header.items() if name not in HEADER_ASIDE}
    lines = {
        number: {name: plain(value) for name, value in fields.items() if name not in (*LINE_ASIDE, "number")}
        for number, fields in document.lines.items()
    }
    for number, record in by_number(document.header.get(TERMS)).items():
        if number in lines:
            lines[number]["agreed terms"] = plain(record.get("answers", {}))
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
