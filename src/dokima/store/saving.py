"""Saving orders: rules, numbers, revisions, and operations that may be repeated."""

from __future__ import annotations

import datetime
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from dokima.editing.drawing import draw_all
from dokima.errors import Conflict, DocumentError, DokimaError, Problem, Refused
from dokima.model.arguments import a_text
from dokima.model.document import Document
from dokima.model.numbering import NumberSeries, numbered
from dokima.model.order import Order
from dokima.model.parsing import parse_json
from dokima.model.selecting import number_key
from dokima.pricing.program import Run
from dokima.store.documents import Transaction, Written
from dokima.store.events import changes_between, saved_event
from dokima.store.repeating import NamedCall
from dokima.store.texts import written

if TYPE_CHECKING:
    from dokima.store.service import Store


@dataclass(frozen=True)
class Saving:
    """One call of `Store.save_many`.

    Attributes:
        store: The store.
        by: Who saves.
        operation: What the caller calls it; blank for nothing.
        reason: For the history.
        today: For ``run.today``.
    """

    store: Store
    by: str
    operation: str
    reason: str
    today: datetime.date | None

    def save(self, orders: Sequence[Order]) -> list[Order]:
        """Save orders; see `Store.save_many`."""
        for name in ("by", "operation", "reason"):
            a_text(getattr(self, name), name)
        fields = self.store.book.program.fields
        documents = Document.read_many(orders, fields)
        handed = [[document.header, document.rows] for document in documents]
        operation = NamedCall.of(self.store.documents, self.operation, self.by, handed)
        if (before := operation.before()) is not None:
            return self._again(before)
        documents = [self._numbered_apart(document) for document in self._drawn(documents)]
        return self.store.documents.transact(self.by, lambda transaction: self._save(transaction, documents, operation))

    def _again(self, texts: Sequence[str]) -> list[Order]:
        """The orders as they were saved the first time."""
        fields = self.store.book.program.fields
        return [Document.read(Order.from_dict(parse_json(text)), fields).order() for text in texts]

    def _save(self, transaction: Transaction, documents: Sequence[Document], operation: NamedCall) -> list[Order]:
        if (before := operation.before()) is not None:
            return self._again(before)
        transaction.lock([document.number for document in documents if document.number])
        counts = Counter(number_key(document.number) for document in documents if document.number)
        if doubled := [each.number for each in documents if counts[number_key(each.number)] > 1]:
            raise Conflict("the same order twice in one call", doubled)
        were = self._kept(documents)
        self._refuse_unless_fit(documents)
        documents = [document.without_computed(self.store.book.program.fields) for document in documents]
        # A gapless number is drawn when nothing can go wrong any more: those who want one wait for each other.
        wanted = [self._numbered(transaction, document) for document in documents]
        saved = [
            document.with_header(revision=int(document.header.get("revision") or 0) + 1).order() for document in wanted
        ]
        events = [
            saved_event(old, order.to_dict(), self.by, reason=self.reason, digest=operation.digest)
            for old, order in zip(were, saved, strict=True)
        ]
        texts = {order.number: written(order.to_dict()) for order in saved}
        orders: Written = {("orders", number): text for number, text in texts.items()}
        done = operation.gave(list(texts.items()))
        transaction.commit(orders, f"{saved[0].number}-save" if saved else "", events=events, done=done)
        return saved

    def _kept(self, documents: Sequence[Document]) -> list[Mapping[str, Any] | None]:
        """The orders as they are kept; None for one that is not kept yet.

        Raises:
            Conflict: One has been saved since it was read.
        """
        numbers = [document.number for document in documents if document.number]
        texts = self.store.documents.read_orders(numbers)
        same = self.store.documents.same_numbers([number for number in numbers if number not in texts])
        for number, kept in same.items():
            raise Conflict(f"there is an order {kept}, which {number} cannot be told from")
        return [self._of_revision(document, texts.get(document.number)) for document in documents]

    def _of_revision(self, document: Document, text: str | None) -> Mapping[str, Any] | None:
        number, given = document.number, int(document.header.get("revision") or 0)
        if text is None:
            if given:
                raise Conflict(f"order {number or 'without number'} of revision {given} is not kept here")
            return None
        kept: Mapping[str, Any] = parse_json(text)
        revision = int(kept.get("revision") or 0)
        if revision != given:
            said = f"order {number} has been saved meanwhile: revision {revision}, not {given}"
            raise Conflict(said, self._moved(number, given, kept, document))
        return kept

    def _moved(self, number: str, revision: int, kept: Mapping[str, Any], document: Document) -> list[str]:
        """What has moved, and who moved it, as far as that is known."""
        if not self.store.documents.keeps_events:
            return [_told(each, "") for each in changes_between(document.order().to_dict(), kept)]
        events = [event for event in self.store.history(number) if event.revision > revision]
        return [
            _told(each, "by default" if each.get("drawn") else event.by)
            for event in events for each in event.data.get("changes", ())
        ]  # fmt: skip

    def _refuse_unless_fit(self, documents: Sequence[Document]) -> None:
        book = self.store.book
        names = [document.number or f"new order {at + 1}" for at, document in enumerate(documents)]
        orders = [document.with_header(number=name).order() for document, name in zip(documents, names, strict=True)]
        found = book.check(orders, "save", today=self.today, by=self.by)
        if found.stopping:
            raise Refused(f"{names[0] if len(names) == 1 else 'the orders'} cannot be saved", found.stopping)

    def _drawn(self, documents: Sequence[Document]) -> list[Document]:
        """With what defaults give in the place of what is absent, marked: an order is kept as it is."""
        return draw_all(self.store.book.program, documents, Run(self.today, self.by))

    def _numbered_apart(self, document: Document) -> Document:
        """With a number of a series that may have gaps: drawn in a transaction of its own, at once."""
        series = None if document.number else self._series(document)
        if series is None or series.gapless:
            return document
        return self.store.documents.transact(self.by, lambda transaction: self._numbered(transaction, document))

    def _series(self, document: Document) -> NumberSeries:
        kind = str(document.header.get("kind") or "")
        series = self.store.book.program.definition.numbering.get(kind)
        if series is None:
            message = f"expected a number, or [numbering.{kind or 'KIND'}] in the rulebook that gives one"
            raise DocumentError([Problem("", "", "number", message)])
        return series

    def _numbered(self, transaction: Transaction, document: Document) -> Document:
        if document.number:
            return document
        series = self._series(document)
        text = series.series(document.header.get("date"))
        for _ in range(1000):
            number = numbered(text, transaction.draw(text, series.start))
            if not self.store.documents.same_numbers([number]):
                return document.with_header(number=number)
        raise DokimaError(f"the numbers of '{text}' are taken for a thousand counters on; set 'start' beyond them")


def _told(change: Mapping[str, Any], by: str) -> str:
    place = f"line {change['line']} " if change["line"] else ""
    return f"{place}{change['field']}: {change['from']} -> {change['to']}" + (f" ({by})" if by else "")
