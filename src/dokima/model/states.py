"""States of orders and lines: which moves are allowed, and what may be done in each state."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Literal

Deed = Literal["header", "lines", "close", "records"]
"""Kinds of operations a state may permit: changing the header, changing lines, closing and reopening lines, recording
payments and fulfilments."""

DEEDS: tuple[Deed, ...] = ("header", "lines", "close", "records")
OPEN, CLOSED = "open", "closed"
"""States of a line."""


@dataclass(frozen=True)
class State:
    """A state of an order: where it may go next, and what may be done in it.

    Attributes:
        to: States it may move to.
        permits: Kinds of operations.
    """

    to: Sequence[str] = ()
    permits: Sequence[Deed] = ()


@dataclass(frozen=True)
class Lifecycle:
    """The states of orders.

    Attributes:
        states: By name; the first is that of an order that names none.
        asks: Moment whose rules are asked before an order moves to a state.
        completed: The state an open order moves to by itself once nothing of it is open.
        change_when_paid: Whether lines and header may still be changed after the first payment.
    """

    states: Mapping[str, State] = field(
        default_factory=lambda: {
            "draft": State(("open", "cancelled"), DEEDS),
            "open": State(("completed", "cancelled"), DEEDS),
            "completed": State(),
            "cancelled": State(),
        }
    )
    asks: Mapping[str, str] = field(
        default_factory=lambda: {"open": "save", "cancelled": "cancel", "completed": "save"}
    )
    completed: str = "completed"
    change_when_paid: bool = False

    @property
    def first(self) -> str:
        """The state of an order that names none."""
        return next(iter(self.states))


Settle = Literal["amend", "split"]
"""What approval does with a change: all into the original, or increases into an order of their own."""


@dataclass(frozen=True)
class ChangeTerms:
    """How change orders are settled.

    Attributes:
        settle: For every kind of order that has none of its own.
        by_kind: By ``header.kind``.
        budget_of: The total that a budget is compared with: without_tax or with_tax.
    """

    settle: Settle = "amend"
    by_kind: Mapping[str, Settle] = field(default_factory=dict)
    budget_of: Literal["without_tax", "with_tax"] = "without_tax"

    def mode(self, kind: object) -> Settle:
        """How an order of a kind is settled."""
        return self.by_kind.get(str(kind), self.settle)


FULFILMENT_ENDED = ("completed", "cancelled", "failed")
"""States of a fulfilment in which nothing more is to come."""
