"""What each order of a batch reaches of tables: rows that win and lose, breaks, windows, tables without a row."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from dokima.columns.column import value_at
from dokima.columns.dates import Dates
from dokima.columns.texts import Texts
from dokima.exact import stored
from dokima.exact.integers import Integers, Mask
from dokima.formulas import Level
from dokima.formulas.operators import numbers
from dokima.formulas.tree import NAME, Node
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program
from dokima.pricing.running.pricing import Part
from dokima.proving.running_cases import Batch
from dokima.proving.target import Reached, Target
from dokima.proving.usage import read_tables
from dokima.tables.candidates import candidates
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Break, Table

MOST_LINES = 500
"""Lines of a batch whose rows are looked at one by one; more tell nothing new of a table."""
SIDES = ("below", "at", "above")
"""Where a value may be that meets a break."""
ENDS = ("first day", "last day")
"""The ends of a window."""
NO_DAY = 4_000_000
"""Days from 1970 that no calendar has: where a window is open."""


def tables_reached(batch: Batch, part: Part, context: Context, kept: Mask, most: int = MOST_LINES) -> Iterator[Reached]:
    """What the orders of one routine reach of tables.

    Args:
        batch: The orders, priced.
        part: Those of the routine.
        context: Their columns.
        kept: Whether the rows of tables are looked at, one flag for each order of the batch.
        most: The most lines of which they are.
    """
    orders = part.orders[context.order_of]
    for name in may_miss(batch.program):
        by_line = batch.program.tables[name].level is Level.LINE
        yield Target("misses", name), (orders if by_line else part.orders)[context.rows(name) < 0]
    for table in _read(batch.program):
        yield from _together(table, context, orders)
        yield from _edges_met(table, context, orders if table.level is Level.LINE else part.orders)
    yield from _tables(batch, part, context, kept, most)


def may_miss(program: Program) -> list[str]:
    """The tables that formulas read and that may have no row for an order: one without a row is not always an error."""
    return [t.name for t in _read(program) if t.definition.required is not True and t.assemblies is None]


def _read(program: Program) -> list[Table]:
    """The tables that formulas read."""
    read = read_tables(program)
    return [table for name, table in program.tables.items() if name in read]


def edges_of(program: Program) -> dict[str, str]:
    """The first and the last days of rows of tables that are read: by table, column and day, each once.

    Returns:
        For each why no order reaches it, blank if one may: a row asks for a text that another table never gives.
    """
    found: dict[str, str] = {}
    for table in _read(program):
        never = _never_asked(program, table) if table.window is not None else {}
        for column, days in _bounds(table):
            for day in np.unique(days[np.abs(days) < NO_DAY]).tolist():
                rows = np.flatnonzero(days == day).tolist()
                found[_edge(table, column, day)] = never[rows[0]] if all(row in never for row in rows) else ""
    return found


def _never_asked(program: Program, table: Table) -> dict[int, str]:
    """The rows of a table that never fit, and why: they ask for a text that no row of another table gives."""
    found: dict[int, str] = {}
    for name, formula in table.conditions.items():
        cells, asked = table.cells[name], formula.root
        owner, _, column = asked.name.partition(".")
        given = program.tables[owner].columns.get(column) if owner in program.tables else None
        if asked.role != NAME or not isinstance(cells, Texts) or not isinstance(given, Texts):
            continue
        default = program.tables[owner].defaults.get(column)
        if default is not None:
            continue  # a formula may give anything
        known = set(given.to_list())
        for row, cell in enumerate(cells.to_list()):
            if cell is not None and not known & set(cell.split(SEPARATOR)):
                found.setdefault(row, f"no {column.replace('_', ' ')} of table {owner} is {cell!r}")
    return found


def _bounds(table: Table) -> Iterator[tuple[str, Integers]]:
    """The columns of a table's window, each with its days; an open end is a day far beyond the calendar."""
    if table.window is not None:
        days = zip(table.window.names, (table.window.start, table.window.end), strict=True)
        yield from ((column, each) for column, each in days if column)


def _edge(table: Table, column: str, day: int) -> str:
    return f"{table.name} {column} {np.datetime64(day, 'D')}"


def edge_parts(edge: str) -> tuple[str, str, str]:
    """Table, column and day of an edge; a column may have spaces in its name."""
    table, _, rest = edge.partition(" ")
    column, _, day = rest.rpartition(" ")
    return table, column, day


