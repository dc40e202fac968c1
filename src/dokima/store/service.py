"""`Store`: orders, change orders, settlements and ledgers over any place that keeps documents."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping
from dataclasses import replace
from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.ledger import Ledger, ledger_of
from dokima.changes.listing import ChangeEntries, change_entries
from dokima.changes.settlement import Policy, Settlement
from dokima.errors import DocumentError, NotFound, Problem, nearest
from dokima.formats.json_files import json_text
from dokima.model.order import Order
from dokima.model.parsing import parse_json
from dokima.model.states import Settle
from dokima.rulebook.book import Rulebook
from dokima.store.documents import Documents, Written

Edit = Callable[[ChangeOrder], object]


class Store:
    """Orders, change orders and baselines, wherever they are kept.

    Args:
        documents: The place that keeps them.
        book: The rulebook.
    """

    def __init__(self, documents: Documents, book: Rulebook) -> None:
        self.documents = documents
        self.book = book

    # -- reading ----------------------------------------------------------------------------------------------

    def order(self, number: str) -> Order:
        """An order as it is now.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: Its file is not JSON.
        """
        text = self.documents.read("orders", number)
        if text is None:
            raise NotFound(f"there is no order {number} in orders{nearest(number, self.documents.numbers('orders'))}")
        found = Order.from_dict(_data(text, f"{number}.json"))
        if found.number != number:
            message = f"expected the order {number} that its file is named after (got {found.number or 'none'})"
            raise DocumentError([Problem(found.number, "", "number", message, f"{number}.json")])
        return found

    def with_supplements(self, number: str) -> list[Order]:
        """An order and its supplements, in the order in which it links to them.

        Raises:
            NotFound: There is no such order, or one it links to is missing.
            DocumentError: What it links to is not its supplement.
        """
        original = self.order(number)
        supplements = [self.order(name) for name in linked(original, "supplement")]
        for supplement in supplements:
            # A supplement is one because its own link says so, never because of its name.
            if linked(supplement, "original") != [number]:
                message = f"expected a link to the original {number}, which calls it a supplement"
                raise DocumentError([Problem(supplement.number, "", "links", message)])
        return [original, *supplements]

    def root_of(self, number: str) -> str:
        """The number of the original that an order is a supplement of, else its own."""
        return next(iter(linked(self.order(number), "original")), number)

    def change(self, number: str) -> ChangeOrder:
        """A change order, its baseline verified.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: Its baseline has been changed.
        """
        text, frozen = self.documents.read("changes", number), self.documents.read("baselines", number)
        if text is None:
            raise NotFound(f"there is no change order {number}{nearest(number, self.documents.numbers('changes'))}")
        if frozen is None:
            raise NotFound(f"the baseline of {number} is missing in {self.documents.place}")
        return ChangeOrder.from_dict(self.book.program, _data(text, f"{number}.json"), frozen, _now)

    def changes(self, number: str) -> list[ChangeOrder]:
        """The change orders of an order; approved ones in the order of their approval, before all others."""
        # The name only says where to look; which order a change is of, it says itself.
        near = [self.change(name) for name in self.documents.numbers("changes") if name.startswith(f"{number}-C")]
        mine = [change for change in near if change.order_number == number]

        def place(change: ChangeOrder) -> tuple[int, int, int, str]:
            # The sequence is counted when a settlement becomes true: two of one second keep their order.
            sequence = int(change.record.get("settled", {}).get("sequence", 0))
            return change.state != "approved", sequence, len(change.number), change.number

        return sorted(mine, key=place)

    def all_changes(self) -> list[ChangeOrder]:
        """Every change order, by number."""
        return [self.change(name) for name in self.documents.numbers("changes")]

    def list_changes(self, today: datetime.date, state: str = "") -> ChangeEntries:
        """What each change order comes to, who is behind it, and how long it waits: the longest wait first.

        Args:
            today: The day up to which they wait.
            state: Only those in this state; all if blank.

        Raises:
            NotFound: There is no such state; names the nearest.
        """
        return change_entries(self.all_changes(), today, state)

    def ledger(self, number: str) -> Ledger:
        """The ledger of an order, or of the original that a supplement belongs to."""
        number = self.root_of(number)
        return ledger_of(self.book.program, self.with_supplements(number), self.changes(number))

    # -- working ----------------------------------------------------------------------------------------------

    def open(self, number: str, by: str, *, reason: str = "", requested_by: str = "") -> ChangeOrder:
        """Open a change order of an order; one of a supplement is one of its original.

        Raises:
            Conflict: Somebody else is writing.
        """
        with self.documents.writing(by) as transaction:
            number = self.root_of(number)
            original, *supplements = self.with_supplements(number)
            taken = self.documents.numbers("changes")
            change = self.book.change(
                original, by, supplements=supplements, reason=reason, requested_by=requested_by, taken=taken
            )
            written = _written(change.to_dict())
            kept: Written = {("baselines", change.number): change.baseline.text, ("changes", change.number): written}
            transaction.commit(kept, f"{change.number}-open")
        return change

    def work(self, number: str, by: str, action: Edit) -> ChangeOrder:
        """Do something with a change order and keep it; nothing is kept if it is refused.

        Raises:
            Conflict: Somebody else is writing.
        """
        with self.documents.writing(by) as transaction:
            change = self.change(number)
            action(change)
            transaction.commit({("changes", number): _written(change.to_dict())})
        return change

    def rebase(self, number: str, by: str) -> ChangeOrder:
        """Freeze the original anew, and make the same change to it.

        Raises:
            Conflict: Both have moved the same thing, or somebody else is writing.
        """
        with self.documents.writing(by) as transaction:
            change = self.change(number)
            change.rebase(self.with_supplements(change.order_number), by)
            frozen: Written = {("baselines", number): change.baseline.text}
            transaction.commit({**frozen, ("changes", number): _written(change.to_dict())}, f"{number}-rebase")
        return change

    def approve(
        self,
        number: str,
        by: str,
        *,
        settle: Settle | Policy | None = None,
        today: datetime.date | None = None,
        accept: Mapping[str, str] | None = None,
    ) -> Settlement:
        """Approve a change order: all its documents are written, or none. Arguments are those of `ChangeOrder.approve`.

        Raises:
            Locked: It is not submitted.
            StaleBaseline: The original has moved.
            Refused: A rule stops it.
            Conflict: Somebody else is writing.
        """
        with self.documents.writing(by) as transaction:
            change = self.change(number)
            current = self.with_supplements(change.order_number)
            settlement = change.approve(
                by, current, today=today, settle=settle, taken=self.documents.numbers("orders"), accept=accept
            )
            data = change.to_dict()
            data["settled"]["sequence"] = 1 + self.documents.settlements()
            documents: Written = {("orders", order.number): _written(order.to_dict()) for order in settlement.orders}
            transaction.commit({**documents, ("changes", number): _written(data)}, number, settles=True)
        return settlement


def linked(order: Order, kind: str) -> list[str]:
    """The numbers an order links to, of one kind: ``original``, ``supplement`` or ``change``."""
    links = order.header.get("links") or []
    return [str(link.get("number")) for link in links if isinstance(link, Mapping) and link.get("kind") == kind]


def _data(text: str, file: str) -> dict[str, Any]:
    try:
        data = parse_json(text)
    except DocumentError as error:
        raise DocumentError([replace(problem, file=file) for problem in error.problems]) from None
    if isinstance(data, dict):
        return data
    raise DocumentError([Problem("", "", "", f"expected one document (got {type(data).__name__})", file)])


def _written(data: Any) -> str:
    return json_text(data) + "\n"


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)
