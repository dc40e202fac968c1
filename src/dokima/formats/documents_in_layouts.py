"""JSON of other people: documents in the names of a layout, and rows in the place of documents."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem, listed, nearest
from dokima.formats.grid import Grid, coded
from dokima.formats.layouts import Layout, LayoutColumn
from dokima.model.fields import RECORDS
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

    Raises:
        DocumentError: A name of the layout stands nowhere, and one like it does.
    """
    found: list[Order] = []
    names: list[str] = []
    problems: list[Problem] = []
    theirs: list[Mapping[str, Any]] = []
    for order, file in zip(orders, files or [""] * len(orders), strict=True):
        document = {**order.header, **({"lines": order.rows} if order.lines else {})}
        try:
            translated = _translated(document, layout)
        except DocumentError as error:
            problems += [replace(problem, file=file) for problem in error.problems]
        else:
            found.append(order if translated is None else translated)
            names.append(file)
            if translated is not None:
                theirs.append(document)
    if misspelt := [*_misspelt(theirs, layout)]:
        file = files[0] if len({*files}) == 1 else ""
        raise DocumentError([replace(problem, file=file) for problem in misspelt])
    return found, names, problems


def _misspelt(documents: Sequence[Mapping[str, Any]], layout: Layout) -> Iterator[Problem]:
    """Names of a layout that stand nowhere in documents of its words, although one like it does.

    In JSON a name is often left out where there is nothing to say, so that one by itself may be missing everywhere.
    """
    found = [_at(document, layout.lines) for document in documents]
    if all(lines is ABSENT for lines in found):
        lists = dict.fromkeys(name for each in documents for name, value in each.items() if _holds_rows(value))
        others = listed(name for name in lists if name not in (*RECORDS, *layout.header))
        if others:
            said = f"expected the lines of an order under '{layout.lines}' (nothing is there; rows are under {others})"
            yield Problem("", "", f"layout.{layout.name}.lines", said)
    rows = [row for lines in found if isinstance(lines, list | tuple) for row in lines if isinstance(row, Mapping)]
    for level, columns, data in (("header", layout.header, documents), ("line", layout.line, rows)):
        named = {name: column.heading for name, column in columns.items() if column.heading}
        absent = {name: path for name, path in named.items() if all(_at(each, path) is ABSENT for each in data)}
        known = {path for each in data for path in _paths(each)} if absent else set()
        for name, path in absent.items():
            hint = nearest(path, known - {*named.values()})
            if hint:
                said = f"expected '{path}' in some {level} (it is in none{hint})"
                yield Problem("", "", f"layout.{layout.name}.{level}.{name}", said)


def _holds_rows(value: Any) -> bool:
    return isinstance(value, list | tuple) and bool(value) and all(isinstance(each, Mapping) for each in value)


def _paths(data: Mapping[str, Any]) -> Iterator[str]:
    """The names of an object, and those of the objects in it as paths."""
    for name, value in data.items():
        yield name
        if isinstance(value, Mapping):
            yield from (f"{name}.{inner}" for inner in _paths(value))


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


def _translated(document: Mapping[str, Any], layout: Layout) -> Order | None:
    """A document in our words; None if they are ours already."""
    header = _named(document, layout.header)
    if "number" not in header:
        return None
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
