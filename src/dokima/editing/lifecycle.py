"""What the state of an order or line permits, and when an order is complete."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any

from dokima.errors import Locked, NotFound, listed, nearest
from dokima.model.document import Document
from dokima.model.states import CLOSED, RECORDINGS, Lifecycle, Operation, State

_WORDS = {
    "header": "changing the header",
    "lines": "changing lines",
    "close": "closing or reopening lines",
    "payments": "recording payments",
    "deliveries": "recording deliveries",
}


@dataclass(frozen=True)
class Stages:
    """The states of a rulebook, asked about documents."""

    lifecycle: Lifecycle

    def state(self, document: Document) -> str:
        """State of the order."""
        return str(document.header.get("state") or self.lifecycle.first)

    def _described(self, document: Document) -> State:
        name = self.state(document)
        if name not in self.lifecycle.states:
            hint = nearest(name, self.lifecycle.states)
            raise Locked(f"expected a state of {listed(self.lifecycle.states)} (got '{name}'{hint})", name)
        return self.lifecycle.states[name]

    def permit(self, document: Document, operation: Operation) -> None:
        """Refuse what the order's state does not permit.

        Raises:
            Locked: It does not.
        """
        number, name = document.header.get("number") or "", self.state(document)
        permits = self._described(document).permits
        if operation not in permits and not (operation in RECORDINGS and "records" in permits):
            raise Locked(f"order {number} is {name}, and that does not permit {_WORDS[operation]}", name)
        paid = bool(document.header.get("payments"))
        if paid and operation in ("header", "lines") and not self.lifecycle.change_when_paid:
            raise Locked(f"order {number} has payments, so only a change order may change it", name)

    def refuse_closed(self, document: Document, numbers: Iterable[str]) -> None:
        """Refuse an operation on closed lines.

        Raises:
            Locked: One of them is closed.
        """
        closed = [number for number in numbers if self.line_closed(document, number)]
        if closed:
            word = "line" if len(closed) == 1 else "lines"
            raise Locked(f"{word} {listed(closed)} must be reopened first (closed)", CLOSED)

    @staticmethod
    def line_closed(document: Document, number: str) -> bool:
        """Whether a line is closed."""
        return document.lines[number].get("state") == CLOSED

    def move(self, document: Document, target: str) -> str:
        """The moment whose rules a move asks, blank for none.

        Raises:
            Locked: The order's state does not lead there.
            NotFound: There is no such state.
        """
        if target not in self.lifecycle.states:
            raise NotFound(f"there is no state '{target}'{nearest(target, self.lifecycle.states)}")
        state = self._described(document)
        if target not in state.to:
            leads = listed(state.to) or "nowhere"
            name = self.state(document)
            raise Locked(f"an order that is {name} cannot become {target}; it can become {leads}", name)
        under_way = [str(each.get("id", "")) for each in self.under_way(document.header.get("deliveries") or ())]
        if target == self.lifecycle.finished and under_way:
            raise Locked(f"an order cannot become {target} while a delivery is open ({listed(under_way)})", target)
        asked = "cancel" if self.lifecycle.ends_undelivered(target) else ""
        return self.lifecycle.states[target].asks or asked

    def needs_figures(self, document: Document, target: str) -> bool:
        """Whether a move takes an order out of draft to be carried out, so that what was agreed must be known."""
        leaves = self.state(document) == self.lifecycle.first != target
        return leaves and not self.lifecycle.ends_undelivered(target)

    def under_way(self, deliveries: Iterable[Mapping[str, Any]]) -> list[Mapping[str, Any]]:
        """Deliveries of which more is to come."""
        known = self.lifecycle.deliveries
        return [each for each in deliveries if known.get(str(each.get("state")), "open") == "open"]
