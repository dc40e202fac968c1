"""The rulebook as a change order sees it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from dokima.editing.document import Document, orders_of
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


def changing(program: Program, *documents: Document) -> Program:
    """The rulebook as a change of documents sees it: terms are kept whatever their state, and lines may be changed."""
    states = [each.header.get("state") or program.definition.lifecycle.first for each in documents]
    open_ = dict.fromkeys(states, State((), ("header", "lines")))
    lifecycle = Lifecycle({"": State(), **open_}, {}, "", change_when_paid=True)
    changed = replace(program, definition=replace(program.definition, lifecycle=lifecycle))
    # Terms name the rulebook people know, not this view of it.
    changed.__dict__["fingerprint"] = program.fingerprint
    return changed


def priced_as_agreed(program: Program, documents: Sequence[Document]) -> list[PricedOrder]:
    """Documents with the figures they keep; one that has agreed nothing yet by the rulebook of today.

    They are priced together, because an order that has had fifty changes has as many supplements.
    """
    found: dict[int, PricedOrder] = {}
    for is_agreed in (True, False):
        mine = [at for at, each in enumerate(documents) if bool(each.header.get("terms")) == is_agreed]
        if mine:
            chosen = [documents[at] for at in mine]
            view = changing(program, *chosen) if is_agreed else program
            calculation = price_orders(view, orders_of(chosen, program.fields), Run()).calculation
            found |= {at: PricedOrder(calculation, place) for place, at in enumerate(mine)}
    return [found[at] for at in range(len(documents))]
