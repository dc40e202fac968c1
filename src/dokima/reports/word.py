"""A paper as a Word document (ECMA-376): headings, tables whose heads repeat, the sender on each page."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from dokima.formats.whole_files import write_in_one_go
from dokima.reports.extras import needed
from dokima.reports.paper import Paper, Section

_GLASS, _GREY = "23475B", "56676F"
_WIDE = 7
"""Columns from which on a page lies on its side."""


def write_docx(paper: Paper, target: Path) -> None:
    """Write the report as a Word document, A4.

    Raises:
        OSError: The file cannot be written.
        DokimaError: python-docx is not installed.
    """
    docx = needed("docx", "papers as Word documents", "docx")
    document = docx.Document()
    document.core_properties.title = f"{paper.title} {paper.subtitle}".strip()
    document.core_properties.author = next(iter(paper.letterhead.values()), "Dokima")
    _page(document, paper)
    document.add_paragraph(paper.title, style="Title")
    about = " \u00b7 ".join(filter(None, [paper.subtitle, paper.currency, paper.mark]))
    document.add_paragraph(about)
    if paper.headline:
        document.add_paragraph().add_run(paper.headline).bold = True
    for label, value in paper.shown_facts:
        fact = document.add_paragraph()
        fact.add_run(f"{label}: ").bold = True
        fact.add_run(value)
    for text in paper.opening:
        document.add_paragraph(text)
    for section in paper.sections:
        document.add_heading(section.heading, 2) if section.heading else document.add_paragraph()
        _table(document, section) if section.rows else document.add_paragraph(section.empty)
    document.add_paragraph()
    for text in paper.notes:
        document.add_paragraph(text)
    for side in paper.decision:
        document.add_paragraph().add_run(side.party).bold = True
        if side.choices:
            document.add_paragraph("      ".join(f"\u2610 {choice}" for choice in side.choices))
        for each in side.fields:
            document.add_paragraph(f"{each}: {'.' * 60}")
    write_in_one_go(target, document.save)


def _page(document: Any, paper: Paper) -> None:
    """Size, type, and what stands on each page: who sends it, what it is, and whether it is a draft."""
    from docx.enum.section import WD_ORIENT
    from docx.shared import Cm, Pt, RGBColor

    document.styles["Normal"].font.name = "Calibri"
    document.styles["Normal"].font.size = Pt(10)
    document.styles["Normal"].paragraph_format.space_after = Pt(3)
    for name, size in (("Title", 20), ("Heading 2", 12)):
        font = document.styles[name].font
        font.name, font.size, font.color.rgb = "Calibri", Pt(size), RGBColor.from_string(_GLASS)
    (page,) = document.sections
    page.page_width, page.page_height = Cm(21), Cm(29.7)
    if max(len(section.columns) for section in paper.sections) > _WIDE:
        page.orientation = WD_ORIENT.LANDSCAPE
        page.page_width, page.page_height = page.page_height, page.page_width
    for side in ("left", "right", "top", "bottom"):
        setattr(page, f"{side}_margin", Cm(2))
    head = page.header.paragraphs[0]
    head.add_run(" \u00b7 ".join(paper.letterhead.values())).font.color.rgb = RGBColor.from_string(_GREY)
    if paper.watermark:
        head.add_run(f"   {paper.watermark.upper()}").bold = True
    page.footer.paragraphs[0].text = f"{paper.title} {paper.subtitle}".strip()


def _table(document: Any, section: Section) -> None:
    from docx.enum.table import WD_TABLE_ALIGNMENT
    from docx.enum.text import WD_ALIGN_PARAGRAPH
    from docx.oxml import OxmlElement
    from docx.shared import Pt, RGBColor

    table = document.add_table(rows=1, cols=len(section.columns), style="Table Grid")
    table.autofit = True
    if section.at_right:
        table.alignment = WD_TABLE_ALIGNMENT.RIGHT
    repeated = OxmlElement("w:tblHeader")
    table.rows[0]._tr.get_or_add_trPr().append(repeated)

    def fill(cell: Any, text: str, *, right: bool, bold: bool, color: str = "") -> None:
        paragraph = cell.paragraphs[0]
        run = paragraph.add_run(text)
        run.bold, run.font.size = bold, Pt(9)
        if color:
            run.font.color.rgb = RGBColor.from_string(color)
        if right:
            paragraph.alignment = WD_ALIGN_PARAGRAPH.RIGHT

    for cell, column in zip(table.rows[0].cells, section.columns, strict=True):
        fill(cell, column.full, right=column.kind != "text", bold=True, color=_GREY)
    for row in section.rows:
        for cell, column, value in zip(table.add_row().cells, section.columns, row.values, strict=True):
            fill(cell, column.cell(value), right=column.kind != "text", bold=row.mark == "total")
