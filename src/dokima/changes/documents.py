"""The documents of a change: an original and its supplements, whether they have ended, and what they come to."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable, Sequence
from dataclasses import replace
from decimal import Decimal
from typing import Any

from dokima.columns.column import Column, value_at
from dokima.errors import Locked
from dokima.exact import decimals, to_decimals
from dokima.exact import total as sum_of
from dokima.model.agreed_terms import AgreedTerms
from dokima.model.content import plain
from dokima.model.document import Document, orders_of
from dokima.model.fields import DRAWN
from dokima.model.order import Order
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Program, Run
from dokima.pricing.running.capturing_terms import capture_terms
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.running.stated_figures import STATED_RULES

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
        line = document.lines[number]
        given = {name: value_at(orders.line(name), place) for name in by_default if name not in line}
        marks = {DRAWN: [*(line.get(DRAWN) or ()), *given]} if document.has_marks and given else {}
        document = document.with_line(number, {**given, **line, **marks})
    return document


def with_terms(program: Program, document: Document, run: Run) -> Document:
    """The document with the terms it keeps, or those it would keep from now on."""
    document = with_current_terms(program, document)
    if document.terms is not None:
        return document
    terms = capture_terms(program, document.orders(program.fields), run)
    return document if terms is None else document.with_terms(terms)


def with_current_terms(program: Program, document: Document) -> Document:
    """A document that keeps terms with those of today, where it was edited in a field that calls for a new price."""
    terms = document.terms
    if terms is None or (document.digest(terms.fields) == terms.digest and basis_stands(program, document, terms)):
        return document
    captured = capture_terms(program, document.orders(program.fields), Run(terms="keep"))
    return document if captured is None else document.with_terms(captured)


def basis_stands(program: Program, document: Document, terms: AgreedTerms) -> bool:
    """Whether the fields that call for a new price are on header and lines what they were when they were agreed."""
    orders = prepare(program, document.orders(program.fields), Run())
    places = {number: at for at, number in enumerate(orders.line_numbers)}
    of_header = all(_holds(orders.header, name, 0, value) for name, value in terms.basis.items())
    return of_header and all(
        number in places and all(_holds(orders.line, name, places[number], value) for name, value in line.basis.items())
        for number, line in terms.lines.items()
    )


def _holds(column: Callable[[str], Column], name: str, at: int, value: Any) -> bool:
    return bool(plain(value_at(column(name), at)) == value)


def frozen(document: Document) -> Document:
    """The document with terms of which tax and advance stand too, as long as nothing of it changes."""
    return document if document.terms is None else document.with_terms(replace(document.terms, frozen=True))


def state_of(program: Program, document: Document) -> str:
    """State of a document."""
    return str(document.header.get("state") or program.definition.lifecycle.first)


def agreed_state(program: Program, state: str) -> str:
    """The state of what was agreed in a state: a draft moves on, everything else stays."""
    lifecycle = program.definition.lifecycle
    onward = lifecycle.states[state].to if state in lifecycle.states else ()
    return str(onward[0]) if state == lifecycle.first and onward else state


def has_ended(program: Program, document: Document) -> bool:
    """Whether a document is in an end state, one that leads nowhere: it neither grows nor shrinks any more."""
    state = program.definition.lifecycle.states.get(state_of(program, document))
    return state is not None and not state.to


def refuse_ended(program: Program, documents: Sequence[Document]) -> None:
    """Refuse to change an order of which every document has ended.

    Raises:
        Locked: None can change; names the original.
    """
    if all(has_ended(program, document) for document in documents):
        state = state_of(program, documents[0])
        raise Locked(f"order {documents[0].number} is {state}, and nothing about it can change", state)


def priced_as_agreed(program: Program, documents: Sequence[Document]) -> list[PricedOrder]:
    """Documents with the figures they keep; one that has agreed nothing yet by the rulebook of today.

    They are priced together, because an order that has had fifty changes has as many supplements.
    """
    if not documents:
        return []
    calculation = price_orders(program, orders_of(documents, program.fields), Run(terms="keep")).calculation
    return list(calculation)


def without_stale(document: Document, priced: PricedOrder) -> Document:
    """A document without what it stated to come to, where a change has moved that: nobody has stated the new figure."""
    for finding in priced.findings:
        if finding.rule in STATED_RULES and finding.line:
            fields = document.lines[finding.line]
            kept = {name: value for name, value in fields.items() if name != finding.field}
            document = document.with_line(finding.line, kept)
        elif finding.rule in STATED_RULES:
            document = document.without_header(finding.field)
    return document


def leaves(document: Document) -> list[str]:
    """The numbers of its lines without sub-lines."""
    parents = {number.rpartition("/")[0] for number in document.lines}
    return [number for number in document.lines if number not in parents]


def total(values: Iterable[Decimal]) -> Decimal:
    """The exact sum of some numbers."""
    (found,) = to_decimals(sum_of(decimals(list(values))))
    return Decimal(0) if found is None else found


def money(value: Decimal, places: int) -> Decimal:
    """An amount with at least so many decimal places; none is lost."""
    exponent = value.as_tuple().exponent
    return value.quantize(Decimal(1).scaleb(-places)) if isinstance(exponent, int) and -exponent < places else value


def next_number(order: str, letter: str, taken: Iterable[str]) -> str:
    """The next number of a change order (``SQ-2041-C2``) or a supplement (``SQ-2041-S1``) of an order."""
    known = set(taken)
    return next(number for at in itertools.count(1) if (number := f"{order}-{letter}{at}") not in known)
