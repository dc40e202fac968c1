"""XLSX and Parquet files as grids, beside CSV."""

from __future__ import annotations

from decimal import Decimal
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.delimited import Grid, read_delimited
from dokima.model.raw import RawColumn

SUFFIXES = (".csv", ".xlsx", ".parquet")
"""Files a table may come from."""


def read_grid(path: Path, separator: str = ",", encoding: str = "utf-8") -> Grid:
    """Read a file by its ending: CSV, XLSX (its first sheet) or Parquet.

    Raises:
        DocumentError: It cannot be read, or has another ending.
    """
    match path.suffix.lower():
        case ".csv":
            return read_delimited(path, separator, encoding)
        case ".xlsx":
            return _read_xlsx(path)
        case ".parquet":
            return _read_parquet(path)
    message = f"expected a file that ends in {', '.join(SUFFIXES)} (got '{path.name}')"
    raise DocumentError([Problem("", "", "", message, path.name)])


def _unreadable(path: Path, error: object) -> DocumentError:
    return DocumentError([Problem("", "", "", f"cannot be read: {error}", path.name)])


def _read_xlsx(path: Path) -> Grid:
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
        raise _unreadable(path, getattr(error, "strerror", None) or error) from None
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
    raw = {heading: RawColumn(cells) for heading, cells in columns.items()}
    return Grid(raw, len(numbers), np.array(numbers, np.int64), problems)


def _cell(value: Any) -> Any:
    return Decimal(repr(value)) if isinstance(value, float) else value


def _read_parquet(path: Path) -> Grid:
    """All columns; decimals and whole numbers stay exact, dates stay dates."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        table = parquet.read_table(path)
    except (OSError, pa.ArrowInvalid) as error:
        raise _unreadable(path, getattr(error, "strerror", None) or error) from None
    columns: dict[str, RawColumn] = {}
    for name in table.column_names:
        column = table.column(name)
        if pa.types.is_dictionary(column.type):
            column = column.cast(column.type.value_type)
        encoded = column.dictionary_encode().combine_chunks()
        if isinstance(encoded, pa.ChunkedArray):
            columns[name] = RawColumn([])
            continue
        codes = np.asarray(encoded.indices.fill_null(-1)).astype(np.int64)
        columns[name] = RawColumn(encoded.dictionary.to_pylist(), codes)
    return Grid(columns, table.num_rows, np.arange(table.num_rows) + 2)
