"""Defaults: filling the fields that were not given, before orders are checked or priced."""

from __future__ import annotations

from dokima.engine.program import Program, Run
from dokima.engine.sheet import Sheet
from dokima.exact import Quotient, stored
from dokima.formulas import Level
from dokima.formulas.operators import alike, pick
from dokima.model.columns import Column, blanks
from dokima.model.orders import Orders


def prepare(program: Program, orders: Orders, run: Run) -> Orders:
    """The orders with the defaults of absent fields filled in, in the order of what the defaults read."""
    wanted = [each for each in program.defaults if (each[0], each[1]) in orders.absent]
    if not wanted:
        return orders
    sheet = Sheet(program, orders, run)
    filled: dict[str, dict[str, Column]] = {"header": {}, "line": {}}
    for level, name, formula in wanted:
        absent = orders.absent[level, name]
        if not absent.any():
            continue
        value = formula.evaluate(sheet, Level.HEADER if level == "header" else Level.LINE)
        if isinstance(value, Quotient):
            value = stored(value)
        given = orders.header(name) if level == "header" else orders.line(name)
        fields = orders.fields.header if level == "header" else orders.fields.line
        value = alike(blanks(fields[name].kind, len(value)), value)[1]
        column = value if absent.all() else pick(absent, value, given)
        filled[level][name] = column
        sheet.put(f"{level}.{name}", column)
    return orders.with_columns(filled["header"], filled["line"])
