"""Stated against calculated: what an arriving document says it comes to, beside what the rulebook makes of it."""

from __future__ import annotations

from collections.abc import Iterable
from decimal import MAX_PREC, Context, Decimal

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.errors import listed
from dokima.exact import compare, decimals, magnitude, stored
from dokima.exact.integers import Mask
from dokima.formulas.operators import numbers
from dokima.model.finding import Finding
from dokima.model.said import Said
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import Calculation

STATED = {
    "stated_line_net": "line_net",
    "stated_without_tax": "without_tax",
    "stated_tax": "tax",
    "stated_with_tax": "with_tax",
    "stated_payable": "payable",
}
"""Header fields that state a total, and that total."""
_LINES = {"stated_net": ("net", "stated-net"), "unit_price": ("price", "stated-price")}
"""Line fields that state a figure, that figure, and the id of the finding."""
STATED_RULES = frozenset({"stated-total", *(rule for _, rule in _LINES.values())})
"""Ids of the findings."""


def compare_stated(calculation: Calculation) -> list[Finding]:
    """A finding for each stated total, net or unit price that is not what was calculated, beyond the tolerance.

    A unit price is compared at the decimal places it is stated with. What could not be calculated is not compared.
    """
    return [*_lines(calculation), *_totals(calculation)]


def _lines(calculation: Calculation) -> Iterable[Finding]:
    orders = calculation.orders
    for field in _stated_on_lines(calculation):
        figure, rule = _LINES[field]
        for line in np.flatnonzero(_off(calculation, field)).tolist():
            order = int(orders.order_of[line])
            places = int(calculation.minor_units[order])
            stated = amount_at(orders.line(field), line, places)
            calculated = amount_at(calculation.figures[figure], line, places)
            yield _finding(calculation, rule, field, order, stated, calculated, orders.line_numbers[line])


def _stated_on_lines(calculation: Calculation) -> list[str]:
    """The fields that state a figure somewhere."""
    there = calculation.orders.lines
    return [field for field, (figure, _) in _LINES.items() if field in there and figure in calculation.figures]


def _off(calculation: Calculation, field: str) -> Mask:
    """The lines whose stated figure is off."""
    orders, figure = calculation.orders, _LINES[field][0]
    stated, computed = stored(numbers(orders.line(field))), calculation.figures[figure]
    tolerance = calculation.program.definition.stated.tolerance
    off = _beyond(stated, stored(numbers(computed)), tolerance)
    if figure != "price":
        return off
    for line in np.flatnonzero(off).tolist():
        said = value_at(stated, line)
        rounded = numbers(computed).take(np.array([line])).round(_places(said), "half-up")
        off[line] = bool(_beyond(decimals([said]), rounded, tolerance)[0])
    return off


def _places(value: Decimal) -> int:
    return max(0, -int(value.as_tuple().exponent))


def _totals(calculation: Calculation) -> Iterable[Finding]:
    orders = calculation.orders
    for field, total in STATED.items():
        if field not in orders.headers:
            continue
        tolerance = calculation.program.definition.stated.tolerance
        off = _beyond(stored(numbers(orders.header(field))), calculation.totals[total], tolerance)
        for order in np.flatnonzero(off).tolist():
            places = int(calculation.minor_units[order])
            stated = amount_at(orders.header(field), order, places)
            calculated = amount_at(calculation.totals[total], order, places)
            yield _finding(calculation, "stated-total", field, order, stated, calculated, "")


def _beyond(stated: Column, calculated: Column, tolerance: Decimal) -> Mask:
    difference = stored(numbers(stated)) - stored(numbers(calculated))
    off: Mask = (compare(magnitude(difference), decimals([tolerance])) > 0) & ~difference.is_missing()
    return off


def _finding(
    calculation: Calculation, rule: str, field: str, order: int, stated: Decimal, calculated: Decimal, line: str
) -> Finding:
    program, orders = calculation.program, calculation.orders
    known = program.fields.line if line else program.fields.header
    difference = Context(prec=MAX_PREC).subtract(stated, calculated)
    facts = {"stated": stated, "calculated": calculated, "difference": difference}
    message = Said(
        "{field} is {stated}, calculated {calculated}: {difference:+} off", field=known[field].shown, **facts
    )
    if not line:
        message = Said("{message} ({source})", message=message, source=_source(calculation, order))
    severity = program.definition.stated.severity
    return Finding(rule, severity, message, orders.numbers[order], line, field, values=facts)


def _source(calculation: Calculation, order: int) -> str:
    """Which lines a difference of an order comes from, as far as they state anything."""
    orders = calculation.orders
    where = orders.lines_of(order)
    said = [orders.line(field) for field in _LINES if field in orders.lines]
    if not any((~column.is_missing()[where]).any() for column in said):
        return Said("its lines state nothing that could be compared")
    off = [
        line
        for field in _stated_on_lines(calculation)
        for line in np.flatnonzero(_off(calculation, field)[where]).tolist()
    ]
    lines = [orders.line_numbers[where.start + line] for line in sorted(set(off))]
    if not lines:
        return Said("no line differs")
    if len(lines) == 1:
        return Said("it comes from line {lines}", lines=lines[0])
    return Said("it comes from lines {lines}", lines=listed(lines))
