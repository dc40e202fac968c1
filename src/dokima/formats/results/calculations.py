"""Priced orders as plain data and rows. Exact numbers are written as text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from typing import Any

from dokima.engine.running.calculation import Calculation, PricedOrder, TaxRow, amount_figures
from dokima.engine.running.summing import left_out, sums_of
from dokima.errors import Problem
from dokima.formats.results.detail import PLAIN, Detail
from dokima.model.cells import cell
from dokima.model.columns import values_of


def columns(detail: Detail) -> tuple[str, ...]:
    """Columns that stand first."""
    return ("order",) if detail.totals else ("order", "line")


def line_figures(order: PricedOrder) -> list[str]:
    """The figures of an order's lines, in the order of its steps."""
    if order.routine is None:
        return []
    amounts = amount_figures(order.routine)
    steps = [name.split(".")[1] for name in order.routine.figures if name.startswith("line.")]
    present = order.calculation.figures
    return [name for name in dict.fromkeys(["price", *steps, *amounts]) if name in present]


def data(calculation: Calculation, detail: Detail = PLAIN) -> dict[str, Any]:
    """A calculation as plain data, with the line figures named, or all; or its totals."""
    if detail.totals:
        return totals_data(calculation)
    lines = _line_data(calculation, detail.figures)
    return {
        "orders": [_order_data(order, lines) for order in calculation],
        "findings": calculation.findings.to_dicts(),
        "problems": [problem_data(problem) for problem in calculation.problems],
    }


def problem_data(problem: Problem) -> dict[str, Any]:
    """A problem as plain data."""
    return asdict(problem)


def _line_data(calculation: Calculation, chosen: Sequence[str]) -> list[dict[str, Any]]:
    """Every line with its figures as plain data, from whole columns: one value at a time takes far longer."""
    orders = calculation.orders
    fields = {name: list(values_of(orders.line(name))) for name in ("number", "item", "description", "unit")}
    quantities = [cell(value) for value in values_of(orders.line("quantity"))]
    wanted = {at: list(chosen) or line_figures(PricedOrder(calculation, at)) for at in _one_of_each(calculation)}
    places = {name: calculation.figure_values(name) for names in wanted.values() for name in names}
    texts = {name: [cell(value, 0) for value in values] for name, values in places.items()}
    routines = calculation.routine_of[orders.order_of].tolist()
    names_of = {int(calculation.routine_of[at]): names for at, names in wanted.items()}
    return [
        {
            "number": fields["number"][at],
            "item": fields["item"][at],
            "description": fields["description"][at],
            "quantity": quantities[at],
            "unit": fields["unit"][at],
            **{name: texts[name][at] for name in names_of[routine]},
        }
        for at, routine in enumerate(routines)
    ]


def _one_of_each(calculation: Calculation) -> list[int]:
    """Positions of orders, one for each routine."""
    found = {int(routine): at for at, routine in enumerate(calculation.routine_of.tolist())}
    return list(found.values())


def _order_data(order: PricedOrder, lines: Sequence[dict[str, Any]]) -> dict[str, Any]:
    second, where = order.reporting, order.calculation.orders.lines_of(order.position)
    return {
        "number": order.number,
        "routine": order.routine.name if order.routine else None,
        "currency": order.header("currency"),
        "date": cell(order.header("date")),
        "customer": order.header("customer"),
        "supplier": order.header("supplier"),
        "prices_include_tax": order.prices_include_tax,
        "lines": list(lines[where]),
        "figures": {name: cell(value) for name, value in order.figures.items()},
        "tax_breakdown": [tax_data(row, order.places) for row in order.tax_breakdown],
        "totals": {name: cell(value, order.places) for name, value in asdict(order.totals).items()},
        "instalments": [
            {"label": row.label, "due": cell(row.due), "amount": cell(row.amount, order.places)}
            for row in order.instalments
        ],
        "reporting": None if second is None else {name: cell(value, 0) for name, value in asdict(second).items()},
    }


def tax_data(row: TaxRow, places: int) -> dict[str, Any]:
    """A row of a tax breakdown as plain data; amounts with the currency's places."""
    return {
        "step": row.step,
        "category": row.category,
        "percent": cell(row.percent),
        "taxable": cell(row.taxable, places),
        "tax": cell(row.tax, places),
        "reason": row.reason,
    }


def rows(calculation: Calculation, detail: Detail = PLAIN) -> list[dict[str, Any]]:
    """One row a line; or one an order with its totals."""
    if detail.totals:
        return total_rows(calculation)
    return [
        {"order": order["number"], **{("line" if name == "number" else name): value for name, value in line.items()}}
        for order in data(calculation, detail)["orders"]
        for line in order["lines"]
    ]


def total_rows(calculation: Calculation) -> list[dict[str, Any]]:
    """One row an order with date, party and totals, for CSV; of one that is in no sum, why."""
    reasons = {each.order: each.reason for each in left_out(calculation)}
    rows = []
    for order in calculation:
        row: dict[str, Any] = {"order": order.number}
        row |= {name: cell(order.header(name)) for name in ("kind", "date", "customer", "supplier", "currency")}
        row["lines"] = str(sum(1 for line in order.lines if not line.is_parent))
        row |= {name: cell(value, order.places) for name, value in asdict(order.totals).items()}
        rows.append({**row, "left_out": reasons.pop(order.number, None)})
    return rows + [{"order": order, "left_out": reason} for order, reason in reasons.items()]


def totals_data(calculation: Calculation) -> dict[str, Any]:
    """The totals of orders as plain data: one entry an order, one sum for each kind and currency, what is in none."""
    return {
        "orders": [row for row in total_rows(calculation) if "lines" in row],
        "sums": [
            {
                "kind": each.kind or None,
                "currency": each.currency or None,
                "orders": each.orders,
                "left_out": each.left_out,
                **{name: cell(value, 0) for name, value in each.totals.items()},
            }
            for each in sums_of(calculation)
        ],
        "left_out": [asdict(each) for each in left_out(calculation)],
    }
