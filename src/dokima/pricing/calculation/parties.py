"""Who and where the parties of an order are, as the rulebook's tables say it."""

from __future__ import annotations

from dokima.columns.column import value_at
from dokima.columns.shown import shown
from dokima.formulas import Level
from dokima.pricing.calculation.calculation import PricedOrder
from dokima.pricing.names.context import Context
from dokima.pricing.program import Run

PARTIES = ("customer", "supplier", "ship_to")
"""Header fields that name a party or place."""


def party(order: PricedOrder, which: str) -> list[str]:
    """A party of an order: its name, then the lines of its address; what the header says where nothing is told of it.

    Args:
        order: The order.
        which: customer, supplier or ship_to.

    Returns:
        The lines that are not blank; none where the order has no such party.
    """
    orders, program = order.calculation.orders, order.calculation.program
    context = Context(program, orders, Run())
    columns = [formula.evaluate(context, Level.HEADER) for formula in program.parties.get(which, ())]
    lines = [value_at(column, 0 if len(column) == 1 else order.position) for column in columns]
    return [shown(line) for line in (lines if any(lines) else [order.header(which)]) if line not in (None, "")]
