"""A list of change orders: what each comes to, who is behind it, and how long it waits."""

from __future__ import annotations

import datetime
from collections.abc import Iterable
from dataclasses import dataclass
from decimal import Decimal
from typing import get_args

from dokima.changes.change import ChangeOrder, Status
from dokima.changes.history import day_of, last_entry
from dokima.errors import DokimaError, NotFound, listed, nearest
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.summing import reason_of


@dataclass(frozen=True)
class ChangeEntry:
    """One change order in a list.

    Attributes:
        number: Its number.
        order: Number of the order it changes.
        party: Customer or supplier of that.
        state: draft, submitted, approved, rejected or withdrawn.
        without_tax: What it comes to without tax; None if it cannot be priced.
        currency: Currency of that.
        opened: The day it was opened.
        opened_by: Who opened it.
        submitted: The day it was submitted last, None if it never was.
        submitted_by: Who submitted it.
        waits: Days since then, or since it was opened; None if it has been decided.
        reason: Why the order changes, or why the change was turned down or taken back.
        unknown: Why nobody knows what it comes to, blank if that is known.
    """

    number: str
    order: str
    party: str
    state: str
    without_tax: Decimal | None
    currency: str
    opened: datetime.date | None
    opened_by: str
    submitted: datetime.date | None
    submitted_by: str
    waits: int | None
    reason: str
    unknown: str = ""


@dataclass(frozen=True)
class Unreadable:
    """A change order that cannot be read.

    Attributes:
        number: Its number.
        order: Number of the order it changes, as far as it says so.
        state: Its state, likewise.
        reason: Why the order changes, likewise.
        why: Why it cannot be read.
    """

    number: str
    order: str
    state: str
    reason: str
    why: str

    def entry(self) -> ChangeEntry:
        """Its entry in a list."""
        about = (self.number, self.order, "", self.state, None, "", None, "", None, "", None)
        return ChangeEntry(*about, self.reason, self.why)


class ChangeEntries(list[ChangeEntry]):
    """A list of change orders."""


def change_entries(
    changes: Iterable[ChangeOrder], today: datetime.date, state: str = "", unreadable: Iterable[Unreadable] = ()
) -> ChangeEntries:
    """The entries of some change orders: those that wait first, the longest wait before all others.

    Args:
        changes: The change orders.
        today: The day up to which they wait.
        state: Only those in this state; all if blank.
        unreadable: Those that cannot be read; one that says nothing of its state is in every list.

    Raises:
        NotFound: There is no such state; names the nearest.
    """
    known = get_args(Status)
    if state and state not in known:
        raise NotFound(f"there is no state '{state}'{nearest(state, known)}; {listed(known)}")
    found = [_entry(change, today) for change in changes if state in ("", change.state)]
    found += [each.entry() for each in unreadable if state in ("", each.state) or not each.state]
    found.sort(key=lambda each: (each.waits is None, -(each.waits or 0), each.order, len(each.number)))
    return ChangeEntries(found)


def _entry(change: ChangeOrder, today: datetime.date) -> ChangeEntry:
    record, header = change.record, change.document.header
    without_tax, unknown = None, ""
    try:
        variance = change.variance()
        after = PricedOrder(variance.after, 0)
        header = {name: after.header(name) for name in ("customer", "supplier", "currency")}
        ((_, totals),) = variance.totals().items()
        without_tax = totals["without_tax"].variance
        unknown = reason_of(after.calculation, after.number) if without_tax is None else ""
    except DokimaError as error:  # such as another currency than that of its order
        unknown = str(error)
    last, decided = last_entry(record, "submitted"), last_entry(record, change.state)
    opened, submitted = day_of(record.get("opened")), day_of(last.get("time"))
    since = submitted if change.state == "submitted" else opened
    waits = (today - since).days if change.state in ("draft", "submitted") and since is not None else None
    return ChangeEntry(
        number=change.number,
        order=change.order_number,
        party=header.get("customer") or header.get("supplier") or "",
        state=change.state,
        without_tax=without_tax,
        currency=header.get("currency") or "",
        opened=opened,
        opened_by=str(record.get("opened_by") or ""),
        submitted=submitted,
        submitted_by=str(last.get("by") or ""),
        waits=waits,
        reason=str(decided.get("reason") or change.reason),
        unknown=unknown,
    )
