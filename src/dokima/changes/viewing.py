"""The rulebook as a change order sees it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dokima.editing.document import Document
from dokima.engine.calculation import PricedOrder
from dokima.engine.pricing import price_orders
from dokima.engine.program import Program, Run
from dokima.errors import Locked
from dokima.model.states import Lifecycle, State


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


def changing(program: Program, document: Document) -> Program:
    """The rulebook as a change of a document sees it: terms are kept whatever its state, and lines may be changed."""
    state = document.header.get("state") or program.definition.lifecycle.first
    lifecycle = Lifecycle({"": State(), state: State((), ("header", "lines"))}, {}, "", change_when_paid=True)
    changed = replace(program, definition=replace(program.definition, lifecycle=lifecycle))
    # Terms name the rulebook people know, not this view of it.
    changed.__dict__["fingerprint"] = program.fingerprint
    return changed


def priced_as_agreed(program: Program, document: Document) -> PricedOrder:
    """A document with the figures it keeps; one that has agreed nothing yet by the rulebook of today."""
    view = changing(program, document) if document.header.get("terms") else program
    return PricedOrder(price_orders(view, document.orders(program.fields), Run()).calculation, 0)
