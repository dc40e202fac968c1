"""Orders as tables of cells, by a layout: what `orders_of_grids` reads back."""

from __future__ import annotations

import datetime
from collections.abc import Mapping, Sequence
from decimal import Decimal
from typing import Any, Literal

from dokima.columns.column import values_of
from dokima.columns.shown import shown
from dokima.errors import DokimaError, listed
from dokima.formats.layouts import Layout, LayoutColumn
from dokima.model.fields import DRAWN
from dokima.model.orders import Orders

Level = Literal["header", "line"]


def flat_cells(orders: Orders, layout: Layout) -> dict[str, list[Any]]:
    """One row a line, the header repeated, by heading.

    Args:
        orders: The orders; each has a line.
        layout: Its headings and codes.

    Raises:
        DokimaError: Something of an order has no column, or an order has no line to stand on.
    """
    _refuse_what_is_lost(orders, layout)
    empty = sorted(set(range(len(orders))) - set(orders.order_of.tolist()))
    if empty:
        raise DokimaError(f"{orders.numbers[empty[0]]} has no lines, so a table of lines cannot hold it; write JSON")
    cells = _cells(orders, layout, "header")
    repeated = {heading: [column[at] for at in orders.order_of.tolist()] for heading, column in cells.items()}
    return {**repeated, **_cells(orders, layout, "line")}


def linked_cells(orders: Orders, layout: Layout) -> tuple[dict[str, list[Any]], dict[str, list[Any]]]:
    """Headers and lines apart, lines with the number of their order under the layout's link.

    Raises:
        DokimaError: Something of an order has no column.
    """
    _refuse_what_is_lost(orders, layout)
    numbers = orders.numbers
    link = {layout.link: [numbers[at] for at in orders.order_of.tolist()]}
    return _cells(orders, layout, "header"), {**link, **_cells(orders, layout, "line")}


def as_text(columns: Mapping[str, Sequence[Any]], layout: Layout) -> dict[str, list[str | None]]:
    """Cells as texts in the marks of a layout, as a text file holds them."""
    return {heading: [_text(value, layout) for value in cells] for heading, cells in columns.items()}


def _cells(orders: Orders, layout: Layout, level: Level) -> dict[str, list[Any]]:
    """The fields of a level that somebody gave, by heading, in the codes of the layout."""
    specs = layout.header if level == "header" else layout.line
    given = orders.headers if level == "header" else orders.lines
    found: dict[str, list[Any]] = {}
    for name, spec in specs.items():
        # Of a layout of somebody else's all columns are expected; of our own only what is there.
        if name in given:
            column = list(values_of(given[name]))
        elif layout.name != "own":
            column = [None] * (len(orders) if level == "header" else orders.line_count)
        else:
            continue
        if layout.name == "own" and name != "number" and all(value is None for value in column):
            continue
        if spec.pattern:
            raise DokimaError(f"layout {layout.name} reads {level}.{name} as a part of its cells; write JSON")
        if level == "line" and name == "number":
            column = [each.replace("/", layout.levels) for each in column]
        found[spec.heading or name] = _coded(column, spec)
    return found


def _coded(values: list[Any], spec: LayoutColumn) -> list[Any]:
    back = {meant: written for written, meant in spec.codes.items()}
    if not back:
        return values
    # A flag is written in a file's own words; true and false are those of the rulebook.
    words = [shown(value) if isinstance(value, bool) else value for value in values]
    return [
        back.get(word, value) if isinstance(word, str) else value for word, value in zip(words, values, strict=True)
    ]


def _refuse_what_is_lost(orders: Orders, layout: Layout) -> None:
    """A table holds fields; nothing of an order may be lost because it is none, or has no column."""
    for at, number in enumerate(orders.numbers):
        kept = [name for name, records in orders.records.items() if records[at]]
        if kept:
            raise DokimaError(f"{number} keeps {listed(kept)}, which a table of lines cannot hold; write JSON")
    for level, given, specs in (("header", orders.headers, layout.header), ("line", orders.lines, layout.line)):
        for name in given:
            if name in specs or name == DRAWN:  # marks: without them comparing decides what is drawn
                continue
            if any(value is not None for value in values_of(given[name])):
                raise DokimaError(f"no column of layout {layout.name} holds {level}.{name}; write JSON")


def _text(value: Any, layout: Layout) -> str | None:
    if value is None:
        return None
    if isinstance(value, datetime.date):
        return value.strftime(next(iter(layout.dates), "") or "%Y-%m-%d")
    if isinstance(value, bool) or not isinstance(value, Decimal | int):
        return shown(value) if not isinstance(value, bool) else str(value).lower()
    return shown(value).replace(".", layout.decimal)
