"""`Ledger`: what an order was, what changes have made of it, what is pending, and what the budget leaves."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import asdict, dataclass, field
from decimal import Decimal
from typing import Any

from dokima.changes.change import ChangeOrder
from dokima.changes.combining import combined
from dokima.changes.documents import as_document, has_ended, priced_as_agreed, total, with_terms
from dokima.changes.history import day_of, last_entry
from dokima.changes.line_map import LineMap
from dokima.changes.listing import Unreadable
from dokima.changes.settlement import Sums, read_sums
from dokima.errors import DokimaError
from dokima.exact import decimals
from dokima.model.addresses import read_address
from dokima.model.document import Document
from dokima.model.links import Place
from dokima.model.order import Order
from dokima.model.said import SHOWN, Said
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.summing import reason_of
from dokima.pricing.program import Program, Run
from dokima.pricing.steps.totals import SUMS


@dataclass(frozen=True)
class DirectEdit:
    """What was done to a document without a change order.

    Attributes:
        document: Number of the document.
        revision: Its revision then.
        before: Number of the change that was approved next, blank if none was.
        variance: What it moved the totals by.
    """

    document: str
    revision: int
    before: str
    variance: Sums


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
        unknown: Why it could not be priced, blank if it could.
    """

    number: str
    state: str
    reason: str
    decided: str
    variance: Sums
    tax_rounding: Decimal
    lines: Mapping[str, Decimal]
    unknown: str = ""


@dataclass(frozen=True)
class LedgerLine:
    """One line through all approved changes: net without tax at first, by change, and now; None where it is unknown.

    Attributes:
        number: Its number in the order as a whole.
        item: Its item, or its description.
        original: What it came to before any change.
        changes: What each change moved.
        current: What it comes to now.
        cancelled: What was not delivered of it before its document ended; in no other sum.
        places: The lines of documents it stands for, where one of them has another number there.
    """

    number: str
    item: str
    original: Decimal | None
    changes: Mapping[str, Decimal]
    current: Decimal | None
    cancelled: Decimal = Decimal(0)
    places: Sequence[Place] = ()

    @property
    def rest(self) -> Decimal | None:
        """What no change order has moved: direct edits, and with prices that include tax its rounding."""
        if self.current is None or self.original is None:
            return None
        return total([self.current, self.cancelled, -self.original, *(-moved for moved in self.changes.values())])


@dataclass(frozen=True)
class Ledger:
    """The ledger of an order and its supplements.

    Original + approved variances + their tax roundings + direct edits - cancelled = current; a pending change has its
    own baseline.

    Attributes:
        number: Number of the original.
        currency: Its currency.
        places: Decimal places of that.
        documents: Numbers of the original and its supplements.
        original: Totals before any change.
        approved: Approved changes, in the order of their approval.
        current: Totals of all documents together; of one that has ended what was delivered.
        cancelled: What was not delivered of documents that have ended.
        pending: Drafts and submitted changes.
        budget: The budget, None if there is none.
        budget_of: The total it is compared with.
        lines: Every line.
        prices_include_tax: Whether prices are with tax: the rounding of tax then comes off the total without it.
        direct: What was done to the documents without a change order, in the order of time.
        unknown: Documents that cannot be priced, and why.
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
    direct: Sequence[DirectEdit] = ()
    unknown: Mapping[str, str] = field(default_factory=dict)
    cancelled: Sums = field(default_factory=lambda: dict.fromkeys(SUMS, Decimal(0)))

    def __repr__(self) -> str:
        return f"<Ledger {self.number}: {len(self.approved)} approved, {len(self.pending)} pending; {SHOWN}>"

    def rounding(self, change: LedgerChange, name: str) -> Decimal | None:
        """What a change's rounding of tax adds to a total; None if nothing."""
        if self.prices_include_tax:
            moved = {"without_tax": -change.tax_rounding, "tax": change.tax_rounding}
        else:
            moved = {"tax": change.tax_rounding, "with_tax": change.tax_rounding}
        return moved.get(name) or None

    @property
    def headroom(self) -> Decimal | None:
        """What the budget leaves now; None without a budget, or if what the order comes to is unknown."""
        return _less(self.budget, [self.current[self.budget_of]], self.places)

    @property
    def headroom_pending(self) -> Decimal | None:
        """What the budget leaves if every pending change is approved; None if one of them cannot be priced."""
        return _less(self.headroom, [each.variance[self.budget_of] for each in self.pending], self.places)

    @property
    def is_balanced(self) -> bool:
        """Whether original, variances, roundings and direct edits, less what was cancelled, add up to what is there."""
        return all(moved == 0 for moved in self.imbalance.values())

    @property
    def imbalance(self) -> Sums:
        """What is there now less what original, variances, roundings and direct edits come to without the cancelled."""
        found: dict[str, Decimal | None] = {}
        for name in SUMS:
            parts = [self.original[name], *(each.variance[name] for each in self.approved)]
            parts += [each.variance[name] for each in self.direct]
            parts += [moved for each in self.approved if (moved := self.rounding(each, name)) is not None]
            cancelled = self.cancelled[name]
            parts.append(None if cancelled is None else -cancelled)
            found[name] = _less(self.current[name], parts, self.places)
        return found

    def to_dict(self) -> dict[str, Any]:
        """The ledger as plain data, numbers as text."""
        return {
            "order": self.number,
            "currency": self.currency,
            "documents": list(self.documents),
            "original": _text(self.original),
            "approved": [_change_data(each) for each in self.approved],
            "direct_edits": [{**asdict(each), "variance": _text(each.variance)} for each in self.direct],
            "cancelled": _text(self.cancelled),
            "current": _text(self.current),
            "pending": [_change_data(each) for each in self.pending],
            "budget": _plain(self.budget),
            "budget_of": self.budget_of,
            "headroom": _plain(self.headroom),
            "headroom_pending": _plain(self.headroom_pending),
            "balanced": self.is_balanced,
            "imbalance": _text(self.imbalance),
            "unknown": dict(self.unknown),
            "lines": [
                {
                    "line": each.number,
                    "item": each.item,
                    "original": _plain(each.original),
                    "changes": _text(each.changes),
                    "rest": _plain(each.rest),
                    "cancelled": _plain(each.cancelled),
                    "current": _plain(each.current),
                    **({"places": [list(place) for place in each.places]} if each.places else {}),
                }
                for each in self.lines
            ],
        }


