"""A sheet of many rows read: ours, which looks for percentages, errors and formulas too, and openpyxl's values alone."""

from __future__ import annotations

import datetime
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from measuring import Case, compared, parser, show
from openpyxl import Workbook, load_workbook

import dokima

BOOK = dokima.Rulebook.from_dict({"rulebook": {"name": "sheets", "currency": "EUR"}})
HEADINGS = ("order", "date", "customer", "line", "item", "quantity", "unit_price")


def workbook(path: Path, rows: int) -> None:
    """A workbook with so many lines, five to an order."""
    book = Workbook(write_only=True)
    sheet = book.create_sheet("orders")
    sheet.append(HEADINGS)
    for at in range(rows):
        order = at // 5
        day = datetime.date(2026, 1, 1) + datetime.timedelta(days=order % 300)
        sheet.append((f"B{order}", day, f"K{order % 300}", at % 5 * 10 + 10, f"A{at % 900}", at % 50 + 0.5, 12.35))
    book.save(path)


def ours(path: Path) -> float:
    """Orders, with all that is wrong with them found."""
    orders = BOOK.orders(path)
    assert not orders.problems
    return float(sum(orders.line("quantity").units.tolist()) / 10 ** orders.line("quantity").places)  # type: ignore[union-attr]


def theirs(path: Path) -> float:
    """The values of every cell, and nothing else done with them."""
    rows = load_workbook(path, read_only=True, data_only=True).worksheets[0].iter_rows(min_row=2, values_only=True)
    return float(sum(row[5] for row in rows))  # type: ignore[misc]


def cases(given: Any) -> Iterator[Case]:
    """Two hundred thousand rows, five to an order."""
    rows = min(given.lines, 200_000)
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "orders.xlsx"
        workbook(path, rows)
        sides = {"orders by Dokima": lambda: ours(path), "values by openpyxl": lambda: theirs(path)}
        yield compared(f"{rows:,} rows of a workbook", sides, runs=min(given.runs, 3), once=("values by openpyxl",))


if __name__ == "__main__":
    asked = parser(__doc__).parse_args()
    show(cases(asked), asked)
