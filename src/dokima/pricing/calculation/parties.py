"""Who and where the parties of an order are, as the rulebook's tables say it."""

from __future__ import annotations

import numpy as np

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
    program = order.calculation.program
    # Of this order alone: a paper for each of many would else ask about all of them each time.
    context = Context(program, order.calculation.orders.select(np.array([order.position], np.int64)), Run())
    lines = [value_at(formula.evaluate(context, Level.HEADER), 0) for formula in program.parties.get(which, ())]
    return [shown(line) for line in (lines if any(lines) else [order.header(which)]) if line not in (None, "")]
