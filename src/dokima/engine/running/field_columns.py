"""What stands beside the figures in tables of priced orders: the fields of header and lines, and parties' names."""

from __future__ import annotations

from collections.abc import Mapping

from dokima.engine.program import Run
from dokima.engine.running.calculation import Calculation
from dokima.engine.running.context import Context
from dokima.engine.running.parties import PARTIES
from dokima.formulas import Level
from dokima.model.columns import Column, LazyColumns
from dokima.model.fields import DRAWN


def header_columns(calculation: Calculation) -> Mapping[str, Column]:
    """The header fields that somebody gave, or that have a default, one value an order; and ``customer_name`` and the
    like, where the rulebook says what a party is called."""
    orders, program = calculation.orders, calculation.program
    context = Context(program, orders, Run())
    named = {f"{party}_name": program.parties[party][0] for party in PARTIES if program.parties.get(party)}

    def make(name: str) -> Column:
        if name in named:
            return named[name].evaluate(context, Level.HEADER).spread(len(orders))
        return orders.header(name)

    names: dict[str, None] = {}
    for name in [each for each in orders.fields.header if each in orders.headers and each != DRAWN]:
        names[name] = None
        names.update(dict.fromkeys(each for each in named if each == f"{name}_name"))
    return LazyColumns(names, make)


def line_columns(calculation: Calculation) -> Mapping[str, Column]:
    """The line fields that somebody gave, or that have a default, one value a line."""
    orders = calculation.orders
    return LazyColumns([name for name in orders.fields.line if name in orders.lines and name != DRAWN], orders.line)
