"""JSON of other people: documents in the names of a layout, and rows in the place of documents."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.grid import Grid, coded
from dokima.formats.layouts import Layout, LayoutColumn
from dokima.model.order import Order
from dokima.model.raw import ABSENT, RawColumn


def in_our_words(
    orders: Sequence[Order], layout: Layout, files: Sequence[str] = ()
) -> tuple[list[Order], list[str], list[Problem]]:
    """Orders with the fields that a layout names, the file of each, and the problems of those whose lines are none.

    A name may be a path: ``customer.id`` is the ``id`` of the object ``customer``. What the layout does not name is
    left out, as columns are. An order that has nothing under the name of its number is in Dokima's own words already.

    Args:
        orders: As they were given.
        layout: The layout.
        files: The file of each; empty for what came from Python.
    """
    found: list[Order] = []
    names: list[str] = []
    problems: list[Problem] = []
    for order, file in zip(orders, files or [""] * len(orders), strict=True):
        try:
            found.append(_translated(order, layout))
        except DocumentError as error:
            problems += [replace(problem, file=file) for problem in error.problems]
        else:
            names.append(file)
    return found, names, problems


def rows_of_documents(orders: Sequence[Order], layout: Layout) -> Grid | None:
    """Documents that are rows, one a line with its header repeated, as a grid; None if they are orders.

    Each row has the number of its order, none has lines, and some of what stands in them belongs to lines.

    Args:
        orders: The documents as they were given.
        layout: The layout of rows.
    """
    rows = [order.header for order in orders]
    number = layout.header["number"].heading or "number"
    header, line = (
        [spec.heading or name for name, spec in columns.items()] for columns in (layout.header, layout.line)
    )
    cells = {name: [_at(row, name) for row in rows] for name in dict.fromkeys([*header, *line])}
    there = [name for name in cells if any(cell is not ABSENT for cell in cells[name])]
    has_lines = any(_at(row, layout.lines) is not ABSENT for row in rows)
    if has_lines or ABSENT in cells[number] or set(there).isdisjoint(set(line) - set(header)):
        return None
    columns = {name: _column([None if cell is ABSENT else cell for cell in cells[name]]) for name in there}
    return Grid(columns, len(rows), np.arange(len(rows)) + 1)


def _column(cells: Sequence[Any]) -> RawColumn:
    # A list in a cell is for the reader of the field to refuse, which says where it stands.
    return RawColumn(cells) if any(isinstance(cell, Mapping | list) for cell in cells) else coded(cells)


def _translated(order: Order, layout: Layout) -> Order:
    document = {**order.header, **({"lines": order.rows} if order.lines else {})}
    header = _named(document, layout.header)
    if "number" not in header:
        return order
    lines = _at(document, layout.lines)
    lines = () if lines is ABSENT or lines is None else lines
    if not isinstance(lines, list | tuple):
        message = f"expected a list of lines (got {lines!r:.60})"
        raise DocumentError([Problem(str(header["number"]), "", layout.lines, message)])
    rows = [_named(line, layout.line) if isinstance(line, Mapping) else line for line in lines]
    return Order.from_dict({**header, "lines": rows})


def _named(data: Mapping[str, Any], columns: Mapping[str, LayoutColumn]) -> dict[str, Any]:
    found = {name: _at(data, column.heading or name) for name, column in columns.items()}
    return {name: value for name, value in found.items() if value is not ABSENT}


def _at(data: Mapping[str, Any], path: str) -> Any:
    """What stands under a name, or at the end of a path of names; `ABSENT` for nothing: null is there, and blank."""
    if path in data:
        return data[path]
    head, dot, rest = path.partition(".")
    inner = data.get(head)
    return _at(inner, rest) if dot and isinstance(inner, Mapping) else ABSENT
