"""A specification as a Word document (ECMA-376): real headings, tables, and links as contents."""

from __future__ import annotations

import io
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from dokima.formats.whole_files import write_in_one_go
from dokima.reports.extras import needed
from dokima.reports.inert import visible
from dokima.reports.language import _
from dokima.reports.specification.content import Diagram, Grid, Specification, numbered
from dokima.reports.specification.diagram import png_of
from dokima.reports.specification.flow import Line, Style, document_title, flow_of
from dokima.reports.specification.record import NAMESPACE, record_text, texts_of, word_seal

_GREY, _GLASS, _OPEN, _BAD, _GOOD = "56676F", "23475B", "8A6100", "9C3F1B", "3F6B1F"
_LOOKS: Mapping[Style, dict[str, Any]] = {
    "fact": {"color": _GREY}, "verdict": {"bold": True}, "formula": {"mono": True, "color": _GREY, "size": 8.5},
    "label": {"bold": True}, "note": {"italic": True, "serif": True}, "below": {"color": _GREY, "size": 9},
    "case": {"bold": True, "size": 9.5}, "given": {"color": _GREY, "size": 9}, "came": {"size": 9},
    "named": {"size": 9}, "none": {"color": _OPEN, "size": 9.5},
}  # fmt: skip
_WIDTH = 6.3
"""Inches between the margins."""


def write_docx(spec: Specification, target: Path) -> None:
    """Write the specification as a Word document.

    Raises:
        OSError: The file cannot be written.
        DokimaError: python-docx is not installed.
    """
    docx = needed("docx", "specifications as Word documents", "docx")
    document = docx.Document()
    document.core_properties.title = visible(document_title(spec))
    document.core_properties.author = "Dokima"
    _styles(document)
    marks = {number: f"chapter_{number.replace('.', '_')}" for number, _, _ in numbered(spec.chapters)}
    contents = False
    for piece in flow_of(spec):
        if isinstance(piece, Grid):
            _table(document, piece)
        elif isinstance(piece, Diagram):
            document.add_picture(io.BytesIO(png_of(piece)), width=docx.shared.Inches(_WIDTH))
        elif piece.style in ("chapter", "part"):
            if not contents:
                _contents(document, spec, marks)
                contents = True
            _heading(document, piece, marks[piece.number])
        else:
            _paragraph(document, piece)
    _record(document, spec)
    write_in_one_go(target, document.save)


def _record(document: Any, spec: Specification) -> None:
    """The record as a custom XML part, which stays where it is when the document is saved again."""
    from docx.opc.constants import RELATIONSHIP_TYPE
    from docx.opc.part import Part

    text = f'<record xmlns="{NAMESPACE}">{record_text(spec, word_seal(texts_of(document)))}</record>'
    package = document.part.package
    part = Part(package.next_partname("/customXml/item%d.xml"), "application/xml", text.encode(), package)
    document.part.relate_to(part, RELATIONSHIP_TYPE.CUSTOM_XML)


def _styles(document: Any) -> None:
    from docx.shared import Cm, Pt, RGBColor

    document.styles["Normal"].font.name = "Calibri"
    document.styles["Normal"].font.size = Pt(10.5)
    document.styles["Normal"].paragraph_format.space_after = Pt(3)
    for name, size in (("Heading 1", 16), ("Heading 2", 12.5), ("Title", 24)):
        font = document.styles[name].font
        font.name, font.size, font.color.rgb = "Calibri", Pt(size), RGBColor.from_string(_GLASS)
    for section in document.sections:
        section.page_width, section.page_height = Cm(21), Cm(29.7)
        section.left_margin = section.right_margin = Cm(2.5)


