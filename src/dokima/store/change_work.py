"""Change orders in a store: reading them, opening, working on, rebasing and approving one."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, get_args

from dokima.changes.change import ChangeOrder, Status
from dokima.changes.listing import Unreadable
from dokima.changes.plan import Policy
from dokima.changes.settlement import Settlement
from dokima.errors import DocumentError, DokimaError, NotFound, nearest
from dokima.formats.json_files import json_text
from dokima.model.arguments import a_text
from dokima.model.parsing import parse_json
from dokima.model.states import Settle
from dokima.store.documents import Event, Transaction, Written
from dokima.store.events import saved_event
from dokima.store.repeating import NamedCall
from dokima.store.taken_lines import TakenLines
from dokima.store.texts import read_document, written

if TYPE_CHECKING:
    from dokima.store.service import Store

Edit = Callable[[ChangeOrder], object]


class Changes(list[ChangeOrder]):
    """Change orders.

    Attributes:
        unreadable: Those that cannot be read, and why.
    """

    def __init__(self, changes: Sequence[ChangeOrder] = (), unreadable: Sequence[Unreadable] = ()) -> None:
        super().__init__(changes)
        self.unreadable = tuple(unreadable)


def read_change(store: Store, number: str) -> ChangeOrder:
    """A change order, its baseline verified; see `Store.change`."""
    a_text(number, "number")
    text, frozen = store.documents.read("changes", number), store.documents.read("baselines", number)
    if text is None:
        raise NotFound(f"there is no change order {number}{nearest(number, store.documents.numbers('changes'))}")
    if frozen is None:
        raise NotFound(f"the baseline of {number} is missing in {store.documents.place}")
    return ChangeOrder.from_dict(store.book.program, read_document(text, f"{number}.json"), frozen, _now)


def readable(store: Store, numbers: Sequence[str]) -> Changes:
    """The change orders of some numbers; one that cannot be read stands aside with the reason, and stops no other."""
    found: list[ChangeOrder] = []
    unreadable: list[Unreadable] = []
    for number in numbers:
        try:
            found.append(read_change(store, number))
        except DokimaError as error:
            unreadable.append(_unreadable(store, number, error))
    return Changes(found, unreadable)


def _unreadable(store: Store, number: str, error: DokimaError) -> Unreadable:
    """What is known of a change order that cannot be read."""
    try:
        text = store.documents.read("changes", number)
        data = {} if text is None else parse_json(text)
    except DocumentError:
        data = {}
    known = data if isinstance(data, Mapping) else {}
    order, state, reason = (str(known.get(name) or "") for name in ("order", "state", "reason"))
    return Unreadable(number, order, state if state in get_args(Status) else "", reason, str(error))


def changes_of(store: Store, number: str) -> Changes:
    """The change orders of an order, approved ones in the order of their approval, before all others."""
    # The name only says where to look; which order a change is of, it says itself.
    near = readable(store, store.documents.changes_of(number))
    mine = [change for change in near if change.order_number == number]

    def place(change: ChangeOrder) -> tuple[int, int, int, str]:
        # The sequence is counted when a settlement becomes true: two of one second keep their order.
        sequence = int(change.record.get("settled", {}).get("sequence", 0))
        return change.state != "approved", sequence, len(change.number), change.number

    return Changes(sorted(mine, key=place), [each for each in near.unreadable if each.order in ("", number)])


@dataclass(frozen=True)
class Opening:
    """One call of `Store.open_change`.

    Attributes:
        store: The store.
        number: Number of the order.
        by: Who opens it.
        reason: Why the order changes.
        requested_by: Who asked for it.
        operation: What the caller calls it; blank for nothing.
    """

    store: Store
    number: str
    by: str
    reason: str
    requested_by: str
    operation: str

    def opened(self) -> ChangeOrder:
        """The change order that was opened."""
        for name in ("number", "by", "reason", "requested_by", "operation"):
            a_text(getattr(self, name), name)
        asked = ("open", self.number, self.reason, self.requested_by)
        operation = NamedCall.of(self.store.documents, self.operation, self.by, asked)
        return self.store.documents.transact(self.by, lambda transaction: self._open(transaction, operation))

    def _open(self, transaction: Transaction, operation: NamedCall) -> ChangeOrder:
        store = self.store
        if (before := operation.before()) is not None:
            frozen = parse_json(before[0])
            return ChangeOrder.from_dict(store.book.program, frozen["change"], frozen["baseline"], _now)
        root = store.root_of(self.number)
        transaction.lock([root])
        original, *supplements = store.with_supplements(root)
        taken = store.documents.numbers("changes")
        change = store.book.change(
            original, self.by, supplements=supplements, reason=self.reason, requested_by=self.requested_by, taken=taken
        )
        kept: Written = {("baselines", change.number): change.baseline.text, **_kept(change)}
        told = Event("change.opened", change.number, self.by, data={"order": root, "reason": self.reason})
        gave = json_text({"change": change.to_dict(), "baseline": change.baseline.text})
        done = operation.gave([(change.number, gave)])
        transaction.commit(kept, f"{change.number}-open", events=[told], done=done)
        return change


def worked(store: Store, number: str, by: str, action: Edit) -> ChangeOrder:
    """Do something with a change order and keep it; see `Store.update_change`."""

    def work(transaction: Transaction) -> ChangeOrder:
        change = _locked(store, transaction, number)
        before, frozen = change.state, change.baseline
        change.taken = TakenLines(store.documents, change.order_number, change=number)
        action(change)
        if change.state == "approved" != before:
            raise DokimaError(f"{number} is not approved: its orders move with it, which Store.approve does")
        if change.baseline is not frozen:
            raise DokimaError(f"{number} is not rebased: its baseline moves with it, which Store.rebase does")
        told = "change.worked" if change.state == before else f"change.{change.state}"
        transaction.commit(_kept(change), events=[Event(told, number, by, data={"order": change.order_number})])
        return change

    return store.documents.transact(by, work)


def rebased(store: Store, number: str, by: str) -> ChangeOrder:
    """Freeze the original anew, and make the same change to it; see `Store.rebase`."""

    def work(transaction: Transaction) -> ChangeOrder:
        change = _locked(store, transaction, a_text(number, "number"))
        change.rebase(store.with_supplements(change.order_number), by)
        frozen: Written = {("baselines", number): change.baseline.text, **_kept(change)}
        told = Event("change.rebased", number, by, data={"order": change.order_number})
        transaction.commit(frozen, f"{number}-rebase", events=[told])
        return change

    return store.documents.transact(by, work)


@dataclass(frozen=True)
class Approval:
    """One call of `Store.approve`.

    Attributes:
        store: The store.
        number: Number of the change order.
        by: Who approves.
        settle: How it is settled.
        today: For ``run.today``.
        accept: Accepted warnings.
        operation: What the caller calls it; blank for nothing.
    """

    store: Store
    number: str
    by: str
    settle: Settle | Policy | None
    today: datetime.date | None
    accept: Mapping[str, str] | None
    operation: str

    def settled(self) -> Settlement:
        """What the change comes to; all its documents are written."""
        for name in ("number", "by", "operation"):
            a_text(getattr(self, name), name)
        how = self.settle if self.settle is None or isinstance(self.settle, str) else "by a function"
        asked = ("approve", self.number, how, dict(self.accept or {}))
        operation = NamedCall.of(self.store.documents, self.operation, self.by, asked)
        return self.store.documents.transact(self.by, lambda transaction: self._settle(transaction, operation))

    def _settle(self, transaction: Transaction, operation: NamedCall) -> Settlement:
        store, number = self.store, self.number
        change = _locked(store, transaction, number)
        if (before := operation.before()) is not None:
            return Settlement.from_json(store.book.program, before[0])
        current = store.with_supplements(change.order_number)
        taken = store.documents.numbers("orders")
        settlement = change.approve(
            self.by, current, today=self.today, settle=self.settle, taken=taken, accept=self.accept
        )
        data = change.to_dict()
        data["settled"]["sequence"] = transaction.settled()
        were = {order.number: order.to_dict() for order in current}
        # What the change does not move of the family is not written, and gets no revision.
        now = {order.number: order.to_dict() for order in settlement.orders}
        moved = {name: each for name, each in now.items() if each != were.get(name)}
        documents: Written = {("orders", name): written(each) for name, each in moved.items()}
        events = [Event("change.approved", number, self.by, data={"order": change.order_number})]
        events += [
            saved_event(were.get(name), each, self.by, reason=f"change order {number}") for name, each in moved.items()
        ]
        done = operation.gave([(number, settlement.to_json())])
        kept: Written = {**documents, ("changes", number): written(data)}
        transaction.commit(kept, number, settles=True, events=events, done=done)
        return settlement


def _locked(store: Store, transaction: Transaction, number: str) -> ChangeOrder:
    """A change order as it is now, kept from other writers together with its order."""
    transaction.lock_change(number)
    return store.change(number)


def _kept(change: ChangeOrder) -> Written:
    return {("changes", change.number): written(change.to_dict())}


def _now() -> datetime.datetime:
    return datetime.datetime.now(datetime.UTC)
