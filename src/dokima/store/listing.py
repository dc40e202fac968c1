"""Lists of orders and of lines: what people look for over many orders."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any

from dokima.columns.column import values_of
from dokima.errors import DocumentError, Problem
from dokima.model.arguments import a_text, texts_of
from dokima.model.listing import Listing
from dokima.model.orders import Orders
from dokima.model.selecting import Selection
from dokima.rulebook.conditions import Condition, holding, order_figures
from dokima.rulebook.listing import (
    LINE_COLUMNS,
    ORDER_COLUMNS,
    TOTALS,
    chosen_columns,
    line_rows,
    order_rows,
    sorted_rows,
)

if TYPE_CHECKING:
    from dokima.store.service import Store

PAGE = 1000
NOBODY = "\0"
"""No order has such a number."""


def order_list(
    store: Store, selection: Selection, where: str, sort: str, limit: int | None, columns: Sequence[str] = ()
) -> Listing:
    """The orders of a selection, a row each.

    Raises:
        NotFound: There is no such column.
        DokimaError: The condition cannot be read.
    """
    columns, sort = texts_of(columns, "columns"), a_text(sort, "sort")
    problems: list[Problem] = []
    program = store.book.program
    labels = chosen_columns(program, columns)
    more = [*columns, *({sort.removeprefix("-")} & order_figures(program).keys())]
    pages = _pages(store, selection, where, problems, more)
    rows = [row for page in pages for row in order_rows(program, *page, more)]
    shown = tuple(columns) or ORDER_COLUMNS
    known = dict.fromkeys((*ORDER_COLUMNS, *more))
    found = tuple({name: row[name] for name in shown} for row in sorted_rows(rows, sort, list(known), limit))
    return Listing(found, shown, "orders", labels, problems=problems, found=len(rows))


def _pages(
    store: Store, selection: Selection, where: str, problems: list[Problem], figures: Sequence[str] = ()
) -> Iterator[tuple[Orders, Sequence[Mapping[str, Any]]]]:
    """The orders with their totals, page by page; what is wrong with those that cannot be read goes to ``problems``."""
    condition = Condition.of(store.book.program, where) if where else None
    whole = condition is not None and condition.reads_lines
    wanted = {*TOTALS, *figures, *(() if condition is None else condition.figures)}
    for orders, known in store.documents.headed(selection, PAGE, whole, wanted):
        problems += orders.problems
        kept = holding(condition, orders, known)
        if len(kept):
            yield orders.select(kept), [known[at] for at in kept.tolist()]


def whole_orders(store: Store, selection: Selection, where: str) -> Iterator[Orders]:
    """The orders of a selection with their lines, in pieces, each with what is wrong with those that it lacks."""
    condition = Condition.of(store.book.program, where) if where else None
    if condition is not None and condition.figures:  # those that are kept decide, as in lists of orders
        problems: list[Problem] = []
        found = [number for page, _ in _pages(store, selection, where, problems) for number in page.numbers]
        condition = None
        selection = replace(selection, numbers=tuple(found) or (NOBODY,))
    for orders in store.documents.select(selection, PAGE):
        kept = holding(condition, orders)
        if len(kept) or orders.problems:
            yield replace(orders.select(kept), problems=orders.problems)


def numbers_of(store: Store, selection: Selection, where: str) -> Iterator[tuple[str, int]]:
    """The numbers and revisions of the orders of a selection, each of which the rulebook can read.

    Raises:
        DocumentError: It cannot read one of them, so that nobody knows whether it belongs to them.
    """
    problems: list[Problem] = []
    for orders, _ in _pages(store, selection, where, problems):
        yield from zip(orders.numbers, (int(n or 0) for n in values_of(orders.header("revision"))), strict=True)
    if problems:
        raise DocumentError(problems)


def line_list(store: Store, selection: Selection, where: str, open_only: bool, sort: str, limit: int | None) -> Listing:
    """The lines of an item, or all lines, of the orders of a selection.

    Raises:
        NotFound: There is no such column to sort by.
        DokimaError: The condition cannot be read.
    """
    problems, rows = list[Problem](), list[dict[str, Any]]()
    for orders in whole_orders(store, selection, where):
        problems += orders.problems
        rows += line_rows(store.book.program, orders, selection.item, open_only)
    listed = sorted_rows(rows, sort, LINE_COLUMNS, limit)
    return Listing(listed, LINE_COLUMNS, "lines", problems=problems, found=len(rows))
