"""Settlement: what approval does with a change, to the cent: the amended order, and supplements."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any

from dokima.changes.checks import refuse_more_than_rounding, refuse_undercut
from dokima.changes.dividing import Dividing
from dokima.changes.documents import as_document, priced_as_agreed, total, without_stale
from dokima.changes.plan import Plan
from dokima.changes.rewriting import Rewriting
from dokima.changes.variance import Variance
from dokima.errors import Refused
from dokima.model.content import canonical_json, plain
from dokima.model.document import Document
from dokima.model.order import Order
from dokima.model.parsing import parse_json
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.calculation.summing import reason_of
from dokima.pricing.program import Program
from dokima.pricing.steps.totals import SUMS

Sums = Mapping[str, Decimal | None]
"""Totals by name; one is None where an order could not be priced. What is unknown is never counted as 0."""


@dataclass(frozen=True)
class Settlement:
    """What an approved change comes to.

    Attributes:
        change: Number of the change order.
        amended: The original as it is now, a new revision.
        supplements: Supplements that were there before, as they are now.
        supplement: The order with just the increase; None if there is none.
        tax_rounding: Tax of all documents together less the tax approved, as far as that was not stated before: each
            document rounds its own.
        currency: Currency of all of them.
        totals: What each document comes to as settled: without tax, tax, with tax.
        found: What each document came to before.
        revisions: Its revision before.
    """

    change: str
    amended: Order
    supplements: Sequence[Order] = ()
    supplement: Order | None = None
    tax_rounding: Decimal = Decimal(0)
    currency: str = ""
    totals: Mapping[str, Sums] = field(default_factory=dict)
    found: Mapping[str, Sums] = field(default_factory=dict)
    revisions: Mapping[str, int] = field(default_factory=dict)

    @property
    def orders(self) -> list[Order]:
        """All documents: the original first, the new supplement last."""
        return [self.amended, *self.supplements, *([] if self.supplement is None else [self.supplement])]

    def to_dict(self) -> dict[str, Any]:
        """Which documents it made, and the tax rounding, as plain data."""
        return {
            "orders": [order.number for order in self.orders],
            "supplement": None if self.supplement is None else self.supplement.number,
            "tax_rounding": format(self.tax_rounding, "f"),
            "totals": _plain_sums(self.totals),
            "found": _plain_sums(self.found),
            "revisions": dict(self.revisions),
        }

    def to_json(self) -> str:
        """All of it as text, its documents as well; `from_json` reads it back."""
        documents = [order.to_dict() for order in self.orders]
        return canonical_json({"change": self.change, "currency": self.currency, **self.to_dict(), "orders": documents})

    @classmethod
    def from_json(cls, program: Program, text: str) -> Settlement:
        """A settlement that was kept as text.

        Args:
            program: The rulebook, for the fields of its documents.
            text: What `to_json` gave.
        """
        data = parse_json(text)
        documents = [as_document(program, Order.from_dict(each)).order() for each in data["orders"]]
        return cls(
            change=data["change"],
            amended=documents[0],
            supplements=[order for order in documents[1:] if order.number != data["supplement"]],
            supplement=next((order for order in documents[1:] if order.number == data["supplement"]), None),
            tax_rounding=Decimal(data["tax_rounding"]),
            currency=data["currency"],
            totals=read_sums(data["totals"]),
            found=read_sums(data["found"]),
            revisions={number: int(revision) for number, revision in data["revisions"].items()},
        )


class Settling:
    """Settles a change. The figures are those that were approved; nothing is priced anew but the tax of documents.

    Args:
        program: The rulebook.
        change: Number of the change order.
        plan: Which document takes what of each line.
        variance: What was approved.
    """

    def __init__(self, program: Program, change: str, plan: Plan, variance: Variance) -> None:
        self.program = program
        self.change = change
        self.plan = plan
        self.priced = PricedOrder(variance.after, 0)
        self.was = PricedOrder(variance.before, 0)
        self.places = self.priced.places
        # A single document is the baseline itself, whose figures were frozen with it.
        single = len(plan.documents) == 1 and not plan.map.given
        self.held = [self.was] if single else priced_as_agreed(program, plan.documents)
        self.counted = self.held
        if any(part is not document for part, document in zip(plan.parts, plan.documents, strict=True)):
            self.counted = priced_as_agreed(program, plan.parts)

    def settled(self, supplement: str, current: Sequence[Order | Document]) -> Settlement:
        """The settlement.

        Args:
            supplement: Number of a new supplement.
            current: The documents as they were handed in; those that nothing moves stay so.

        Raises:
            Refused: Less would be left of a line than is delivered or closed; a figure cannot be shared; or the tax of
                the documents differs by more than rounding.
        """
        shares = {number: self.plan.shares(number) for number in self.plan.lines}
        dividing = Dividing(self.change, self.plan, self.was, self.priced, self.counted)
        for number, mine in shares.items():
            dividing.divide(number, mine)
        rewriting = Rewriting(self.program, self.change, self.plan, shares, self.priced, supplement)
        documents, increase = rewriting.documents()
        for old, document in zip(self.plan.documents, documents, strict=True):
            refuse_undercut(old, document)
        made = [*documents, *([] if increase is None else [increase])]
        priced = priced_as_agreed(self.program, made)
        for order in priced:
            if order.totals.with_tax is None:
                raise Refused(f"{order.number} cannot be settled: {reason_of(order.calculation, order.number)}")
        rounding = self._tax_rounding(made, priced)
        kept = []
        for at, (document, order) in enumerate(zip(made, priced, strict=True)):
            if at < len(documents) and document is self.plan.documents[at]:
                found = current[at]
                kept.append(found.order() if isinstance(found, Document) else found)
            else:
                kept.append(without_stale(document, order).order())
        return Settlement(
            change=self.change,
            amended=kept[0],
            supplements=kept[1 : len(documents)],
            supplement=None if increase is None else kept[-1],
            tax_rounding=rounding.quantize(Decimal(1).scaleb(-self.places)),
            currency=self.priced.header("currency") or "",
            totals={order.number: _sums(order) for order in priced},
            found={order.number: _sums(order) for order in self.held},
            revisions={order.number: int(order.header("revision") or 0) for order in self.held},
        )

    def _tax_rounding(self, made: Sequence[Document], priced: Sequence[PricedOrder]) -> Decimal:
        """What the documents' own rounding of tax adds to the tax approved, as far as it was not stated before."""
        untouched = {each.number for each in made if any(each is old for old in self.plan.documents)}
        before = [order for order in self.held if order.number not in untouched]
        after = [order for order in priced if order.number not in untouched]
        moved = total([*(_tax(order) for order in after), *(-_tax(order) for order in before)])
        rounding = total([moved, -_tax(self.priced), _tax(self.was)])
        refuse_more_than_rounding(self.change, rounding, [self.was, self.priced, *before, *after])
        return rounding


def _tax(order: PricedOrder) -> Decimal:
    return order.totals.tax or Decimal(0)


def _sums(order: PricedOrder) -> Sums:
    return {name: getattr(order.totals, name) for name in SUMS}


def read_sums(kept: Mapping[str, Mapping[str, str | None]]) -> dict[str, Sums]:
    """Totals of documents that were kept as plain data."""
    return {
        document: {name: None if value is None else Decimal(value) for name, value in totals.items()}
        for document, totals in kept.items()
    }


def _plain_sums(kept: Mapping[str, Sums]) -> dict[str, dict[str, Any]]:
    return {number: {name: plain(value) for name, value in totals.items()} for number, totals in kept.items()}
