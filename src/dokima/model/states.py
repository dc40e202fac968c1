"""States of orders, lines and deliveries: which moves are allowed, and what may be done in each state."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Literal

Deed = Literal["header", "lines", "close", "records"]
"""Kinds of operations a state may permit: changing the header, changing lines, closing and reopening lines, recording
payments and deliveries."""

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


Progress = Literal["open", "delivered", "ended"]
"""What a state of a delivery means: more is to come, its quantity has been delivered, or it ended without that."""


@dataclass(frozen=True)
class Lifecycle:
    """The states of orders and of their deliveries.

    Attributes:
        states: Of orders, by name; the first is that of an order that names none.
        asks: Moment whose rules are asked before an order moves to a state.
        finished: The state a confirmed order moves to by itself once nothing of it is open.
        change_when_paid: Whether lines and header may still be changed after the first payment.
        deliveries: States of a delivery by name, and what each means.
        payments: "limited" refuses a payment below 0 or beyond what is payable, "free" records any amount.
    """

    states: Mapping[str, State] = field(
        default_factory=lambda: {
            "draft": State(("confirmed", "cancelled"), DEEDS),
            "confirmed": State(("finished", "cancelled"), DEEDS),
            "finished": State(),
            "cancelled": State(),
        }
    )
    asks: Mapping[str, str] = field(
        default_factory=lambda: {"confirmed": "save", "cancelled": "cancel", "finished": "save"}
    )
    finished: str = "finished"
    change_when_paid: bool = False
    deliveries: Mapping[str, Progress] = field(
        default_factory=lambda: {
            "planned": "open",
            "sent": "open",
            "delivered": "delivered",
            "failed": "ended",
            "cancelled": "ended",
        }
    )
    payments: Literal["limited", "free"] = "limited"

    @property
    def first(self) -> str:
        """The state of an order that names none."""
        return next(iter(self.states))

    def in_change(self, state: str) -> Lifecycle:
        """The states as a change of an order sees them: header and lines may be changed, and it moves nowhere.

        Args:
            state: State of the order.
        """
        states = {"": State(), state: State((), ("header", "lines"))}
        return replace(self, states=states, asks={}, finished="", change_when_paid=True)

    def ends_unfulfilled(self, state: str) -> bool:
        """Whether an order ends in a state without having been carried out, such as cancelled."""
        return state != self.finished and state in self.states and not self.states[state].to


@dataclass(frozen=True)
class OverrideTerms:
    """What a price typed by hand must be: whether it needs a reason, and whether it may be below 0."""

    reason: bool = True
    negative: bool = False


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
