"""The prices of a line side by side: typed by hand, agreed, and what the rulebook gives today."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from dokima.editing.document import Document
from dokima.editing.terms import terms_of_line, without_terms
from dokima.engine.calculation import PricedLine, PricedOrder
from dokima.engine.pricing import price_orders
from dokima.engine.program import Program, Run

TYPED = ("price_override", "price_base", "override_reason", "override_by", "override_time")
"""Fields of a price typed by hand."""


@dataclass(frozen=True)
class PriceComparison:
    """The prices of a line side by side, each None if there is none.

    Attributes:
        manual: The price typed by hand.
        reason: Its reason.
        rulebook: What the rulebook gives today for this customer, item, quantity and date.
        agreed: What was agreed when the order left draft.
    """

    manual: Decimal | None
    reason: str | None
    rulebook: Decimal | None
    agreed: Decimal | None = None


def compare_prices(program: Program, document: Document, number: str, run: Run) -> PriceComparison:
    """The prices of a line side by side.

    Raises:
        NotFound: There is no such line.
    """
    line = document.line(number)
    plain = document.with_line(number, {**line, **dict.fromkeys(TYPED)})
    today = _priced(program, without_terms(plain, [number]), number, run).price
    agreed = _priced(program, plain, number, run).price if terms_of_line(plain, number) else None
    typed = line.get("price_override") is not None
    manual = _priced(program, document, number, run).price if typed else None
    return PriceComparison(manual, line.get("override_reason"), today, agreed)


def _priced(program: Program, document: Document, number: str, run: Run) -> PricedLine:
    orders = document.orders(program.fields)
    return PricedOrder(price_orders(program, orders, run).calculation, 0).line(number)
