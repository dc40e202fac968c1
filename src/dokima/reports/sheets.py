"""A report as XLSX: numbers as numbers, formats, a frozen heading, and text that is never a formula."""

from __future__ import annotations

import re
from decimal import Decimal
from pathlib import Path
from typing import Any

from dokima.reports.paper import Paper, Section


def write_xlsx(paper: Paper, target: Path) -> None:
    """Write the report as a workbook, one sheet a section.

    Raises:
        OSError: The file cannot be written.
    """
    from openpyxl import Workbook

    book = Workbook()
    book.remove(book.worksheets[0])
    for section in paper.sections:
        _sheet(book.create_sheet(_title(section.heading)), section, paper)
    first = book.worksheets[0]
    for at, (label, value) in enumerate(paper.shown_facts, start=first.max_row + 2):
        _write(first, at, 1, label)
        _write(first, at, 2, value)
    book.properties.title = paper.title
    book.save(target)


def _title(heading: str) -> str:
    """A heading as the name of a sheet: 31 characters at most, without the marks that are not allowed."""
    return re.sub(r"[\[\]:*?/\\]", " ", heading)[:31] or "1"


def _sheet(sheet: Any, section: Section, paper: Paper) -> None:
    from openpyxl.styles import Alignment, Font, PatternFill
    from openpyxl.utils import get_column_letter
    from openpyxl.worksheet.properties import PageSetupProperties

    _write(sheet, 1, 1, f"{paper.title} {paper.subtitle} {paper.currency}".strip())
    sheet.cell(1, 1).font = Font(bold=True, size=13)
    for at, column in enumerate(section.columns, start=1):
        _write(sheet, 3, at, column.heading)
        cell = sheet.cell(3, at)
        cell.font = Font(bold=True, color="FFFFFF")
        cell.fill = PatternFill("solid", fgColor="23475B")
        cell.alignment = Alignment(horizontal="left" if column.kind == "text" else "right", wrap_text=True)
        texts = [column.cell(row.values[at - 1]) for row in section.rows]
        longest = max([len(text) for text in texts] + [len(word) for word in column.heading.split()] + [6])
        sheet.column_dimensions[get_column_letter(at)].width = min(longest + 2, 48)
    for line, row in enumerate(section.rows, start=4):
        for at, (column, value) in enumerate(zip(section.columns, row.values, strict=True), start=1):
            _write(sheet, line, at, value)
            if column.kind != "text" and isinstance(value, Decimal):
                sheet.cell(line, at).number_format = _format(value, signed=column.kind == "variance")
            if row.mark == "total":
                sheet.cell(line, at).font = Font(bold=True)
    sheet.freeze_panes = "A4"
    sheet.print_title_rows = "3:3"
    sheet.page_setup.orientation = "landscape"
    sheet.sheet_properties.pageSetUpPr = PageSetupProperties(fitToPage=True)
    sheet.page_setup.fitToHeight = 0  # one page wide, as many as it takes


def _format(value: Decimal, *, signed: bool) -> str:
    """A number format with the number's own places."""
    places = max(0, -int(value.as_tuple().exponent))
    plain = f"#,##0.{'0' * places}" if places else "#,##0"
    return f"+{plain};-{plain};{plain}" if signed else plain


def _write(sheet: Any, row: int, column: int, value: Any) -> None:
    """A number as a number; all else as text, whatever it begins with."""
    cell = sheet.cell(row, column)
    if isinstance(value, Decimal):
        cell.value = value
    elif value is not None and value != "":
        cell.value = str(value)
        cell.data_type = "s"
        cell.quotePrefix = str(value)[:1] in "=+-@"
