"""`Documents`: what a place must offer to keep orders, change orders and baselines. `Store` does the rest."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Literal, Protocol, TypeVar

from dokima.model.orders import Orders
from dokima.model.selecting import Selection

T = TypeVar("T")

Kind = Literal["orders", "changes", "baselines", "settlements"]
"""Kinds of documents: orders and supplements as they are now, change orders, what those are measured against, and
what approval made of them."""

Written = Mapping[tuple[Kind, str], str]
"""Texts of documents by kind and number."""


@dataclass(frozen=True)
class Event:
    """Something that became true, to be told to whoever listens.

    Attributes:
        type: What happened: ``order.saved``, ``change.opened``, ``change.approved`` ...
        subject: Number of the order or change order.
        by: Who did it.
        revision: Revision of the order from then on; 0 for a change order.
        data: What changed: ``changes``, a list of line, field, from and to; ``reason``.
        digest: Digest of what the caller handed over, where an operation has a name.
        number: Its place among all events, gapless and in the sequence of the commits; 0 before the commit.
        time: When, in UTC (ISO 8601); blank before the commit.
    """

    type: str
    subject: str
    by: str
    revision: int = 0
    data: Mapping[str, Any] = field(default_factory=dict)
    digest: str = ""
    number: int = 0
    time: str = ""


@dataclass(frozen=True)
class Done:
    """What an operation gave that its caller has given a name, so that a repeated call gives the same.

    Attributes:
        name: The name.
        position: Which of its results, from 0.
        digest: Digest of what was asked for, and of whom.
        subject: Number of the order or change order.
        by: Who did it.
        result: What it gave, as text; None where that was not kept (version 1 of the tables).
        time: When, in UTC (ISO 8601); blank before the commit.
    """

    name: str
    position: int
    digest: str
    subject: str
    by: str
    result: str | None
    time: str = ""


class Transaction(Protocol):
    """Work on a place that becomes true at once, or not at all."""

    def lock(self, orders: Sequence[str]) -> None:
        """Keep other writers from these orders until the end. Called once, before anything is read."""

    def lock_change(self, number: str) -> None:
        """The same for the order that a change order is of."""

    def draw(self, series: str, start: int) -> int:
        """The next counter of a series of numbers."""

    def settled(self) -> int:
        """The place of the settlement that is being made among all there are, from 1."""

    def commit(
        self,
        documents: Written,
        name: str = "",
        *,
        settles: bool = False,
        events: Sequence[Event] = (),
        done: Sequence[Done] = (),
    ) -> None:
        """Make several documents true at once: all of them, or none. Called once, at the end.

        Args:
            documents: The documents.
            name: What is being done, for whoever finds it cut short.
            settles: Whether they are a settlement, which is counted from then on.
            events: What is told of it.
            done: What it gives, where its caller has given it a name.

        Raises:
            DokimaError: They cannot be written; says why.
        """


class Documents(Protocol):
    """A place that keeps documents as texts by kind and number."""

    keeps_events: bool
    """Whether it keeps events, and with them histories, the names of operations, and jobs."""

    @property
    def place(self) -> str:
        """Where it is, for messages."""

    @property
    def source(self) -> str:
        """What events say they come from: the same as long as the place is the same."""

    def read(self, kind: Kind, number: str) -> str | None:
        """The text of a document as it is now; None if there is none.

        Raises:
            DocumentError: It cannot be read.
        """

    def numbers(self, kind: Kind) -> Sequence[str]:
        """The numbers of all documents of a kind, sorted."""

    def changes_of(self, order: str) -> Sequence[str]:
        """The numbers of the change orders that may be of an order."""

    def read_orders(self, numbers: Sequence[str]) -> Mapping[str, str]:
        """The texts of those of some orders that there are, by number."""

    def same_numbers(self, numbers: Sequence[str]) -> Mapping[str, str]:
        """For numbers that cannot be told from that of an order (case, composed letters) the number it has."""

    def transact(self, by: str, work: Callable[[Transaction], T]) -> T:
        """Do work as one transaction. It may be done several times, until nobody is in its way.

        Raises:
            Conflict: Somebody else is writing, and went on for too long.
        """

    def headed(
        self, selection: Selection, size: int, whole: bool, figures: Collection[str] = ()
    ) -> Iterator[tuple[Orders, Sequence[Mapping[str, Any]]]]:
        """The orders of a selection with totals and figures, in pieces; without lines unless they are wanted whole.
        Sums of the amounts of lines are there if they are among ``figures``.

        What the rulebook cannot read is set aside, here and in `select`: it stands among the problems of its piece.
        """

    def select(self, selection: Selection, size: int) -> Iterator[Orders]:
        """The orders of a selection, in the sequence of their numbers, in pieces of so many orders."""

    def done(self, name: str) -> Sequence[Done]:
        """What an operation of a name gave before, in sequence; nothing if there was none.

        Raises:
            DokimaError: The place keeps no names of operations.
        """

    def events(self, after: int = 0, subject: str = "", limit: int = 1000) -> Sequence[Event]:
        """Events in sequence: those after a number, or of one subject.

        Raises:
            DokimaError: Those events are not kept any more, or never were.
        """


def no_events(place: str) -> str:
    """Why a place without events cannot do something."""
    return f"{place} keeps no events: histories, feeds, names of operations and jobs need a database"
