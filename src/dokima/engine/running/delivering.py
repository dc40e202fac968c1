"""What deliveries have brought: quantities of recorded deliveries, summed into ``line.delivered``."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from decimal import Decimal
from typing import Any

from dokima.engine.program import Program
from dokima.exact import decimals, to_decimals
from dokima.exact import total as sum_of
from dokima.formulas.operators import pick
from dokima.model.orders import Orders
from dokima.model.states import Lifecycle


def delivered_quantities(lifecycle: Lifecycle, deliveries: Iterable[Mapping[str, Any]]) -> dict[str, Decimal]:
    """The quantity that deliveries have brought of each line, by line number.

    Args:
        lifecycle: Says which states of a delivery mean that it was delivered.
        deliveries: The records of one order.
    """
    found: dict[str, list[object]] = {}
    for record in deliveries:
        line, quantity = record.get("line"), record.get("quantity")
        if line is None or quantity is None or lifecycle.deliveries.get(str(record.get("state"))) != "delivered":
            continue
        found.setdefault(str(line), []).append(quantity)
    return {line: _sum(quantities) for line, quantities in found.items()}


def _sum(quantities: Iterable[object]) -> Decimal:
    (found,) = to_decimals(sum_of(decimals(quantities)))
    return Decimal(0) if found is None else found


def with_delivered(program: Program, orders: Orders) -> Orders:
    """The orders with ``line.delivered`` filled in from their deliveries, where a line does not state it."""
    records = orders.records.get("deliveries")
    if records is None or not any(records):
        return orders
    stated = orders.line("delivered")
    column: list[Decimal | None] = [None] * orders.line_count
    for at, deliveries in enumerate(records):
        known = delivered_quantities(program.definition.lifecycle, deliveries)
        where = orders.lines_of(at) if known else slice(0, 0)
        for place in range(where.start, where.stop):
            column[place] = known.get(orders.line_numbers[place])
    return orders.with_columns({}, {"delivered": pick(~stated.is_missing(), stated, decimals(column))})
