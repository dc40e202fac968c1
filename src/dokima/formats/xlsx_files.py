"""XLSX workbooks (ECMA-376): the first sheet as a grid."""

from __future__ import annotations

from decimal import Decimal
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.grid import Grid, coded


def read_grid(path: Path, separator: str = "", encoding: str = "") -> Grid:  # noqa: ARG001 (formats are asked alike)
    """The first sheet; its first row is the heading, rows without a filled cell are left out.

    A workbook keeps numbers as binary floats, so a number is taken as the shortest decimal that names it: what a person
    typed. A formula counts with the value the workbook was saved with; one without is a problem.
    """
    import openpyxl
    from openpyxl.utils.exceptions import InvalidFileException

    try:
        values = openpyxl.load_workbook(path, read_only=True, data_only=True)
        formulas = openpyxl.load_workbook(path, read_only=True)
    except (OSError, InvalidFileException, BadZipFile, KeyError, ValueError) as error:
        said = getattr(error, "strerror", None) or error
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)]) from None
    rows = [tuple(row) for row in values.worksheets[0].iter_rows(values_only=True)]
    written = [tuple(row) for row in formulas.worksheets[0].iter_rows(values_only=True)]
    headings = [str(cell).strip() if cell is not None else "" for cell in rows[0]] if rows else []
    named = [at for at, heading in enumerate(headings) if heading]
    if not named or len({headings[at] for at in named}) < len(named):
        raise DocumentError([Problem("", "", "", "expected a heading in the first row, each once", path.name, 1)])
    problems: list[Problem] = []
    columns: dict[str, list[Any]] = {headings[at]: [] for at in named}
    numbers: list[int] = []
    for number, (row, formula) in enumerate(zip(rows[1:], written[1:], strict=True), start=2):
        if all(cell is None for cell in formula):
            continue
        empty = [at for at in named if row[at] is None and formula[at] is not None]
        for at in empty:
            message = "expected a formula with a saved value (open the workbook, save it, and try again)"
            problems.append(Problem("", "", headings[at], f"{headings[at]}: {message}", path.name, number))
        if not empty:
            numbers.append(number)
            for at in named:
                columns[headings[at]].append(_cell(row[at]))
    raw = {heading: coded(cells) for heading, cells in columns.items()}
    return Grid(raw, len(numbers), np.array(numbers, np.int64), problems)


def _cell(value: Any) -> Any:
    return Decimal(repr(value)) if isinstance(value, float) else value