def _paragraph(document: Any, line: Line) -> None:
    from docx.shared import Pt, RGBColor

    if line.style == "title":
        document.add_paragraph(visible(line.text), style="Title")
        return
    look = _LOOKS.get(line.style, {})
    paragraph = document.add_paragraph()
    paragraph.paragraph_format.left_indent = Pt(12 * line.depth + (10 if line.is_inner else 0))
    paragraph.paragraph_format.space_after = Pt(0 if line.style in ("case", "given") else 3)
    paragraph.paragraph_format.keep_with_next = line.stays_with_next
    run = paragraph.add_run(visible(line.text))
    run.bold, run.italic = look.get("bold"), look.get("italic")
    run.font.size = Pt(look["size"]) if "size" in look else None
    run.font.name = "Consolas" if look.get("mono") else "Cambria" if look.get("serif") else None
    color = {"unconfirmed": _OPEN, "failed": _BAD, "verified": _GOOD}.get(line.status) or look.get("color")
    if color:
        run.font.color.rgb = RGBColor.from_string(color)
    if line.style == "note":
        _shade(paragraph, "F7F1E3")


def _shade(paragraph: Any, fill: str) -> None:
    from docx.oxml import OxmlElement
    from docx.oxml.ns import qn

    shade = OxmlElement("w:shd")
    for name, value in (("val", "clear"), ("color", "auto"), ("fill", fill)):
        shade.set(qn(f"w:{name}"), value)
    paragraph._p.get_or_add_pPr().append(shade)


def _heading(document: Any, line: Line, mark: str) -> None:
    """A heading with a bookmark, which the contents lead to."""
    from docx.oxml import OxmlElement
    from docx.oxml.ns import qn

    heading = document.add_heading(visible(f"{line.number} {line.text}"), level=1 if line.style == "chapter" else 2)
    place = str(len(document.element.body))
    for kind, at in (("bookmarkStart", 1), ("bookmarkEnd", len(heading._p) + 1)):
        bookmark = OxmlElement(f"w:{kind}")
        bookmark.set(qn("w:id"), place)
        if kind == "bookmarkStart":
            bookmark.set(qn("w:name"), mark)
        heading._p.insert(at, bookmark)


def _contents(document: Any, spec: Specification, marks: Mapping[str, str]) -> None:
    """The chapters as links: they need no update when the document is opened."""
    from docx.oxml import OxmlElement
    from docx.oxml.ns import qn
    from docx.shared import Pt, RGBColor

    document.add_paragraph().add_run(_("Contents")).bold = True
    for number, depth, chapter in numbered(spec.chapters):
        paragraph = document.add_paragraph()
        paragraph.paragraph_format.left_indent = Pt(14 * (depth - 1))
        paragraph.paragraph_format.space_after = Pt(0)
        run = paragraph.add_run(visible(f"{number} {chapter.title}"))
        run.font.color.rgb, run.font.size = RGBColor.from_string(_GLASS), Pt(10.5 if depth == 1 else 9.5)
        link = OxmlElement("w:hyperlink")
        link.set(qn("w:anchor"), marks[number])
        paragraph._p.remove(run._r)
        link.append(run._r)
        paragraph._p.append(link)


def _table(document: Any, grid: Grid) -> None:
    """A table with a line below each row; its headings stand on every page."""
    from docx.oxml import OxmlElement
    from docx.oxml.ns import qn
    from docx.shared import Inches, Pt, RGBColor

    table = document.add_table(rows=1 + len(grid.rows), cols=len(grid.columns))
    table.autofit = False
    borders = OxmlElement("w:tblBorders")
    for side in ("bottom", "insideH"):
        border = OxmlElement(f"w:{side}")
        for name, value in (("val", "single"), ("sz", "4"), ("color", "CFD8DC")):
            border.set(qn(f"w:{name}"), value)
        borders.append(border)
    table._tbl.tblPr.append(borders)
    table.rows[0]._tr.get_or_add_trPr().append(OxmlElement("w:tblHeader"))
    widths = grid.widths(_WIDTH)
    for column, width in zip(table.columns, widths, strict=True):
        column.width = Inches(width)
    for row, texts in zip(table.rows, (grid.columns, *grid.rows), strict=True):
        row._tr.get_or_add_trPr().append(OxmlElement("w:cantSplit"))
        for cell, text, width in zip(row.cells, texts, widths, strict=True):
            cell.width = Inches(width)
            cell.paragraphs[0].paragraph_format.space_after = Pt(0)
            run = cell.paragraphs[0].add_run(visible(text))
            run.font.size, run.bold = Pt(8.5), texts is grid.columns
            if texts is grid.columns:
                run.font.color.rgb = RGBColor.from_string(_GREY)
