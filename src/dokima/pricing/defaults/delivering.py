"""What deliveries have brought: summed into ``line.delivered``, and what is still open of a line."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from decimal import Decimal
from typing import Any

import numpy as np

from dokima.columns.column import value_at
from dokima.exact import decimals, to_decimals
from dokima.exact import total as sum_of
from dokima.formulas.operators import pick
from dokima.model.orders import Orders
from dokima.model.states import CLOSED, Lifecycle
from dokima.pricing.program import Program

Quantities = Mapping[str, Decimal | None]
"""The quantity of each line without sub-lines, by line number."""


def delivered_quantities(
    lifecycle: Lifecycle, deliveries: Iterable[Mapping[str, Any]], lines: Quantities
) -> dict[str, Decimal]:
    """The quantity that deliveries have brought of each line, by line number.

    One that was delivered without a quantity has brought what was open of its line, and without a line what was open of
    every line.

    Args:
        lifecycle: Says which states of a delivery mean that it was delivered.
        deliveries: The records of one order.
        lines: What was ordered.
    """
    found: dict[str, list[object]] = {}
    whole: set[str] = set()
    for record in deliveries:
        line, quantity = record.get("line"), record.get("quantity")
        if lifecycle.deliveries.get(str(record.get("state"))) != "delivered":
            continue
        if line is None:
            whole |= set(lines)
        elif quantity is None:
            whole.add(str(line))
        else:
            found.setdefault(str(line), []).append(quantity)
    sums = {line: _sum(quantities) for line, quantities in found.items()}
    for line in whole:
        left = open_quantity(lines.get(line), sums.get(line))
        if left:
            sums[line] = _sum([sums.get(line, Decimal(0)), left])
    return sums


def _sum(quantities: Iterable[object]) -> Decimal:
    (found,) = to_decimals(sum_of(decimals(quantities)))
    return Decimal(0) if found is None else found


def open_quantity(quantity: Decimal | None, delivered: Decimal | None, state: object = None) -> Decimal | None:
    """What is still to come of a line: 0 where it is closed or delivered in full; None where nobody knows.

    Args:
        quantity: What is ordered; below 0 for a return.
        delivered: What has been delivered of it; None counts as nothing.
        state: State of the line.
    """
    if state == CLOSED:
        return Decimal(0)
    if quantity is None:
        return None
    there = delivered or Decimal(0)
    if not quantity or ((there > 0) == (quantity > 0) and abs(there) >= abs(quantity)):
        return Decimal(0)
    return _sum([quantity, -there])


def open_lines(orders: Orders) -> list[Decimal | None]:
    """What is still to come of each line.

    Args:
        orders: The orders, defaults filled in.
    """
    columns = [_listed(orders, name) for name in ("quantity", "delivered", "state")]
    return [open_quantity(*line) for line in zip(*columns, strict=True)]


def _listed(orders: Orders, name: str) -> list[Any]:
    column = orders.line(name)
    return [value_at(column, at) for at in range(orders.line_count)]


def are_delivered(orders: Orders) -> list[bool]:
    """Of each order whether every line without sub-lines is closed or delivered in full; not of one without lines.

    Args:
        orders: The orders, defaults filled in.
    """
    left, leaf = open_lines(orders), orders.leaf
    found = []
    for at in range(orders.count):
        where = orders.lines_of(at)
        mine: Sequence[int] = range(where.start, where.stop)
        if leaf is not None:
            mine = [place for place in mine if leaf[place]]
        found.append(bool(mine) and all(left[place] == 0 for place in mine))
    return found


def with_delivered(program: Program, orders: Orders) -> Orders:
    """The orders with ``line.delivered`` filled in from their deliveries, where a line does not state it."""
    records = orders.records.get("deliveries")
    if records is None or not any(records):
        return orders
    stated = orders.line("delivered")
    column: list[Decimal | None] = [None] * orders.line_count
    leaf = np.ones(orders.line_count, bool) if orders.leaf is None else orders.leaf
    quantities, states = orders.line("quantity"), orders.line("state")
    for at, deliveries in enumerate(records):
        if not deliveries:
            continue
        where = orders.lines_of(at)
        lines = {
            orders.line_numbers[place]: value_at(quantities, place)
            for place in range(where.start, where.stop)
            if leaf[place] and value_at(states, place) != CLOSED
        }
        known = delivered_quantities(program.definition.lifecycle, deliveries, lines)
        for place in range(where.start, where.stop) if known else ():
            column[place] = known.get(orders.line_numbers[place])
    return orders.with_columns({}, {"delivered": pick(~stated.is_missing(), stated, decimals(column))})