def _edges_met(table: Table, context: Context, orders: Integers) -> Iterator[Reached]:
    """Where a row answered on the first or the last day of its window."""
    if table.window is None:
        return
    rows = context.rows(table.name)
    column = table.window.on.evaluate(context, table.level)
    if not isinstance(column, Dates):
        return  # a blank
    days = column.spread(len(rows)).days
    for name, ends in _bounds(table):
        at_edge = (rows >= 0) & (ends[rows] == days) if table.size else np.zeros(len(rows), bool)
        for day in np.unique(days[at_edge]).tolist():
            yield Target("edges", _edge(table, name, day)), orders[at_edge & (days == day)]


def summed(table: Table) -> list[tuple[Break, Node]]:
    """The breaks of a table that several lines reach together, and what is summed of each line."""
    return [
        (each, each.value.root.operands[each.value.root.roles.index("argument")])
        for each in table.breaks
        if each.value.root.role == "sum" and each.value.root.rows == "" and table.level is Level.LINE
    ]


def _together(table: Table, context: Context, orders: Integers) -> Iterator[Reached]:
    """Where a row answered whose break a line reaches only with others beside it."""
    rows = context.rows(table.name)
    for each, own in summed(table):
        alone = stored(numbers(each.value.part(own, context))).spread(len(rows))
        if own.level is Level.LINE and table.size:
            answered = np.maximum(rows, 0)
            helped = ~each.fits(alone, answered) & ~alone.is_missing() & (rows >= 0)
            yield Target("together", table.name), orders[helped]


def _tables(batch: Batch, part: Part, context: Context, kept: Mask, most: int) -> Iterator[Reached]:
    """The rows of every table that the routine asked."""
    lines = kept[part.orders[context.order_of]]
    for name in dict.fromkeys(name for trace in part.result.trace for name in trace.rows):
        yield from _rows(batch.program.tables[name], context, part.orders, lines, most)


def _rows(table: Table, context: Context, orders: Integers, lines: Mask, most: int) -> Iterator[Reached]:
    """The rows that won, those that lost and by what, and the values that met breaks and windows."""
    rows = context.rows(table.name)
    at_header = table.level is Level.HEADER
    chosen = np.unique(context.order_of[lines]) if at_header else np.flatnonzero(lines)
    order_at = orders if at_header else orders[context.order_of]
    for row in np.unique(rows[chosen][rows[chosen] >= 0]).tolist():
        won = chosen[rows[chosen] == row]
        yield Target("tables", table.name, "won", table.source.row_number(row)), order_at[won]
    if table.definition.is_master:
        return
    met: dict[Target, list[int]] = {}
    for position in chosen[:most].tolist():
        for what, row in _met(table, context, position, int(rows[position])):
            met.setdefault(Target("tables", table.name, what, row), []).append(int(order_at[position]))
    for target, mine in met.items():
        yield target, np.array(mine, np.int64)


def _met(table: Table, context: Context, position: int, winner: int) -> Iterator[tuple[str, int]]:
    """What one line meets of the rows that come near to it, by their numbers."""
    values = [value_at(each.value.evaluate(context, table.level), position) for each in table.breaks]
    day = None if table.window is None else value_at(table.window.on.evaluate(context, table.level), position)
    for each in candidates(table, context, position, winner):
        if each.reason != "won":
            yield each.reason, each.number
        if each.reason == "match":
            continue
        for column, value in zip(table.breaks, values, strict=True):
            least = each.cells.get(column.column)
            if least is not None and value is not None:
                yield SIDES[1] if abs(value) == least else SIDES[2] if abs(value) > least else SIDES[0], each.number
        if table.window is not None:
            for name, end in zip(table.window.names, ENDS, strict=True):
                if name and day is not None and each.cells.get(name) == day:
                    yield end, each.number


def rows_met(batch: Batch) -> Iterator[tuple[str, str, int]]:
    """The rows that orders of a batch have met: the table, what happened to the row, its number."""
    kept = np.ones(batch.orders.count, bool)
    for part in batch.pricing.parts:
        if part.context is not None:
            for target, _ in _tables(batch, part, part.context, kept, MOST_LINES):
                yield target.name, target.what, target.place
