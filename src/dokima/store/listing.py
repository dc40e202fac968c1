"""Lists of orders and of lines: what people look for over many orders."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from dokima.engine.program import Run
from dokima.engine.running.context import Context
from dokima.engine.running.preparing import prepare
from dokima.errors import NotFound, nearest
from dokima.exact import added
from dokima.formulas import Level
from dokima.model.columns import Column, shown, value_at, values_of
from dokima.model.listing import Listing, with_places
from dokima.model.orders import Orders
from dokima.model.states import CLOSED
from dokima.rulebook.conditions import Condition, holding
from dokima.store.selecting import Selection

if TYPE_CHECKING:
    from dokima.store.service import Store

PAGE = 1000
TOTALS = ("without_tax", "tax", "with_tax")
ORDER_COLUMNS = (
    "number", "kind", "date", "party", "name", "requested_by", "state", "currency", *TOTALS, "revision",
)  # fmt: skip
LINE_COLUMNS = (
    "order", "line", "item", "description", "party", "name", "date", "due_date", "state", "unit", "quantity",
    "delivered", "open",
)  # fmt: skip


def order_list(store: Store, selection: Selection, where: str, sort: str, limit: int | None) -> Listing:
    """The orders of a selection, a row each.

    Raises:
        NotFound: There is no such column to sort by.
        DokimaError: The condition cannot be read.
    """
    rows = [row for page in _pages(store, selection, where) for row in _order_rows(store, *page)]
    return Listing(_sorted(rows, sort, ORDER_COLUMNS, limit), ORDER_COLUMNS, "orders")


def _pages(store: Store, selection: Selection, where: str) -> Iterator[tuple[Orders, Sequence[Mapping[str, Any]]]]:
    condition = Condition.of(store.book.program, where) if where else None
    whole = condition is not None and condition.reads_lines
    for orders, figures in store.documents.headed(selection, PAGE, whole):
        kept = holding(condition, orders)
        if len(kept):
            yield orders.select(kept), [figures[at] for at in kept.tolist()]


def whole_orders(store: Store, selection: Selection, where: str) -> Iterator[Orders]:
    """The orders of a selection with their lines, in pieces."""
    condition = Condition.of(store.book.program, where) if where else None
    for orders in store.documents.select(selection, PAGE):
        kept = holding(condition, orders)
        if len(kept):
            yield orders.select(kept)


def numbers_of(store: Store, selection: Selection, where: str) -> Iterator[tuple[str, int]]:
    """The numbers and revisions of the orders of a selection."""
    for orders, _ in _pages(store, selection, where):
        yield from zip(orders.numbers, (int(n or 0) for n in values_of(orders.header("revision"))), strict=True)


def _order_rows(store: Store, orders: Orders, figures: Sequence[Mapping[str, Any]]) -> Iterator[dict[str, Any]]:
    fields = {
        name: _values(orders.header(name), len(orders))
        for name in ("number", "kind", "date", "requested_by", "state", "revision")
    }
    context = _context(store, orders)
    fields["currency"] = _values(context.column("header.currency"), len(orders))
    parties, names = _parties(context, len(orders))
    first = store.book.program.definition.lifecycle.first
    for at in range(len(orders)):
        row = {name: values[at] for name, values in fields.items()}
        row |= {"party": parties[at], "name": names[at], "state": row["state"] or first}
        places = store.book.program.definition.minor_units.get(str(row["currency"]), 0)
        totals = {name: figures[at].get(name) for name in TOTALS}
        row |= {name: None if value is None else with_places(value, places) for name, value in totals.items()}
        yield {name: row[name] for name in ORDER_COLUMNS}


def _context(store: Store, orders: Orders) -> Context:
    return Context(store.book.program, prepare(store.book.program, orders, Run()), Run())


def _values(column: Column, count: int) -> list[Any]:
    found = values_of(column)
    return found * count if len(found) == 1 and count != 1 else found


def _parties(context: Context, count: int) -> tuple[list[str | None], list[str | None]]:
    """Number and name of the customer, or of the supplier where there is no customer."""
    parties: list[str | None] = [None] * count
    names: list[str | None] = [None] * count
    for which in ("supplier", "customer"):
        codes = _values(context.orders.header(which), count)
        formulas = context.program.parties.get(which, ())
        column = formulas[0].evaluate(context, Level.HEADER) if formulas else None
        for at, number in enumerate(codes):
            if number is not None:
                parties[at] = str(number)
                name = None if column is None else value_at(column, 0 if len(column) == 1 else at)
                names[at] = None if name is None else shown(name)
    return parties, names


def line_list(store: Store, selection: Selection, where: str, open_only: bool, sort: str, limit: int | None) -> Listing:
    """The lines of an item, or all lines, of the orders of a selection.

    Raises:
        NotFound: There is no such column to sort by.
        DokimaError: The condition cannot be read.
    """
    rows = [
        row
        for orders in whole_orders(store, selection, where)
        for row in _line_rows(store, orders, selection.item, open_only)
    ]
    return Listing(_sorted(rows, sort, LINE_COLUMNS, limit), LINE_COLUMNS, "lines")


def _line_rows(store: Store, orders: Orders, item: str, open_only: bool) -> Iterator[dict[str, Any]]:
    lifecycle = store.book.program.definition.lifecycle
    context = _context(store, orders)
    count = orders.line_count
    names = ("number", "item", "description", "due_date", "unit", "quantity", "delivered", "state")
    columns = {name: _values(context.line_column(f"line.{name}"), count) for name in names}
    parties, party_names = _parties(context, len(orders))
    dates = _values(orders.header("date"), len(orders))
    states = [str(state or lifecycle.first) for state in _values(orders.header("state"), len(orders))]
    for at, order in enumerate(orders.order_of.tolist()):
        if item and columns["item"][at] != item:
            continue
        wanted, there = columns["quantity"][at], columns["delivered"][at] or Decimal(0)
        known = lifecycle.states.get(states[order])
        ended = columns["state"][at] == CLOSED or (known is not None and not known.to)
        left = None if wanted is None else Decimal(0) if ended or abs(there) >= abs(wanted) else added((wanted, -there))
        if open_only and not left:
            continue
        row = {name: columns[name][at] for name in names if name not in ("number", "state", "delivered")}
        row |= {
            "order": orders.numbers[order], "line": columns["number"][at], "party": parties[order],
            "name": party_names[order], "date": dates[order], "delivered": there, "open": left,
            "state": columns["state"][at] or "open",
        }  # fmt: skip
        yield {name: row[name] for name in LINE_COLUMNS}


def _sorted(
    rows: list[dict[str, Any]], sort: str, columns: Sequence[str], limit: int | None
) -> tuple[Mapping[str, Any], ...]:
    """Rows by a column, highest first with a minus before its name; blanks last."""
    if sort:
        name = sort.removeprefix("-")
        if name not in columns:
            raise NotFound(f"there is no column '{name}' to sort by{nearest(name, columns)}")
        filled = [row for row in rows if row[name] is not None]
        blank = [row for row in rows if row[name] is None]
        rows = sorted(filled, key=lambda row: row[name], reverse=sort.startswith("-")) + blank
    return tuple(rows if limit is None else rows[:limit])
