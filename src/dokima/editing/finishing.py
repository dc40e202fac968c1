"""When an order is finished by itself, and when a correction takes that back."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from dokima.editing.lifecycle import Stages
from dokima.exact import to_decimals
from dokima.model.document import Document
from dokima.model.orders import Orders, texts
from dokima.pricing.defaults.delivering import are_delivered
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders

BEFORE = "state_before"
"""The header field that says from which state an order was finished by itself."""


@dataclass(frozen=True)
class Move:
    """A state that an order moves to by itself, the one to go back to (None for none), and why."""

    to: str
    before: str | None
    because: str

    def of(self, document: Document) -> Document:
        """The document moved."""
        if self.before is None:
            return document.with_header(state=self.to).without_header(BEFORE)
        return document.with_header(**{"state": self.to, BEFORE: self.before})


def moves(program: Program, orders: Orders, run: Run) -> list[Move | None]:
    """What each order moves to by itself now; None where it stays.

    It is finished where its state leads there, no delivery is under way, and every line is closed or delivered in full
    (``[states] finished_when``). One that was finished so and is not any more goes back to the state before.

    Args:
        program: The rulebook.
        orders: The orders as they are now.
        run: What the caller says about the run.
    """
    lifecycle = program.definition.lifecycle
    found: list[Move | None] = [None] * orders.count
    states = [state or lifecycle.first for state in texts(orders.header("state")).to_list()]
    before = texts(orders.header(BEFORE)).to_list()
    ending = [
        at
        for at, state in enumerate(states)
        if state in lifecycle.states
        and (lifecycle.finished in lifecycle.states[state].to or (state == lifecycle.finished and before[at]))
    ]
    if not ending or lifecycle.finished_when == "never":
        return found
    done = _done(program, orders, run)
    for at in ending:
        if done[at] and states[at] != lifecycle.finished:
            found[at] = Move(lifecycle.finished, states[at], f"it is {lifecycle.finished_when}")
        elif not done[at] and states[at] == lifecycle.finished:
            found[at] = Move(str(before[at]), None, f"it is not {lifecycle.finished_when} any more")
    return found


def _done(program: Program, orders: Orders, run: Run) -> Sequence[bool]:
    stages = Stages(program.definition.lifecycle)
    deliveries = orders.records.get("deliveries") or [()] * orders.count
    delivered = are_delivered(prepare(program, orders, run))
    done = [whole and not stages.under_way(mine) for whole, mine in zip(delivered, deliveries, strict=True)]
    if any(done) and program.definition.lifecycle.finished_when == "delivered and paid":
        payable = to_decimals(price_orders(program, orders, run).calculation.totals["payable"])
        done = [each and amount == 0 for each, amount in zip(done, payable, strict=True)]
    return done
