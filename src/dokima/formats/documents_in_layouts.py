"""JSON documents of other people: the names of a layout in the place of Dokima's own."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import replace
from typing import Any

from dokima.errors import DocumentError, Problem
from dokima.formats.layouts import Layout, LayoutColumn
from dokima.model.order import Order
from dokima.model.raw import ABSENT


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
