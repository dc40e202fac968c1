"""Orders to files: JSON, JSON lines, and tables in the layouts of a rulebook."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from dokima.errors import DocumentError, DokimaError
from dokima.formats.csv_files import csv_of_columns
from dokima.formats.json_lines_files import json_lines
from dokima.formats.layouts import Layout, own_layout
from dokima.formats.order_files import write_documents
from dokima.formats.orders_as_grids import as_text, flat_cells, linked_cells
from dokima.formats.whole_files import whole_file
from dokima.model.order import Order
from dokima.model.orders import Orders
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.program import Run
from dokima.rulebook.book import Rulebook


def write_orders(
    orders: Orders | Sequence[Order | Mapping[str, Any]],
    target: str | Path,
    book: Rulebook | None = None,
    layout: str = "",
) -> list[Path]:
    """Write orders as JSON, as JSON lines, or as a table by a layout; whole or not at all.

    Args:
        orders: The orders: as columns, or one by one as `Order` or as plain documents.
        target: A folder, in which each order becomes a JSON file named after its number (it is made if it is missing);
            or a file: ``X.jsonl`` with one order on each line, ``X.csv`` or ``X.xlsx`` with one row for each line and
            the header repeated, or by a layout of two sheets with headers and lines apart.
        book: The rulebook; a table needs it. Where a field is given on some lines only, the others get what its default
            gives, since an empty cell would say that they are blank.
        layout: Name of one of its layouts, for its headings, marks and codes; Dokima's own headings if blank.

    Returns:
        The files.

    Raises:
        DocumentError: One of the orders could not be read, or is none; nothing is written then.
        NotFound: A number cannot name a file; there is no such layout.
        DokimaError: A table cannot hold all that an order says; two numbers differ in case only; a file cannot be
            written.
    """
    path, orders = Path(target), _one_by_one(orders)
    match path.suffix.lower():
        case ".jsonl":
            with whole_file(path) as beside:
                beside.write_text(json_lines(orders), encoding="utf-8")
        case ".csv" | ".xlsx":
            if book is None:
                raise DokimaError(f"expected a rulebook to write '{path.name}': its fields are the columns")
            _write_table(orders, path, book, layout)
        case _:
            return write_documents(orders, path)
    return [path]


def _one_by_one(orders: Orders | Sequence[Order | Mapping[str, Any]]) -> list[Order]:
    """Orders as objects; of columns each one that was read, unless one was not."""
    if isinstance(orders, Orders):
        if orders.problems:
            raise DocumentError(orders.problems)
        orders = [orders.document(at) for at in range(len(orders))]
    return [each if isinstance(each, Order) else Order.from_dict(each) for each in orders]


def _write_table(orders: Sequence[Order], path: Path, book: Rulebook, name: str) -> None:
    found = book.orders(list(orders))
    if found.problems:
        raise DocumentError(found.problems)
    layout = book.layout(name) if name else own_layout(book.program.fields)
    if layout.files is not None or layout.queries is not None:
        raise DokimaError(f"layout {name} reads several files or a database; a table is written by one of one file")
    found = _with_defaults(found, book, layout)
    if path.suffix.lower() == ".csv":
        if layout.sheets is not None:
            raise DokimaError(f"layout {name} has two sheets, so it is written as .xlsx")
        cells = as_text(flat_cells(found, layout), layout)
        with whole_file(path) as beside:
            text = csv_of_columns(cells, list(cells), raw=True, separator=layout.separator)
            beside.write_text(text, encoding=layout.encoding, newline="")
        return
    from dokima.formats.xlsx_files import write_sheets

    with whole_file(path) as beside:
        write_sheets(beside, _sheets(found, layout))


def _sheets(orders: Orders, layout: Layout) -> dict[str, dict[str, list[object]]]:
    if layout.sheets is None:
        return {layout.sheet or "orders": flat_cells(orders, layout)}
    headers, lines = linked_cells(orders, layout)
    return {layout.sheets.headers: headers, layout.sheets.lines: lines}


def _with_defaults(orders: Orders, book: Rulebook, layout: Layout) -> Orders:
    """The orders, with defaults where a cell would be empty though nobody said that the field is blank."""
    expected = set()  # of our own layout a field that nobody gave has no column
    if layout.name != "own":
        named = (("header", layout.header), ("line", layout.line))
        expected = {(level, name) for level, specs in named for name in specs}
    mixed = {key for key, mask in orders.absent.items() if mask.any() and (key in expected or not mask.all())}
    if not mixed:
        return orders
    filled = prepare(book.program, orders, Run())
    levels = {"header": dict(orders.headers), "line": dict(orders.lines)}
    for level, name in mixed:
        levels[level][name] = filled.header(name) if level == "header" else filled.line(name)
    return orders.with_columns(levels["header"], levels["line"])
