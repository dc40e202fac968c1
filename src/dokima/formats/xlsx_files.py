"""XLSX workbooks (ECMA-376): sheets as grids, and tables of cells as sheets."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from decimal import Decimal
from pathlib import Path
from typing import Any
from zipfile import BadZipFile

import numpy as np

from dokima.errors import DocumentError, DokimaError, Problem, nearest
from dokima.formats.grid import Grid, check_headings, coded
from dokima.formats.regular_files import regular
from dokima.formats.whole_files import write_in_one_go
from dokima.formats.xlsx_guard import refuse_harmful
from dokima.formats.xlsx_marks import SheetMarks, sheet_marks
from dokima.model.values import PLAIN_MARKS, Marks


def read_grid(path: Path, marks: Marks = PLAIN_MARKS) -> Grid:
    """A sheet; it ends where only rows without a filled cell follow, which count in a table and not among orders.

    A workbook keeps numbers as binary floats, so a number is taken as the shortest decimal that names it: what a person
    typed. A cell that shows a percentage counts as what it shows: 5 % is 5. A formula counts with the value the
    workbook was saved with; one without, and one that ended in an error, is a problem. A merged cell says the same in
    all rows that it spans.

    Args:
        path: The workbook.
        marks: Which sheet, and in which row its headings stand.

    Raises:
        DocumentError: It cannot be read, has no such sheet, or no headings in that row.
    """
    name, cells, merged = _sheet(path, marks.sheet)
    said = sheet_marks(path, name)
    where = path.name if not marks.sheet else f"{path.name} [{name}]"
    _fill_down(cells, merged)
    headings = _headings(cells, marks.heading_row, where)
    problems: list[Problem] = []
    marked = {row for row, _ in said.errors | said.unsaved}
    numbers: list[int] = []
    for number, row in enumerate(cells[marks.heading_row :], start=marks.heading_row + 1):
        if number in marked:
            problems += _wrong_cells(row, number, headings, said, where)
        if marks.empty_rows_count or number in marked or any(cell != "" for cell in row):
            numbers.append(number)
    filled = [number for number in numbers if number in marked or any(cell != "" for cell in cells[number - 1])]
    numbers = [number for number in numbers if filled and number <= filled[-1]]
    raw = {heading: coded(_column(cells, at, numbers, said)) for at, heading in headings.items()}
    letters = {heading: column_letters(at) for at, heading in headings.items()}
    return Grid(raw, len(numbers), np.array(numbers, np.int64), problems, letters)


def sheet_names(path: Path) -> list[str]:
    """The names of the sheets of a workbook.

    Raises:
        DocumentError: It cannot be read.
    """
    return list(_opened(path).sheet_names)


def read_cells(path: Path, sheet: str = "") -> list[list[Any]]:
    """The cells of a sheet as they stand there, row by row from the first, an empty one as None.

    Raises:
        DocumentError: It cannot be read, or has no such sheet.
    """
    name, cells, merged = _sheet(path, sheet)
    said = sheet_marks(path, name)
    _fill_down(cells, merged)
    return [
        [_cell(cell, is_percent=(number, at) in said.percents) for at, cell in enumerate(row)]
        for number, row in enumerate(cells, start=1)
    ]


def _opened(path: Path) -> Any:
    from python_calamine import CalamineError, CalamineWorkbook

    try:
        regular(path)
        refuse_harmful(path)
        return CalamineWorkbook.from_path(path)
    except (OSError, CalamineError, BadZipFile) as error:
        said = getattr(error, "strerror", None) or error
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)]) from None


def _sheet(path: Path, wanted: str) -> tuple[str, list[list[Any]], Sequence[Any]]:
    """Name, cells and merged ranges of a sheet: the first one, or the one that is named."""
    book = _opened(path)
    names = list(book.sheet_names)
    if not names or (wanted and wanted not in names):
        message = f"there is no sheet '{wanted}'{nearest(wanted, names)}"
        raise DocumentError([Problem("", "", "", message, path.name)])
    from python_calamine import CalamineError

    name = wanted or names[0]
    try:
        sheet = book.get_sheet_by_name(name)
        return name, sheet.to_python(skip_empty_area=False), sheet.merged_cell_ranges or ()
    except CalamineError as error:
        raise DocumentError([Problem("", "", "", f"sheet '{name}' cannot be read: {error}", path.name)]) from None


def _fill_down(cells: list[list[Any]], merged: Sequence[Any]) -> None:
    """Give every row that a merged cell spans the value of its first."""
    for (top, left), (bottom, _right) in merged:
        for row in range(top + 1, min(bottom + 1, len(cells))):
            if left < len(cells[row]):
                cells[row][left] = cells[top][left]


def _headings(cells: Sequence[Sequence[Any]], row: int, where: str) -> dict[int, str]:
    """The headings by the place of their column."""
    found = {at: str(cell).strip() for at, cell in enumerate(cells[row - 1]) if cell != ""} if len(cells) >= row else {}
    found = {at: heading for at, heading in found.items() if heading}
    widths = [sum(cell != "" for cell in other) for other in cells[:20]]
    widest = max(widths, default=0)
    at = widths.index(widest) + 1 if widest > 1 else 0
    hint = f"; row {at} may hold them: heading_row = {at}" if at else ""
    if not found or (len(found) == 1 and widest > 2):
        only = f"it holds only '{next(iter(found.values()))}'" if found else "the row is empty"
        message = f"expected headings in row {row} ({only}{hint})"
        raise DocumentError([Problem("", "", "", message, where, row)])
    check_headings([*found.values()], where, row, [column_letters(at) for at in found])
    return found


def _wrong_cells(
    row: Sequence[Any], number: int, headings: Mapping[int, str], said: SheetMarks, where: str
) -> Iterator[Problem]:
    for at, heading in headings.items():
        cell = f"{column_letters(at)}{number}"
        if (number, at) in said.errors:
            message = f"expected a value (the cell says {row[at] or 'an error'})"
            yield Problem("", "", heading, message, where, number, cell)
        elif (number, at) in said.unsaved:
            message = "expected a formula with a saved value (open the workbook, save it, and try again)"
            yield Problem("", "", heading, message, where, number, cell)


def column_letters(at: int) -> str:
    """The letters of a column, counted from 0: A, B ... Z, AA."""
    from openpyxl.utils import get_column_letter

    return get_column_letter(at + 1)


def _column(cells: Sequence[Sequence[Any]], at: int, numbers: Sequence[int], said: SheetMarks) -> list[Any]:
    found = [_cell(cells[number - 1][at], is_percent=False) for number in numbers]
    percents = {row for row, column in said.percents if column == at}
    for place, number in enumerate(numbers if percents else ()):
        if number in percents:
            found[place] = _cell(cells[number - 1][at], is_percent=True)
    return found


def _cell(value: Any, *, is_percent: bool) -> Any:
    if isinstance(value, float):
        if is_percent:
            return Decimal(repr(value)).scaleb(2)
        return int(value) if value.is_integer() and abs(value) < 2**53 else Decimal(repr(value))
    return None if value == "" else value


def write_sheets(path: Path, sheets: Mapping[str, Mapping[str, Sequence[Any]]]) -> None:
    """Write tables as the sheets of a workbook: the heading in the first row, texts as texts, numbers as numbers.

    Args:
        path: The file.
        sheets: Columns by heading, by the name of their sheet; a blank is None.

    Raises:
        DokimaError: A number has more than the 15 digits that a workbook keeps.
    """
    from openpyxl import Workbook

    # What cannot be written is found before a sheet is begun.
    for columns in sheets.values():
        for heading, values in columns.items():
            for value in (heading, *values):
                _refuse(value, heading)
    book = Workbook(write_only=True)
    for name, columns in sheets.items():
        sheet = book.create_sheet(name)
        sheet.freeze_panes = "A2"
        sheet.append([_written(sheet, heading) for heading in columns])
        for row in zip(*columns.values(), strict=True):
            sheet.append([_written(sheet, value) for value in row])
    write_in_one_go(path, book.save)


def _refuse(value: Any, heading: str) -> None:
    """Refuse what a workbook would change or cannot hold."""
    from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE

    if isinstance(value, Decimal | int) and not isinstance(value, bool):
        if len(Decimal(value).normalize().as_tuple().digits) > _DIGITS:
            raise DokimaError(f"{heading}: a workbook keeps {_DIGITS} digits, and {value} has more")
    elif isinstance(value, str) and ILLEGAL_CHARACTERS_RE.search(value):
        raise DokimaError(f"{heading}: a workbook cannot hold the control characters of {value!r}")


def _written(sheet: Any, value: Any) -> Any:
    """A cell as openpyxl writes it; a text is one whatever it begins with."""
    from openpyxl.cell import WriteOnlyCell

    if not isinstance(value, str):
        return value
    cell = WriteOnlyCell(sheet, value)
    cell.data_type = "s"  # and not a formula
    return cell


_DIGITS = 15
"""Significant digits that a binary float always keeps (IEEE 754 double precision), which is what a workbook has."""
