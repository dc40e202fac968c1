"""`Store`: orders, change orders, settlements and ledgers over any place that keeps documents."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Any, Self

from dokima.changes.change import ChangeOrder
from dokima.changes.ledger import Ledger, ledger_of
from dokima.changes.listing import ChangeEntries, change_entries
from dokima.changes.plan import Policy
from dokima.changes.settlement import Settlement
from dokima.errors import Conflict, DocumentError, DokimaError, NotFound, Problem, nearest
from dokima.model.arguments import a_text
from dokima.model.links import linked_numbers
from dokima.model.listing import Listing
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.model.selecting import Selection
from dokima.model.states import Settle
from dokima.rulebook.book import Rulebook
from dokima.store.change_work import (
    Approval,
    Changes,
    Edit,
    Opening,
    changes_of,
    read_change,
    readable,
    rebased,
    worked,
)
from dokima.store.documents import Documents, Event, no_events
from dokima.store.events import cloud_event, event_list
from dokima.store.listing import line_list, order_list, whole_orders
from dokima.store.taken_lines import TakenLines
from dokima.store.texts import read_document

if TYPE_CHECKING:
    from dokima.editing.editor import Editor


class Store:
    """Orders, change orders and baselines, wherever they are kept.

    Args:
        documents: The place that keeps them.
        book: The rulebook.
    """

    def __init__(self, documents: Documents, book: Rulebook) -> None:
        self.documents = documents
        self.book = book

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.close()

    def close(self) -> None:
        """Give back what it holds; a folder holds nothing."""

    # -- reading ----------------------------------------------------------------------------------------------

    def order(self, number: str) -> Order:
        """An order as it is now.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: Its file is not JSON.
        """
        text = self.documents.read("orders", a_text(number, "number"))
        if text is None:
            raise NotFound(f"there is no order {number} in orders{nearest(number, self.documents.numbers('orders'))}")
        found = Order.from_dict(read_document(text, f"{number}.json"))
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
        supplements = [self.order(name) for name in linked_numbers(original.header, "supplement")]
        for supplement in supplements:
            # A supplement is one because its own link says so, never because of its name.
            if linked_numbers(supplement.header, "original") != [number]:
                message = f"expected a link to the original {number}, which calls it a supplement"
                raise DocumentError([Problem(supplement.number, "", "links", message)])
        return [original, *supplements]

    def root_of(self, number: str) -> str:
        """The number of the original that an order is a supplement of, else its own."""
        return next(iter(linked_numbers(self.order(number).header, "original")), number)

    def change(self, number: str) -> ChangeOrder:
        """A change order, its baseline verified.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: Its baseline has been changed.
        """
        return read_change(self, number)

    def changes(self, number: str) -> Changes:
        """The change orders of an order; approved ones in the order of their approval, before all others."""
        return changes_of(self, number)

    def all_changes(self) -> Changes:
        """Every change order, by number."""
        return readable(self, self.documents.numbers("changes"))

    def list_changes(self, today: datetime.date, state: str = "") -> ChangeEntries:
        """What each change order comes to, who is behind it, and how long it waits: the longest wait first.

        Args:
            today: The day up to which they wait.
            state: Only those in this state; all if blank.

        Raises:
            NotFound: There is no such state; names the nearest.
        """
        found = self.all_changes()
        return change_entries(found, today, state, found.unreadable)

    def ledger(self, number: str) -> Ledger:
        """The ledger of an order, or of the original that a supplement belongs to."""
        number = self.root_of(number)
        found = self.changes(number)
        return ledger_of(self.book.program, self.with_supplements(number), found, found.unreadable)

    # -- working ----------------------------------------------------------------------------------------------

    def open_change(
        self, number: str, by: str, *, reason: str = "", requested_by: str = "", operation: str = ""
    ) -> ChangeOrder:
        """Open a change order of an order; one of a supplement is one of its original.

        Args:
            number: Number of the order.
            by: Who opens it.
            reason: Why the order changes.
            requested_by: Who asked for it.
            operation: What the caller calls this operation; see `save`.

        Raises:
            Conflict: Somebody else is writing, or ``operation`` named something else.
        """
        return Opening(self, number, by, reason, requested_by, operation).opened()

    def update_change(self, number: str, by: str, action: Edit) -> ChangeOrder:
        """Do something with a change order and keep it; nothing is kept if it is refused.

        In a database it is done again, on what is kept by then, if another transaction was in the way.

        Raises:
            DokimaError: The action has approved or rebased it, which moves more than the change order alone: `approve`
                and `rebase` of the store keep all of that.
            Conflict: Somebody else is writing.
        """
        return worked(self, number, by, action)

    def rebase(self, number: str, by: str) -> ChangeOrder:
        """Freeze the original anew, and make the same change to it.

        Raises:
            Conflict: Both have moved the same thing, or somebody else is writing.
        """
        return rebased(self, number, by)

    def approve(
        self,
        number: str,
        by: str,
        *,
        settle: Settle | Policy | None = None,
        today: datetime.date | None = None,
        accept: Mapping[str, str] | None = None,
        operation: str = "",
    ) -> Settlement:
        """Approve a change order: all its documents are written, or none. Arguments are those of `ChangeOrder.approve`.

        Args:
            number: Number of the change order.
            by: Who approves.
            settle: amend or split, or a function; what the rulebook says if None.
            today: For ``run.today``.
            accept: Warnings of rules that stop until somebody accepts them: a reason by the id of the rule.
            operation: What the caller calls this operation; see `save`.

        Raises:
            Locked: It is not submitted.
            StaleBaseline: The original has moved.
            Refused: A rule stops it.
            Conflict: Somebody else is writing, or ``operation`` named something else.
        """
        return Approval(self, number, by, settle, today, accept, operation).settled()

    # -- orders -----------------------------------------------------------------------------------------------

    def save(
        self, order: Order, by: str, *, operation: str = "", reason: str = "", today: datetime.date | None = None
    ) -> Order:
        """Save an order: rules of ``save``, number, header, lines, figures and event become true at once, or nothing.

        Args:
            order: The order. Without a number it gets one from ``[numbering]``. One that is kept already must be of the
                revision that is kept.
            by: Who saves it.
            operation: What the caller calls this operation. The same name with the same content gives the first result
                again, so that a call whose answer was lost may be repeated.
            reason: For the history.
            today: For ``run.today``.

        Returns:
            The order as it is kept: with its number and its revision, one higher than before.

        Raises:
            DocumentError: Something in it is no order of this rulebook.
            Refused: A rule stops it.
            Conflict: It has been saved meanwhile, and what moved and who did it; or ``operation`` named something else.
        """
        return self.save_many([order], by, operation=operation, reason=reason, today=today)[0]

    def save_many(
        self,
        orders: Sequence[Order],
        by: str,
        *,
        operation: str = "",
        reason: str = "",
        today: datetime.date | None = None,
    ) -> list[Order]:
        """Save several orders, all of them or none. Arguments are those of `save`.

        Raises:
            DocumentError: Something in them is no order of this rulebook.
            Refused: A rule stops one of them.
            Conflict: One of them has been saved meanwhile.
        """
        from dokima.store.saving import Saving

        return Saving(self, by, operation, reason, today).save(orders)

    def editor(self, number: str, by: str, *, today: datetime.date | None = None) -> Editor:
        """An editor of an order as it is kept; nothing of what is done with it is saved by itself.

        Its new lines get numbers that are free in all documents of the order, and in the changes of it that are
        pending.

        Raises:
            NotFound: There is none with that number; names the nearest.
            DocumentError: It cannot be read.
        """
        order = self.order(number)
        root = next(iter(linked_numbers(order.header, "original")), number)
        return self.book.edit(order, by, today=today, taken=TakenLines(self.documents, root, document=number))

    @contextmanager
    def edit(self, number: str, by: str, *, reason: str = "", today: datetime.date | None = None) -> Iterator[Editor]:
        """Edit an order and save it at the end of the block; nothing is saved if the block raises.

            with store.edit("SO-2026-00017", by="Ada") as order:
                order.change_line(10, quantity=4)

        Raises:
            Refused: A rule stops it.
            Conflict: It has been saved by somebody else since the block began. Nothing is tried again by itself.
        """
        editor = self.editor(number, by, today=today)
        yield editor
        self.save(editor.save(), by, reason=reason, today=today)

    def orders(
        self,
        *,
        where: str = "",
        sort: str = "",
        limit: int | None = None,
        columns: Sequence[str] = (),
        **selection: Any,
    ) -> Listing:
        """A list of orders: number, kind, date, party and its name, totals, who asked, state, revision.

        Args:
            where: A condition worked out once an order, such as ``state == 'confirmed' and with_tax > 1000``.
            sort: A column to sort by, with a minus before it from the highest down; by number if blank.
            limit: At most so many.
            columns: Only these: of those above, header fields, totals and figures of orders.
            selection: ``kind``, ``state``, ``customer``, ``supplier``, ``requested_by``, ``since``, ``until``,
                ``item``, ``numbers``; see `Selection`. A database looks these up by its indexes.

        Raises:
            NotFound: There is no such column.
            DokimaError: The condition cannot be read.
        """
        return order_list(self, Selection.of(selection), where, sort, limit, columns)

    def lines(
        self,
        *,
        open_only: bool = False,
        where: str = "",
        sort: str = "",
        limit: int | None = None,
        **selection: Any,
    ) -> Listing:
        """A list of lines over all orders: order, party, item, dates, quantity, delivered and still open.

        Args:
            open_only: Only lines of which something is still to be delivered.
            where: A condition on their orders.
            sort: A column to sort by, with a minus before it from the highest down; by order and line if blank.
            limit: At most so many.
            selection: ``item`` and whatever else `orders` takes.

        Raises:
            NotFound: There is no such column.
            DokimaError: The condition cannot be read.
        """
        return line_list(self, Selection.of(selection), where, open_only, sort, limit)

    def read_orders(self, *, where: str = "", **selection: Any) -> Iterator[Orders]:
        """The orders of a selection whole, as columns, in pieces of a thousand; arguments are those of `orders`.

        What the rulebook cannot read stands in ``problems`` of its piece.
        """
        return whole_orders(self, Selection.of(selection), where)

    def edit_with(
        self, number: str, by: str, action: Callable[[Editor], object], *, attempts: int = 1, reason: str = ""
    ) -> Order:
        """Edit an order and save it; if it has been saved by somebody else meanwhile, do the same to what is kept then.

        Args:
            number: Number of the order.
            by: Who does it.
            action: What is done with its editor. It may be called several times, each time with another editor.
            attempts: How often at most.
            reason: For the history.

        Raises:
            Refused: A rule stops it.
            Conflict: Others were quicker each time.
        """
        for left in reversed(range(attempts)):
            editor = self.editor(number, by)
            action(editor)
            try:
                return self.save(editor.save(), by, reason=reason)
            except Conflict:
                if not left:
                    raise
        raise ValueError(f"expected at least one attempt (got {attempts})")

    def history(self, number: str) -> list[Event]:
        """Who did what to an order or a change order, and when: the events about it, field by field.

        Raises:
            NotFound: There is neither of that number; names the nearest.
            DokimaError: The place keeps no events.
        """
        found = list(self.documents.events(subject=a_text(number, "number"), limit=1_000_000))
        if not found and self.documents.read("changes", number) is None:
            self.order(number)  # says so if there is none
        return found

    def each(self, *, where: str = "", **selection: Any) -> Any:  # noqa: ARG002 (a database has jobs)
        """The orders of a selection, for doing the same to all of them; needs a database.

        Raises:
            DokimaError: The place keeps no jobs.
        """
        raise DokimaError(no_events(self.documents.place))

    def job(self, name: str) -> Any:  # noqa: ARG002 (a database has jobs)
        """A job that was begun; needs a database.

        Raises:
            DokimaError: The place keeps no jobs.
        """
        raise DokimaError(no_events(self.documents.place))

    def trim(self, before: int) -> int:  # noqa: ARG002 (a database has events)
        """Forget the events before a number; needs a database.

        Raises:
            DokimaError: The place keeps no events.
        """
        raise DokimaError(no_events(self.documents.place))

    def wait(self, seconds: float) -> None:  # noqa: ARG002 (a database has events)
        """Wait until something may have become true, at most so long; needs a database.

        Raises:
            DokimaError: The place keeps no events.
        """
        raise DokimaError(no_events(self.documents.place))

    def follow(self, after: int = 0, *, every: float = 1.0) -> Iterator[dict[str, Any]]:  # noqa: ARG002
        """Everything that becomes true from an event on, for ever; needs a database.

        Raises:
            DokimaError: The place keeps no events.
        """
        raise DokimaError(no_events(self.documents.place))

    def history_list(self, number: str) -> Listing:
        """The same as a list: a row for each field that moved.

        Raises:
            DokimaError: The place keeps no events.
        """
        return event_list(self.history(number))

    def feed(self, after: int = 0, limit: int = 1000) -> Iterator[dict[str, Any]]:
        """Everything that has become true since an event, in sequence, as CloudEvents 1.0.

        Args:
            after: Number of the last event that was read; 0 for none.
            limit: How many are read at once.

        Raises:
            DokimaError: Those events are not kept any more, or the place keeps none.
        """
        while True:
            found = self.documents.events(after, limit=limit)
            for event in found:
                yield cloud_event(event, self.documents.source)
                after = event.number
            if len(found) < limit:
                return
