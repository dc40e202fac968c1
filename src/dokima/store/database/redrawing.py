"""Drawing what defaults give in orders that are kept: in old ones without marks, and in drafts on request."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from dokima.editing.drawing import draw_afresh
from dokima.model.document import Document
from dokima.model.fields import DRAWN
from dokima.model.listing import Listing
from dokima.model.orders import Orders
from dokima.model.selecting import Selection
from dokima.pricing.defaults.drawing import all_drawn
from dokima.pricing.program import Run
from dokima.rulebook.book import Rulebook
from dokima.store.database.place import DatabaseDocuments
from dokima.store.database.rows import rows_of
from dokima.store.database.store import DatabaseStore
from dokima.store.database.transaction import DatabaseTransaction
from dokima.store.events import saved_event

PAGE = 1000
_PRICED = ("routine", "fingerprint", "priced_at")
Keep = Callable[[str, str], bool]
"""Says of a column, by level and name, whether it is written."""


@dataclass(frozen=True)
class Refreshed:
    """What came of refreshing drafts.

    Attributes:
        orders: How many were worked out anew.
        drawn: The values that were drawn again and are others now: ``order``, ``line``, ``field``, ``from``, ``to``.
    """

    orders: int
    drawn: Sequence[Mapping[str, Any]] = ()

    def __repr__(self) -> str:
        return f"<Refreshed: {self.orders} orders, {len(self.drawn)} values drawn again>"

    def to_listing(self) -> Listing:
        """The values that are others now."""
        return Listing(tuple(self.drawn), ("order", "line", "field", "from", "to"), "values", title="Drawn again")


def draw_in_old_orders(documents: DatabaseDocuments) -> None:
    """Draw what is absent in orders that say nothing of it, so that lists find it. Revisions stay: nothing was done."""
    program = documents.book.program
    if not program.defaults:
        return
    follows = {(level, documents.schema.names[level].get(name, name)) for level, name in program.follows}
    names = {*follows, ("header", DRAWN), ("line", DRAWN), ("header", "absent"), ("line", "absent")}
    for headers in documents.headers(Selection(), PAGE):
        numbers = [str(row["number"]) for row in headers if row[DRAWN] is None]

        def work(transaction: DatabaseTransaction, numbers: list[str] = numbers) -> None:
            transaction.lock(numbers)
            found = list(documents.documents(transaction.connection, numbers).values())
            drawn = all_drawn(program, documents.readable(found), Run()).orders
            _write(transaction, found, drawn, lambda level, name: (level, name) in names)

        if numbers:
            documents.transact("", work)


def refresh(
    place: str, book: Rulebook, schema: str, prefix: str, by: str, today: datetime.date | None = None
) -> Refreshed:
    """Work out drafts anew; see `refresh_drafts`."""
    with DatabaseStore(place, book, schema=schema, prefix=prefix) as store:
        documents, first = store.documents, book.program.definition.lifecycle.first
        done: list[Refreshed] = []
        for headers in documents.headers(Selection(), PAGE):
            drafts = {str(row["number"]): row["fingerprint"] for row in headers if (row["state"] or first) == first}

            def work(transaction: DatabaseTransaction, drafts: dict[str, Any] = drafts) -> Refreshed:
                return _refreshed(transaction, documents, drafts, by, Run(today, by))

            if drafts:
                done.append(documents.transact(by, work))
    return Refreshed(sum(each.orders for each in done), [row for each in done for row in each.drawn])


def _refreshed(
    transaction: DatabaseTransaction, place: DatabaseDocuments, drafts: Mapping[str, Any], by: str, run: Run
) -> Refreshed:
    """Drafts with their drawn values drawn again, and with figures of this rulebook."""
    book = place.book
    transaction.lock(list(drafts))
    found = place.documents(transaction.connection, list(drafts))
    documents = [Document.from_columns(place.orders_of([each])) for each in found.values()]
    again, moved = draw_afresh(book.program, documents, run)
    drawn = [{"order": document.number, **each} for document, mine in zip(again, moved, strict=True) for each in mine]
    events, written = [], []
    for document, mine in zip(again, moved, strict=True):
        if mine:
            before = found[document.number]
            after = document.with_header(revision=int(document.header.get("revision") or 0) + 1).order().to_dict()
            events.append(saved_event(before, after, by, reason="refreshed"))
            written.append(after)
    transaction.write_orders(written)
    gone = {str(each["number"]) for each in written}
    stale = [each for n, each in found.items() if n not in gone and drafts[n] != book.fingerprint]
    if stale:
        names = place.schema.names
        priced = {*names["total"].values(), *names["figure"].values(), *_PRICED}
        _write(transaction, stale, place.orders_of(stale), lambda _, name: name in priced)
    transaction.write_events(events)
    return Refreshed(len(stale) + len(written), drawn)


def _write(transaction: DatabaseTransaction, found: Sequence[Mapping[str, Any]], orders: Orders, keep: Keep) -> None:
    """Write some columns of orders that are there, and the taxes that are levied on them.

    Args:
        transaction: Writes them.
        found: The orders as they are kept.
        orders: The orders as they are to be; their revision is that of before.
        keep: Which columns.
    """
    place = transaction.place
    if not len(orders):
        return
    rows = rows_of(found, orders, place.book.price(orders), place.schema, place.clock())
    ids = transaction.identities(rows.headers)
    keys = ("number_key",)
    headers = [
        {name: value for name, value in row.items() if name in keys or keep("header", name)} for row in rows.headers
    ]
    lines = [
        {"order_id": ids[header["number_key"]], "number": line["number"]}
        | {name: value for name, value in line.items() if keep("line", name)}
        for header, of_lines in zip(rows.headers, rows.lines, strict=True)
        for line in of_lines
    ]
    if len(headers[0]) > len(keys):
        seen = {row["number_key"]: row["revision"] or 0 for row in rows.headers}
        transaction.change_orders(headers, seen)
    if lines and len(lines[0]) > 2:
        transaction.change(place.schema["order_lines"], ("order_id", "number"), lines)
    if keep("header", "priced_at"):
        every = [ids[row["number_key"]] for row in rows.headers]
        transaction.write_taxes(rows, every, every)
