"""Orders as JSON lines: one order on each line of the file, each JSON (RFC 8259) in UTF-8."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from dokima.errors import DocumentError, Problem
from dokima.formats.json_files import dumped
from dokima.formats.regular_files import regular
from dokima.model.order import Order
from dokima.model.parsing import parse_json


def read_documents(path: Path) -> list[Order]:
    """The orders of a file; empty lines are left out.

    Raises:
        DocumentError: There is no such file, or a line is no order; all of them, each with its row.
    """
    try:
        text = regular(path).read_bytes()
    except OSError as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error.strerror}", str(path))]) from None
    orders: list[Order] = []
    problems: list[Problem] = []
    for row, line in enumerate(text.removeprefix(b"\xef\xbb\xbf").split(b"\n"), start=1):
        if not line.strip():
            continue
        try:
            orders.append(Order.from_dict(parse_json(line)))
        except DocumentError as error:
            problems += [replace(problem, file=path.name, row=row) for problem in error.problems]
    if problems:
        raise DocumentError(problems)
    return orders


def json_lines(orders: Iterable[Order]) -> str:
    """Orders as JSON lines; exact numbers are written as text."""
    return "".join(f"{dumped(order.to_dict())}\n" for order in orders)
