"""`Ledger`: what an order was, what changes have made of it, what is pending, and what the budget leaves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.combining import total, typed
from dokima.changes.viewing import changing
from dokima.engine.calculation import PricedOrder, amount_at
from dokima.engine.pricing import price_orders
from dokima.engine.program import Program, Run
from dokima.exact import decimals
from dokima.model.order import Order

SUMS = ("without_tax", "tax", "with_tax")
"""The totals a ledger keeps."""
Sums = Mapping[str, Decimal]


@dataclass(frozen=True)
class LedgerChange:
    """One change order in a ledger.

    Attributes:
        number: Its number.
        state: draft, submitted or approved.
        reason: Why.
        decided: When and by whom it was approved, blank for a pending one.
        variance: What it comes to against its own baseline.
        tax_rounding: What the documents' own rounding of tax adds to it.
        lines: Variance without tax by line number.
    """

    number: str
    state: str
    reason: str
    decided: str
    variance: Sums
    tax_rounding: Decimal
    lines: Mapping[str, Decimal]


@dataclass(frozen=True)
class LedgerLine:
    """One line through all approved changes: net without tax at first, by change, and now."""

    number: str
    item: str
    original: Decimal
    changes: Mapping[str, Decimal]
    current: Decimal


@dataclass(frozen=True)
class Ledger:
    """The ledger of an order and its supplements.

    Original + approved variances + their tax roundings = current; a pending change has its own baseline.

    Attributes:
        number: Number of the original.
        currency: Its currency.
        places: Decimal places of that.
        documents: Numbers of the original and its supplements.
        original: Totals before any change.
        approved: Approved changes, in the order of their approval.
        current: Totals of all documents together.
        pending: Drafts and submitted changes.
        budget: The budget, None if there is none.
        budget_of: The total it is compared with.
        lines: Every line.
        prices_include_tax: Whether prices are with tax: the rounding of tax then comes off the total without it.
    """

    number: str
    currency: str
    places: int
    documents: Sequence[str]
    original: Sums
    approved: Sequence[LedgerChange]
    current: Sums
    pending: Sequence[LedgerChange]
    budget: Decimal | None
    budget_of: str
    lines: Sequence[LedgerLine]
    prices_include_tax: bool = False

    def rounding(self, change: LedgerChange, name: str) -> Decimal | None:
        """What a change's rounding of tax adds to a total; None if nothing."""
        if self.prices_include_tax:
            moved = {"without_tax": -change.tax_rounding, "tax": change.tax_rounding}
        else:
            moved = {"tax": change.tax_rounding, "with_tax": change.tax_rounding}
        return moved.get(name) or None

    @property
    def headroom(self) -> Decimal | None:
        """What the budget leaves now; None without a budget."""
        return None if self.budget is None else _money([self.budget, -self.current[self.budget_of]], self.places)

    @property
    def headroom_pending(self) -> Decimal | None:
        """What the budget leaves if every pending change is approved."""
        if self.headroom is None:
            return None
        return _money([self.headroom, *(-each.variance[self.budget_of] for each in self.pending)], self.places)

    @property
    def is_balanced(self) -> bool:
        """Whether original, variances and roundings add up to what is there now."""
        for name in SUMS:
            parts = [self.original[name], *(each.variance[name] for each in self.approved)]
            parts += [moved for each in self.approved if (moved := self.rounding(each, name)) is not None]
            if total(parts) != self.current[name]:
                return False
        return True

    def to_dict(self) -> dict[str, Any]:
        """The ledger as plain data, numbers as text."""
        return {
            "order": self.number,
            "currency": self.currency,
            "documents": list(self.documents),
            "original": _text(self.original),
            "approved": [_change_data(each) for each in self.approved],
            "current": _text(self.current),
            "pending": [_change_data(each) for each in self.pending],
            "budget": _plain(self.budget),
            "budget_of": self.budget_of,
            "headroom": _plain(self.headroom),
            "headroom_pending": _plain(self.headroom_pending),
            "balanced": self.is_balanced,
            "lines": [
                {
                    "line": each.number,
                    "item": each.item,
                    "original": _plain(each.original),
                    "changes": _text(each.changes),
                    "current": _plain(each.current),
                }
                for each in self.lines
            ],
        }


def _plain(value: Decimal | None) -> str | None:
    return None if value is None else format(value, "f")


def _text(values: Sums) -> dict[str, str]:
    return {name: format(value, "f") for name, value in values.items()}


