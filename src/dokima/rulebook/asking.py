"""Questions about one order that a `Rulebook` answers: where a figure came from, what a formula gives."""

from __future__ import annotations

import datetime
from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.errors import DocumentError, DokimaError, NotFound, nearest
from dokima.exact import decimals
from dokima.explaining.evaluation import Evaluation, evaluate_formula, look_up
from dokima.explaining.explainer import explain_line, quantities_worth_asking
from dokima.explaining.explanation import Explanation, QuantityPrice
from dokima.model.listing import Listing
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.program import Run
from dokima.pricing.running.pricing import price_orders
from dokima.pricing.running.whatif import with_values
from dokima.tables.browsing import rows_that_can_win
from dokima.tables.candidates import row_values

if TYPE_CHECKING:
    from dokima.rulebook.book import Rulebook


def explain(
    book: Rulebook,
    orders: Orders,
    line: str,
    figure: str | None,
    order: str | None,
    values: Mapping[str, str],
    run: Run,
) -> Explanation:
    """Where the figures of a line came from; see `Rulebook.explain`."""
    number = _number(orders, order, "explain")
    chosen = with_values(orders.select(np.array([orders.position(number)])), values)
    pricing = price_orders(book.program, chosen, run, traced=True)
    return explain_line(pricing, number, line, figure)


def evaluate(
    book: Rulebook, orders: Orders, formula: str, line: str, order: str | None, table: str, run: Run
) -> Evaluation:
    """What a formula gives, or how a table is found; see `Rulebook.evaluate`."""
    if bool(formula) == bool(table):
        raise DokimaError("expected a formula, or the name of a table")
    number = _number(orders, order, "ask")
    if table:
        return look_up(book.program, orders, table, number, line, run)
    return evaluate_formula(book.program, orders, formula, number, line, run)


def table_rows(book: Rulebook, name: str, asked: Mapping[str, Any], date: datetime.date | None) -> Listing:
    """The rows of a table that can win; see `Rulebook.rows`."""
    if name not in book.program.tables:
        raise NotFound(f"there is no table '{name}'{nearest(name, book.program.tables)}")
    table = book.program.tables[name]
    found = rows_that_can_win(table, asked, date)
    rows = tuple({**row_values(table, row), "row in file": table.source.row_number(row)} for row in found)
    labels = {column: field.shown for column, field in table.fields.items()}
    return Listing(rows, (*table.cells, "row in file"), "rows", labels, title=table.definition.shown)


def _number(orders: Orders, order: str | None, what: str) -> str:
    """The number of the one order that is asked about."""
    numbers = orders.numbers
    if order is None and len(numbers) > 1:
        raise NotFound(f"expected the number of one order (the source holds {len(numbers)})")
    if order is None or order not in numbers:
        mine = [problem for problem in orders.problems if order in (None, problem.order)]
        if mine:
            raise DocumentError(mine)
        if not numbers:
            raise NotFound(f"there is no order to {what}")
    return numbers[0] if order is None else order


def price_line(
    book: Rulebook, header: Mapping[str, Any], line: Mapping[str, Any]
) -> tuple[Explanation, list[QuantityPrice]]:
    """What a line would cost that stands in no order yet; see `Rulebook.price_line`."""
    explanation = book.explain(Order("trial", lines=[{"number": "10", **line}], **header), 10)
    rungs = []
    for quantity in quantities_worth_asking(explanation):
        lines = [{"number": "10", **line, "quantity": quantity}]
        tried = book.price(Order("trial", lines=lines, **header))["trial"].line(10)
        net = tried.figure("net") if "net" in tried.order.calculation.figures else None
        each = None if net is None else amount_at(decimals([net / quantity]).round(4), 0, tried.order.places)
        rungs.append(QuantityPrice(quantity, tried.figure("price") if net is not None else None, net, each))
    return explanation, rungs
