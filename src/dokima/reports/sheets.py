"""A report as XLSX: numbers as numbers, formats, a frozen heading, and text that is never a formula."""

from __future__ import annotations

import re
from decimal import Decimal
from pathlib import Path
from textwrap import wrap
from typing import Any

from dokima.formats.whole_files import write_in_one_go
from dokima.model.guarding import STARTS
from dokima.reports.inert import visible
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
        sheet = book.create_sheet(_title(section.heading))
        _sheet(sheet, section, paper, facts=sheet is book.worksheets[0])
    book.properties.title = paper.title
    write_in_one_go(target, book.save)


def _title(heading: str) -> str:
    """A heading as the name of a sheet: 31 characters at most, without the marks that are not allowed."""
    return re.sub(r"[\[\]:*?/\\]", " ", heading)[:31] or "1"


def _sheet(sheet: Any, section: Section, paper: Paper, *, facts: bool) -> None:
    """One section: what the paper is, on the first sheet its facts, then the headings and the rows."""
    from openpyxl.styles import Font
    from openpyxl.worksheet.properties import PageSetupProperties

    about = [paper.title, paper.subtitle, paper.currency, paper.mark.upper()]
    _write(sheet, 1, 1, "   ".join(filter(None, about)))
    sheet.cell(1, 1).font = Font(bold=True, size=13)
    head = _facts(sheet, paper, len(section.columns)) if facts else 3
    _headings(sheet, section, head)
    if facts:
        _labels_fit(sheet, paper)
    for line, row in enumerate(section.rows, start=head + 1):
        for at, (column, value) in enumerate(zip(section.columns, row.values, strict=True), start=1):
            _write(sheet, line, at, value)
            if column.kind != "text" and isinstance(value, Decimal):
                sheet.cell(line, at).number_format = _format(value, signed=column.kind == "variance")
            if row.mark == "total":
                sheet.cell(line, at).font = Font(bold=True)
    sheet.freeze_panes = sheet.cell(head + 1, 1)
    sheet.print_title_rows = f"{head}:{head}"
    sheet.page_setup.orientation = "landscape"
    sheet.page_setup.paperSize = sheet.PAPERSIZE_A4
    sheet.sheet_properties.pageSetUpPr = PageSetupProperties(fitToPage=True)
    sheet.page_setup.fitToHeight = 0  # one page wide, as many as it takes
    sheet.oddFooter.center.text = "&P / &N"
    if paper.watermark:
        sheet.oddHeader.center.text = paper.watermark.upper()


def _facts(sheet: Any, paper: Paper, columns: int) -> int:
    """Headline and facts below the title, each across the sheet; gives the row for the headings below them."""
    from openpyxl.styles import Alignment, Font

    row = 2
    if paper.headline:
        _write(sheet, row, 1, paper.headline)
        sheet.cell(row, 1).font = Font(bold=True)
        row += 1
    for label, value in paper.shown_facts:
        row += 1
        _write(sheet, row, 1, label)
        _write(sheet, row, 2, value)
        sheet.cell(row, 1).font = Font(color="56676F")
        sheet.cell(row, 1).alignment = Alignment(vertical="top")
        sheet.cell(row, 2).alignment = Alignment(wrap_text=True, vertical="top")
        if columns > 2:
            sheet.merge_cells(start_row=row, end_row=row, start_column=2, end_column=columns)
        lines = value.split("\n")
        sheet.row_dimensions[row].height = _LINE * sum(1 + len(line) // 70 for line in lines)
    return row + 2


def _headings(sheet: Any, section: Section, row: int) -> None:
    """The headings, in a row that is as tall as the longest of them needs, over columns as wide as their cells."""
    from openpyxl.styles import Alignment, Font, PatternFill
    from openpyxl.utils import get_column_letter

    tallest = 1
    for at, column in enumerate(section.columns, start=1):
        _write(sheet, row, at, column.full)
        cell = sheet.cell(row, at)
        cell.font = Font(bold=True, color="FFFFFF")
        cell.fill = PatternFill("solid", fgColor="23475B")
        side = "left" if column.kind == "text" else "right"
        cell.alignment = Alignment(horizontal=side, vertical="bottom", wrap_text=True)
        texts = [column.cell(each.values[at - 1]) for each in section.rows if each.mark != "detail"]
        longest = max([len(text) for text in texts] + [len(word) for word in column.full.split()] + [6])
        width = min(longest + 2, 48)
        sheet.column_dimensions[get_column_letter(at)].width = width
        tallest = max(tallest, len(wrap(column.full, width - 2)))
    sheet.row_dimensions[row].height = _LINE * tallest


def _labels_fit(sheet: Any, paper: Paper) -> None:
    """Labels of facts stand in the first column, which is as wide as they are."""
    longest = max((len(label) for label, _ in paper.shown_facts), default=0)
    sheet.column_dimensions["A"].width = max(sheet.column_dimensions["A"].width, longest + 2)


_LINE = 15.0
"""Points that a line of text takes."""


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
        cell.value = visible(str(value))
        cell.data_type = "s"
        cell.quotePrefix = str(value)[:1] in STARTS
