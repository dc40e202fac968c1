"""States of orders, lines and deliveries: which moves are allowed, and what may be done in each state."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from typing import Literal

from dokima.model.finding import Severity
from dokima.model.settings import Name, NotNegative, setting

Operation = Literal["header", "lines", "close", "records", "payments", "deliveries"]
"""Kinds of operations a state may permit: changing the header, changing lines, closing and reopening lines, recording
payments and deliveries (``records``), or one of the two."""

OPERATIONS: tuple[Operation, ...] = ("header", "lines", "close", "records")
RECORDINGS: tuple[Operation, ...] = ("payments", "deliveries")
"""What ``records`` stands for."""
OPEN, CLOSED = "open", "closed"
"""States of a line."""


@dataclass(frozen=True)
class State:
    """A state of an order: where it may go next, and what may be done in it."""

    to: Sequence[str] = setting("States it leads to.", default=())
    permits: Sequence[Operation] = setting(
        "What may be done in it: header, lines, close, payments, deliveries; records is the last two.", default=()
    )
    asks: str = setting("The moment whose rules are asked on the way into it.", default="")


Progress = Literal["open", "delivered", "ended"]
"""What a state of a delivery means: more is to come, its quantity has been delivered, or it ended without that."""


def _usual_states() -> Mapping[str, State]:
    return {
        "draft": State(("confirmed", "cancelled"), OPERATIONS),
        "confirmed": State(("finished", "cancelled"), OPERATIONS, "save"),
        "finished": State(permits=RECORDINGS, asks="save"),
        "cancelled": State(asks="cancel"),
    }


def _usual_deliveries() -> Mapping[str, Progress]:
    return {"planned": "open", "sent": "open", "delivered": "delivered", "failed": "ended", "cancelled": "ended"}


@dataclass(frozen=True)
class Lifecycle:
    """The states of orders, of which the first is that of an order that names none, and those of deliveries."""

    states: Mapping[Name, State] = setting(
        "States of orders by name; the first is that of an order that names none.",
        default_factory=_usual_states,
        key="order",
    )
    finished: str = setting("The state of an order whose lines are all closed or delivered.", default="finished")
    finished_when: Literal["delivered", "delivered and paid", "never"] = setting(
        "When an order is finished by itself: as soon as every line is closed or delivered in full and no delivery is "
        "under way; when that is so and nothing is payable; or never.",
        default="delivered",
    )
    change_when_paid: bool = setting("Whether lines may be changed once something has been paid.", default=False)
    deliveries: Mapping[Name, Progress] = setting(
        "States of deliveries, each as open, delivered or ended.", default_factory=_usual_deliveries, key="delivery"
    )
    payments: Literal["limited", "free"] = setting(
        "Whether payments may exceed what is payable: limited refuses one below 0 or beyond that, free records any.",
        default="limited",
    )

    def wrong(self) -> str:
        """What is wrong with the states together, blank for nothing."""
        for name, state in self.states.items():
            for target in state.to:
                if target not in self.states:
                    return f"expected '{name}' to lead to states that are there (got '{target}')"
        if self.states and self.finished not in self.states:
            return f"expected 'finished' to name a state that is there (got '{self.finished}')"
        return ""

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
        return replace(self, states=states, finished="", change_when_paid=True)

    def ends_undelivered(self, state: str) -> bool:
        """Whether an order ends in a state without having been carried out, such as cancelled."""
        return state != self.finished and state in self.states and not self.states[state].to


@dataclass(frozen=True)
class OverrideTerms:
    """What a price typed by hand must be."""

    reason: bool = setting("Whether a price typed by hand needs a reason.", default=True)
    negative: bool = setting("Whether it may be negative.", default=False)


Settle = Literal["amend", "split"]
"""What approval does with a change: all into the original, or increases into an order of their own."""


@dataclass(frozen=True)
class ChangeTerms:
    """How change orders are settled: one way for all, or by kind of order."""

    settle: Settle | Mapping[str, Settle] = setting(
        "How approved changes are settled: amend or split, or one of them for each kind of order.", default="amend"
    )
    budget_of: Literal["without_tax", "with_tax"] = setting(
        "The total that a budget is compared with.", default="without_tax"
    )

    def mode(self, kind: object) -> Settle:
        """How an order of a kind is settled."""
        return self.settle if isinstance(self.settle, str) else self.settle.get(str(kind), "amend")


@dataclass(frozen=True)
class StatedTerms:
    """How stated figures are compared with calculated ones."""

    tolerance: NotNegative = setting("How far a stated figure may be off.", default=Decimal(0))
    severity: Severity = setting("What follows if it is further off.", default="error")
