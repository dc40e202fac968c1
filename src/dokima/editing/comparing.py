"""The prices of a line side by side: typed by hand, agreed, and what the rulebook gives today."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal
from typing import Any

from dokima.editing.keeping_terms import without_terms
from dokima.errors import Refused
from dokima.model.arguments import a_text, came
from dokima.model.document import Document
from dokima.model.states import OverrideTerms
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.program import Program, Run
from dokima.pricing.running.pricing import price_orders

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


def refuse_override(terms: OverrideTerms, price: Any, reason: str | None) -> None:
    """Refuse a manual price that nobody could answer for later.

    Raises:
        Refused: It has no reason, or is below 0, unless the rulebook permits that.
    """
    if reason is not None:
        a_text(reason, "reason")
    if terms.reason and not (reason or "").strip():
        raise Refused("a manual price needs a reason ([editing] override = { reason = false } lifts this)")
    told = came(price) if isinstance(price, int) else str(price).strip()
    if not terms.negative and told.startswith("-"):
        raise Refused(f"a manual price of {told} is below 0 ([editing] override = {{ negative = true }} permits it)")


def compare_prices(program: Program, document: Document, number: str, run: Run) -> PriceComparison:
    """The prices of a line side by side.

    Raises:
        NotFound: There is no such line.
    """
    line = document.line(number)
    plain = document.with_line(number, {**line, **dict.fromkeys(TYPED)})
    today = _price(program, without_terms(plain, [number]), number, run)
    agreed = _price(program, plain, number, run) if plain.terms is not None and number in plain.terms.lines else None
    typed = line.get("price_override") is not None
    manual = _price(program, document, number, run) if typed else None
    return PriceComparison(manual, line.get("override_reason"), today, agreed)


def _price(program: Program, document: Document, number: str, run: Run) -> Decimal | None:
    """The unit price of a line; None if it has none, or no routine prices the order."""
    calculation = price_orders(program, document.orders(program.fields), run).calculation
    line = PricedOrder(calculation, 0).line(number)
    return line.figure("price") if "price" in calculation.figures else None