def _plain(value: Decimal | None) -> str | None:
    return None if value is None else format(value, "f")


def _text(values: Sums) -> dict[str, str | None]:
    return {name: _plain(value) for name, value in values.items()}


def _change_data(change: LedgerChange) -> dict[str, Any]:
    return {
        "number": change.number,
        "state": change.state,
        "reason": change.reason,
        "decided": change.decided,
        "variance": _text(change.variance),
        "tax_rounding": _plain(change.tax_rounding),
        "lines": _text(change.lines),
        **({"unknown": change.unknown} if change.unknown else {}),
    }


def ledger_of(
    program: Program,
    current: Sequence[Order | Document],
    changes: Sequence[ChangeOrder],
    unreadable: Sequence[Unreadable] = (),
) -> Ledger:
    """The ledger of an order.

    Args:
        program: The rulebook.
        current: The original and its supplements as they are now.
        changes: Its change orders, approved ones in the order of their approval.
        unreadable: Change orders that cannot be read: nobody knows what they come to.
    """
    documents = [as_document(program, order) for order in current]
    priced = priced_as_agreed(program, documents)
    approved = [_row(change) for change in changes if change.state == "approved"]
    pending = [_row(change) for change in changes if change.state in ("draft", "submitted")]
    for each in unreadable:  # one that says nothing of its state may have been approved
        if each.state not in ("rejected", "withdrawn"):
            told = LedgerChange(each.number, each.state, each.reason, "", dict.fromkeys(SUMS), Decimal(0), {}, each.why)
            (pending if each.state in ("draft", "submitted") else approved).append(told)
    unknown = {
        order.number: reason_of(order.calculation, order.number) for order in priced if order.totals.with_tax is None
    }
    counted, line_map = priced, LineMap()
    try:
        # Whoever opens no change keeps no terms of a draft; what is combined is read only, and priced as it stands.
        found = combined(program, [with_terms(program, document, Run()) for document in documents])
        line_map = found.map
        if any(has_ended(program, document) for document in documents):
            counted = priced_as_agreed(program, found.parts)
    except DokimaError as error:
        unknown.setdefault(documents[0].number, str(error))
    mixed = len({order.header("currency") for order in priced}) > 1
    places = priced[0].places
    everything = {name: None if mixed else _sum([_total(order, name) for order in priced], places) for name in SUMS}
    now = {name: None if mixed else _sum([_total(order, name) for order in counted], places) for name in SUMS}
    first = next((change for change in changes if change.state == "approved"), None)
    before = None if first is None else PricedOrder(first.variance().before, 0)
    original = everything if before is None else {name: _total(before, name) for name in SUMS}
    budget = documents[0].header.get("budget")
    return Ledger(
        number=documents[0].number,
        currency=priced[0].header("currency") or "",
        places=places,
        documents=[order.number for order in current],
        original=original,
        approved=approved,
        current=now,
        pending=pending,
        budget=None if budget is None else _money([budget], places),
        budget_of=program.definition.changes.budget_of,
        lines=list(_lines(before, priced, counted, line_map, approved)),
        prices_include_tax=any(order.prices_include_tax for order in priced),  # one that lost every line says nothing
        direct=list(_direct_edits(priced, [change for change in changes if change.state == "approved"])),
        unknown=unknown,
        cancelled={name: _less(everything[name], [now[name]], places) for name in SUMS},
    )


