"""Totals of orders, with the names and arithmetic of the EN 16931 semantic model."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from dokima.exact import Decimals, Grouping, decimals, group_sums, stored
from dokima.formulas.operators import numbers
from dokima.pricing.steps.results import RoutineResult

TOTALS = (
    "line_net", "allowances", "charges", "without_tax", "tax", "with_tax", "prepaid", "rounding", "payable",
)  # fmt: skip
"""Sum of line net (BT-106), allowances (BT-107) and charges (BT-108) of the order, total without tax (BT-109), tax
(BT-110), total with tax (BT-112), prepaid (BT-113), rounding (BT-114), payable (BT-115)."""
SUMS = ("without_tax", "tax", "with_tax")
"""The totals that changes, settlements and ledgers are told in."""


@dataclass(frozen=True)
class Terms:
    """How orders are totalled.

    Attributes:
        orders: Number of orders.
        places: Decimal places of the currency.
        prepaid: Payments recorded, per order.
        step: What is payable is rounded to a multiple of it (cash), in ``mode``; None for no such rounding.
        mode: Rounding mode.
    """

    orders: int
    places: int
    prepaid: Decimals
    step: Decimal | None
    mode: str


def total_up(result: RoutineResult, by_order: Grouping, terms: Terms) -> dict[str, Decimals]:
    """The totals of each order; all but prepaid are blank where the order is in error.

    Where prices include tax, sum of line net, allowances and charges are with tax, and the total without tax is what is
    left of the total with tax. Nothing is rounded a second time.

    Args:
        result: What the routine left.
        by_order: The lines of each order together.
        terms: How they are totalled.
    """
    orders, places = terms.orders, terms.places
    zero = Decimals.zeros(orders, places)

    def summed(name: str) -> Decimals:
        found = group_sums(stored(numbers(result.lines[name])), by_order)
        return found.at(max(found.places, places))

    def of_order(total: str) -> Decimals:
        parts = result.of_order.get(total)
        return zero if parts is None else group_sums(parts, by_order) + zero

    line_net, tax, allowances, charges = summed("net"), summed("tax"), of_order("allowances"), of_order("charges")
    together = line_net - allowances + charges
    without_tax, with_tax = together, together + tax
    if result.inclusive.any():
        without_tax = Decimals.choose(result.inclusive, together - tax, without_tax)
        with_tax = Decimals.choose(result.inclusive, together, with_tax)
    due = with_tax - terms.prepaid + zero
    rounding = zero
    if terms.step is not None:
        step = decimals([terms.step])
        rounding = stored((due / step).round(0, terms.mode) * step) - due
    found = {
        "line_net": line_net,
        "allowances": allowances,
        "charges": charges,
        "without_tax": without_tax,
        "tax": tax,
        "with_tax": with_tax,
        "rounding": rounding,
        "payable": due + rounding,
    }
    if result.in_error.any():
        found = {name: column.without(result.in_error) for name, column in found.items()}
    return {**found, "prepaid": terms.prepaid}
