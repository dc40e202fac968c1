"""Rows of lists of orders and of lines: party, dates, quantities, what is still open."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from typing import Any

from dokima.columns.column import Column, value_at, values_of
from dokima.columns.shown import shown
from dokima.errors import NotFound, nearest
from dokima.formulas import Level
from dokima.model.arguments import a_count, a_text
from dokima.model.listing import Listing, with_places
from dokima.model.orders import Orders
from dokima.model.selecting import Selection, chosen
from dokima.pricing.defaults.delivering import open_quantity
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run
from dokima.pricing.steps.totals import TOTALS as ALL_TOTALS
from dokima.rulebook.conditions import Condition, holding, order_figures

TOTALS = ("without_tax", "tax", "with_tax")
_FIELDS = ("number", "kind", "date", "requested_by", "state", "revision", "currency")
ORDER_COLUMNS = (
    "number", "kind", "date", "party", "name", "requested_by", "state", "currency", *TOTALS, "revision",
)  # fmt: skip
LINE_COLUMNS = (
    "order", "line", "item", "description", "party", "name", "date", "due_date", "state", "unit", "quantity",
    "delivered", "open",
)  # fmt: skip


def lines_of(
    program: Program, orders: Orders, selection: Selection, where: str, open_only: bool, sort: str, limit: int | None
) -> Listing:
    """The lines of an item, or all lines, of those of some orders that are selected.

    Raises:
        NotFound: There is no such column to sort by.
        DokimaError: The condition cannot be read.
    """
    problems, kept = orders.problems, orders.select(chosen(selection, prepare(program, orders, Run())))
    kept = kept.select(holding(Condition.of(program, where) if where else None, kept))
    rows = list(line_rows(program, kept, selection.item, open_only))
    listed = sorted_rows(rows, sort, LINE_COLUMNS, limit)
    return Listing(listed, LINE_COLUMNS, "lines", problems=problems, found=len(rows))


def order_rows(
    program: Program, orders: Orders, figures: Sequence[Mapping[str, Any]], columns: Sequence[str] = ()
) -> Iterator[dict[str, Any]]:
    """A row for each order.

    Args:
        program: The rulebook.
        orders: The orders.
        figures: The totals and figures of each.
        columns: Header fields, totals and figures beside the columns of every list.
    """
    context = _context(program, orders)
    fields = {
        name: _values(context.orders.header(name), len(orders))
        for name in dict.fromkeys((*_FIELDS, *(each for each in columns if each in orders.fields.header)))
    }
    kept = [each for each in columns if each not in (*ORDER_COLUMNS, *fields)]
    parties, names = _parties(context, len(orders))
    first = program.definition.lifecycle.first
    for at in range(len(orders)):
        row = {name: values[at] for name, values in fields.items()}
        row |= {"party": parties[at], "name": names[at], "state": row["state"] or first}
        places = program.definition.minor_units.get(str(row["currency"]), 0)
        totals = {name: figures[at].get(name) for name in TOTALS}
        row |= {name: None if value is None else with_places(value, places) for name, value in totals.items()}
        for name in kept:
            value = figures[at].get(name)
            is_money = name in ALL_TOTALS or name in program.line_figures
            row[name] = with_places(value, places if is_money else 0) if isinstance(value, Decimal) else value
        yield {name: row[name] for name in (*ORDER_COLUMNS, *(each for each in columns if each not in ORDER_COLUMNS))}


def chosen_columns(program: Program, columns: Sequence[str]) -> dict[str, str]:
    """The columns of a list of orders that are asked for beside the usual ones, and their headings.

    Raises:
        NotFound: There is no such column; names the nearest.
    """
    fields = program.fields.header
    known = dict.fromkeys([*ORDER_COLUMNS, *fields, *order_figures(program)])
    for name in columns:
        if name not in known:
            raise NotFound(f"there is no column '{name}'{nearest(name, known)}")
    return {name: program.label(f"header.{name}") for name in columns if name not in ORDER_COLUMNS}


def _context(program: Program, orders: Orders) -> Context:
    return Context(program, prepare(program, orders, Run()), Run())


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


def line_rows(program: Program, orders: Orders, item: str, open_only: bool) -> Iterator[dict[str, Any]]:
    """A row for each line, of an item if one is named, and of which something is still to come if asked."""
    lifecycle = program.definition.lifecycle
    context = _context(program, orders)
    count = orders.line_count
    names = ("number", "item", "description", "due_date", "unit", "quantity", "delivered", "state")
    columns = {name: _values(context.line_column(f"line.{name}"), count) for name in names}
    parties, party_names = _parties(context, len(orders))
    dates = _values(context.orders.header("date"), len(orders))
    states = [str(state or lifecycle.first) for state in _values(context.orders.header("state"), len(orders))]
    for at, order in enumerate(orders.order_of.tolist()):
        if item and columns["item"][at] != item:
            continue
        wanted, there = columns["quantity"][at], columns["delivered"][at] or Decimal(0)
        known = lifecycle.states.get(states[order])
        ended = known is not None and not known.to
        left = Decimal(0) if ended else open_quantity(wanted, there, columns["state"][at])
        if open_only and not left:
            continue
        row = {name: columns[name][at] for name in names if name not in ("number", "state", "delivered")}
        row |= {
            "order": orders.numbers[order], "line": columns["number"][at], "party": parties[order],
            "name": party_names[order], "date": dates[order], "delivered": there, "open": left,
            "state": columns["state"][at] or "open",
        }  # fmt: skip
        yield {name: row[name] for name in LINE_COLUMNS}


def sorted_rows(
    rows: list[dict[str, Any]], sort: str, columns: Sequence[str], limit: int | None
) -> tuple[Mapping[str, Any], ...]:
    """Rows by a column, highest first with a minus before its name; blanks last."""
    if limit is not None:
        a_count(limit, "limit")
    if a_text(sort, "sort"):
        name = sort.removeprefix("-")
        if name not in columns:
            raise NotFound(f"there is no column '{name}' to sort by{nearest(name, columns)}")
        filled = [row for row in rows if row[name] is not None]
        blank = [row for row in rows if row[name] is None]
        rows = sorted(filled, key=lambda row: row[name], reverse=sort.startswith("-")) + blank
    return tuple(rows if limit is None else rows[:limit])