def _direct_edits(now: Sequence[PricedOrder], approved: Sequence[ChangeOrder]) -> Iterator[DirectEdit]:
    """What moved each document between one approval and the next, and since the last one."""
    settled: dict[str, Sums] = {}
    for change in approved:
        record = change.record.get("settled", {})
        for document, found in read_sums(record.get("found", {})).items():
            if document in settled:
                yield from _moved(document, int(record["revisions"][document]), settled[document], found, change.number)
        settled = read_sums(record.get("totals", {}))
    for order in now:
        if order.number in settled:
            found = {name: _total(order, name) for name in SUMS}
            yield from _moved(order.number, int(order.header("revision") or 0), settled[order.number], found, "")


def _moved(document: str, revision: int, was: Sums, found: Sums, before: str) -> Iterator[DirectEdit]:
    pairs = {name: (was[name], found[name]) for name in SUMS}
    variance = {n: None if old is None or new is None else total([new, -old]) for n, (old, new) in pairs.items()}
    if any(moved != 0 for moved in variance.values()):
        yield DirectEdit(document, revision, before, variance)


def _lines(
    before: PricedOrder | None,
    priced: Sequence[PricedOrder],
    counted: Sequence[PricedOrder],
    line_map: LineMap,
    approved: Sequence[LedgerChange],
) -> Iterator[LedgerLine]:
    places = priced[0].places
    first = _by_line(before) if before is not None else {}
    items: dict[str, str] = {}
    for order in [*([before] if before is not None else []), *priced]:
        for line in order.lines:
            number = (
                line_map.names.get((order.number, line.number), line.number) if order is not before else line.number
            )
            items[number] = line.field("item") or line.field("description") or ""
    now, whole = _summed(counted, line_map), _summed(priced, line_map)
    known = dict.fromkeys([*first, *(number for change in approved for number in change.lines), *whole])
    nothing = Decimal(0).scaleb(-places)
    for number in sorted(known, key=read_address):
        changes = {change.number: change.lines[number] for change in approved if number in change.lines}
        held, all_of_it = now.get(number, nothing), whole.get(number, nothing)
        original = first.get(number, nothing) if before is not None else all_of_it
        cancelled = nothing if held is None or all_of_it is None else total([all_of_it, -held])
        standing = tuple(line_map.standing_for(number))
        yield LedgerLine(number, items.get(number, ""), original, changes, held, cancelled, standing)


def _summed(priced: Sequence[PricedOrder], line_map: LineMap) -> dict[str, Decimal | None]:
    """What each line of the order as a whole comes to without tax on some documents together."""
    found: dict[str, Decimal | None] = {}
    for order in priced:
        for line, net in _by_line(order).items():
            number = line_map.names.get((order.number, line), line)
            found[number] = _sum([found.get(number, Decimal(0)), net], order.places)
    return found


def _by_line(order: PricedOrder) -> dict[str, Decimal | None]:
    """What each line comes to without tax; None where that is unknown."""
    if "without_tax" not in order.calculation.figures:
        return {}
    return {line.number: line.figure("without_tax") for line in order.lines if not line.is_parent}


def _row(change: ChangeOrder) -> LedgerChange:
    approved = last_entry(change.record, "approved")
    decided = Said("{day} {by}", day=day_of(approved["time"]), by=approved["by"]) if approved else ""
    rounding = Decimal(change.record.get("settled", {}).get("tax_rounding", "0"))
    head = (change.number, change.state, change.reason, decided)
    try:
        variance = change.variance()
    except DokimaError as error:  # such as another currency than that of its order
        return LedgerChange(*head, dict.fromkeys(SUMS), rounding, {}, str(error))
    ((_, totals),) = variance.totals().items()
    lines = {
        line.line: moved
        for line in variance.lines()
        if "without_tax" in line.figures and (moved := line.figures["without_tax"].variance) is not None
    }
    sums = {name: totals[name].variance for name in SUMS}
    after = PricedOrder(variance.after, 0)
    unknown = reason_of(after.calculation, after.number) if None in sums.values() else ""
    return LedgerChange(*head, sums, rounding, lines, unknown)


def _total(order: PricedOrder, name: str) -> Decimal | None:
    found: Decimal | None = getattr(order.totals, name)
    return found


def _sum(values: Sequence[Decimal | None], places: int) -> Decimal | None:
    """The sum of some amounts; None if one of them is unknown."""
    known = [value for value in values if value is not None]
    return _money(known, places) if len(known) == len(values) else None


def _less(amount: Decimal | None, parts: Sequence[Decimal | None], places: int) -> Decimal | None:
    return _sum([amount, *(None if part is None else -part for part in parts)], places)


def _money(values: Sequence[Decimal], places: int) -> Decimal:
    """The exact sum of some amounts, with the currency's places."""
    return Decimal(amount_at(decimals([total(values)]), 0, places))
