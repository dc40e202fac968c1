"""Totals of orders, with the names and arithmetic of the EN 16931 semantic model."""

from __future__ import annotations

from collections.abc import Mapping

from dokima.exact import Decimals, group_sums, stored
from dokima.exact.integers import Integers, Mask
from dokima.formulas.operators import numbers
from dokima.model.columns import Column

TOTALS = (
    "line_net", "allowances", "charges", "without_tax", "tax", "with_tax", "prepaid", "rounding", "payable",
)  # fmt: skip
"""Sum of line net (BT-106), allowances (BT-107) and charges (BT-108) of the order, total without tax (BT-109), tax
(BT-110), total with tax (BT-112), prepaid (BT-113), rounding (BT-114), payable (BT-115)."""


def total_up(
    lines: Mapping[str, Column],
    of_order: Mapping[str, Decimals],
    lost: Mask,
    order_of: Integers,
    orders: int,
    prepaid: Decimals,
    places: int,
) -> dict[str, Decimals]:
    """The totals of each order; blank where a line's figure is.

    Args:
        lines: Line figures.
        of_order: Lines' parts of the steps of the order, by kind: ``discount`` and ``charge``.
        lost: True for orders with an amount that no line bears; their totals are unknown. Empty if there are none.
        order_of: For each line the position of its order.
        orders: Number of orders.
        prepaid: Payments recorded, per order.
        places: Decimal places of the currency.
    """

    def summed(name: str) -> Decimals:
        return group_sums(stored(numbers(lines[name])), order_of, orders).at(places)

    zero = Decimals.zeros(orders, places)

    def of(kind: str) -> Decimals:
        parts = of_order.get(kind)
        found = zero if parts is None else group_sums(parts, order_of, orders).at(places)
        return found.without(lost if len(lost) and lost.any() else None)

    line_net, tax, allowances, charges = summed("net"), summed("tax"), of("discount"), of("charge")
    without_tax = line_net - allowances + charges
    with_tax = without_tax + tax
    return {
        "line_net": line_net,
        "allowances": allowances,
        "charges": charges,
        "without_tax": without_tax,
        "tax": tax,
        "with_tax": with_tax,
        "prepaid": prepaid,
        "rounding": zero,
        "payable": with_tax - prepaid + zero,
    }
