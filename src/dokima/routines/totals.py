"""Totals of orders, with the names and arithmetic of the EN 16931 semantic model."""

from __future__ import annotations

from collections.abc import Mapping

from dokima.exact import Decimals, group_sums, stored
from dokima.exact.integers import Integers
from dokima.formulas.operators import numbers
from dokima.model.columns import Column

TOTALS = (
    "line_net", "allowances", "charges", "without_tax", "tax", "with_tax", "prepaid", "rounding", "payable",
)  # fmt: skip
"""Sum of line net (BT-106), allowances (BT-107) and charges (BT-108) of the order, total without tax (BT-109), tax
(BT-110), total with tax (BT-112), prepaid (BT-113), rounding (BT-114), payable (BT-115)."""


def total_up(
    lines: Mapping[str, Column], order_of: Integers, orders: int, prepaid: Decimals, places: int
) -> dict[str, Decimals]:
    """The totals of each order; blank where a line's figure is.

    Args:
        lines: Line figures.
        order_of: For each line the position of its order.
        orders: Number of orders.
        prepaid: Payments recorded, per order.
        places: Decimal places of the currency.
    """

    def summed(name: str) -> Decimals:
        return group_sums(stored(numbers(lines[name])), order_of, orders).at(places)

    zero = Decimals.zeros(orders, places)
    line_net, tax = summed("net"), summed("tax")
    without_tax = line_net - zero + zero
    with_tax = without_tax + tax
    return {
        "line_net": line_net,
        "allowances": zero,
        "charges": zero,
        "without_tax": without_tax,
        "tax": tax,
        "with_tax": with_tax,
        "prepaid": prepaid,
        "rounding": zero,
        "payable": with_tax - prepaid + zero,
    }
