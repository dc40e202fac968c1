"""The documents of a change as they are now: whether they can change at all, and what they come to."""

from __future__ import annotations

from collections.abc import Sequence

from dokima.engine.program import Program, Run
from dokima.engine.running.calculation import PricedOrder
from dokima.engine.running.pricing import price_orders
from dokima.engine.running.stated_figures import STATED_RULES
from dokima.errors import Locked
from dokima.model.document import Document, orders_of


def refuse_ended(program: Program, documents: Sequence[Document]) -> None:
    """Refuse to change an order of which no document can change: their states lead nowhere and permit nothing.

    Raises:
        Locked: None can; names the original.
    """
    states = [str(each.header.get("state") or program.definition.lifecycle.first) for each in documents]
    known = [program.definition.lifecycle.states.get(name) for name in states]
    if all(state is not None and not state.to and not state.permits for state in known):
        number = documents[0].header.get("number") or ""
        raise Locked(f"order {number} is {states[0]}, and nothing about it can change", states[0])


def priced_as_agreed(program: Program, documents: Sequence[Document]) -> list[PricedOrder]:
    """Documents with the figures they keep; one that has agreed nothing yet by the rulebook of today.

    They are priced together, because an order that has had fifty changes has as many supplements.
    """
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