def _change_data(change: LedgerChange) -> dict[str, Any]:
    return {
        "number": change.number,
        "state": change.state,
        "reason": change.reason,
        "decided": change.decided,
        "variance": _text(change.variance),
        "tax_rounding": _plain(change.tax_rounding),
        "lines": _text(change.lines),
    }


def ledger_of(program: Program, current: Sequence[Order], changes: Sequence[ChangeOrder]) -> Ledger:
    """The ledger of an order.

    Args:
        program: The rulebook.
        current: The original and its supplements as they are now.
        changes: Its change orders, approved ones in the order of their approval.
    """
    priced = [_priced(program, order) for order in current]
    approved = [_row(change) for change in changes if change.state == "approved"]
    pending = [_row(change) for change in changes if change.state in ("draft", "submitted")]
    now = {name: _money([_total(order, name) for order in priced], priced[0].places) for name in SUMS}
    first = next((change for change in changes if change.state == "approved"), None)
    before = None if first is None else PricedOrder(first.variance().before, 0)
    original = now if before is None else {name: _total(before, name) for name in SUMS}
    header = current[0].header
    budget = typed(program, current[0]).header.get("budget")
    return Ledger(
        number=str(header.get("number") or ""),
        currency=priced[0].header("currency") or "",
        places=priced[0].places,
        documents=[order.number for order in current],
        original=original,
        approved=approved,
        current=now,
        pending=pending,
        budget=None if budget is None else _money([budget], priced[0].places),
        budget_of=program.definition.changes.budget_of,
        lines=list(_lines(before, priced, approved)),
        prices_include_tax=priced[0].prices_include_tax,
    )


def _lines(
    before: PricedOrder | None, priced: Sequence[PricedOrder], approved: Sequence[LedgerChange]
) -> Iterator[LedgerLine]:
    first = _by_line(before) if before is not None else {}
    now: dict[str, Decimal] = {}
    items: dict[str, str] = {}
    for order in [*([before] if before is not None else []), *priced]:
        items |= {line.number: line.field("item") or line.field("description") or "" for line in order.lines}
    for order in priced:
        for number, net in _by_line(order).items():
            now[number] = _money([now.get(number, Decimal(0)), net], order.places)
    known = dict.fromkeys([*first, *(number for change in approved for number in change.lines), *now])
    nothing = Decimal(0).scaleb(-priced[0].places)
    for number in sorted(known, key=lambda each: [int(part) for part in each.split("/")]):
        changes = {change.number: change.lines[number] for change in approved if number in change.lines}
        original = first.get(number, nothing) if before is not None else now.get(number, nothing)
        yield LedgerLine(number, items.get(number, ""), original, changes, now.get(number, nothing))


def _by_line(order: PricedOrder) -> dict[str, Decimal]:
    return {
        line.number: line.figure("without_tax") or Decimal(0)
        for line in order.lines
        if not line.is_parent and "without_tax" in order.calculation.figures
    }


def _row(change: ChangeOrder) -> LedgerChange:
    variance = change.variance()
    ((_, totals),) = variance.totals().items()
    history = [entry for entry in change.record.get("history", ()) if entry.get("deed") == "approved"]
    decided = f"{history[-1]['time'][:10]} {history[-1]['by']}" if history else ""
    rounding = Decimal(change.record.get("settled", {}).get("tax_rounding", "0"))
    lines = {
        line.line: moved
        for line in variance.lines()
        if "without_tax" in line.figures and (moved := line.figures["without_tax"].variance) is not None
    }
    nothing = Decimal(0).scaleb(-PricedOrder(variance.after, 0).places)
    sums = {name: nothing if totals[name].variance is None else totals[name].variance for name in SUMS}
    return LedgerChange(change.number, change.state, change.reason, decided, sums, rounding, lines)


def _priced(program: Program, order: Order) -> PricedOrder:
    document = typed(program, order)
    view = changing(program, document) if document.header.get("terms") else program
    return PricedOrder(price_orders(view, document.orders(program.fields), Run()).calculation, 0)


def _total(order: PricedOrder, name: str) -> Decimal:
    found: Decimal | None = getattr(order.totals, name)
    return Decimal(0) if found is None else found


def _money(values: Sequence[Decimal], places: int) -> Decimal:
    """The exact sum of some amounts, with the currency's places."""
    return Decimal(amount_at(decimals([total(values)]), 0, places))
