"""A specification as PDF: bookmarks, page numbers, table heads on every page."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from dokima.reports.extras import needed
from dokima.reports.inert import visible
from dokima.reports.language import _, language
from dokima.reports.paper import Paper
from dokima.reports.pdf import BOLD, FONT, GLASS, GREY, INK, LINE, MARGIN, fonts, in_font, numbered_pages, written
from dokima.reports.specification.content import Diagram, Grid, Specification
from dokima.reports.specification.diagram import ORDER, ends
from dokima.reports.specification.flow import Line, document_title, flow_of
from dokima.reports.specification.record import NAMESPACE, record_text, sealed

_OPEN, _BAD, _GOOD, _NOTE = "#8a6100", "#9c3f1b", "#3f6b1f", "#f7f1e3"
_SIZES: Mapping[str, tuple[str, float, str]] = {
    "title": (BOLD, 20, INK), "fact": (FONT, 9, GREY), "verdict": (BOLD, 10, INK), "chapter": (BOLD, 14, GLASS),
    "part": (BOLD, 10.5, INK), "said": (FONT, 9, INK), "formula": (FONT, 7.5, GREY), "label": (BOLD, 9, INK),
    "note": (FONT, 9, INK), "below": (FONT, 7.5, GREY), "case": (BOLD, 8, _GOOD), "given": (FONT, 8, GREY),
    "came": (FONT, 8, INK), "named": (FONT, 8, _GOOD), "none": (FONT, 8.5, _OPEN),
}  # fmt: skip
"""Font, size and ink of each kind of paragraph."""


def write_pdf(spec: Specification, target: Path) -> None:
    """Write the specification as PDF, A4.

    Raises:
        OSError: The file cannot be written.
        DokimaError: ReportLab is not installed.
    """
    needed("reportlab", "specifications as PDF", "pdf")
    from reportlab.lib.pagesizes import A4
    from reportlab.platypus import Paragraph, SimpleDocTemplate

    fonts()
    width = A4[0] - 2 * MARGIN - 12
    flow: list[Any] = []
    for piece in flow_of(spec):
        if isinstance(piece, Grid):
            flow.append(_table(piece, width))
        elif isinstance(piece, Diagram):
            flow.append(_drawing(piece, width))
        else:
            number = f"{piece.number} " if piece.number else ""
            text = written(visible(f"{number}{piece.text}"))
            if piece.style in ("chapter", "part"):
                flow.append(_bookmark(f"{number}{piece.text}", 0 if piece.style == "chapter" else 1))
            flow.append(Paragraph(text, _style(piece)))
    document = SimpleDocTemplate(
        str(target), pagesize=A4, title=document_title(spec), author="Dokima", lang=language(),
        leftMargin=MARGIN, rightMargin=MARGIN, topMargin=60, bottomMargin=52, invariant=1,
    )  # fmt: skip
    paper = Paper(document_title(spec), "", {}, [], "", 0, page_words=(_("Page"), _("of")))
    document.build(flow, canvasmaker=_with_record(numbered_pages(paper, A4), record_text(spec)))
    target.write_bytes(sealed(target.read_bytes()))


def _with_record(canvas: Any, record: str) -> Any:
    """A canvas that puts the record into the metadata of the file (ISO 16684-1), readable without a reader of PDF."""
    from reportlab.pdfbase.pdfdoc import PDFDictionary, PDFName, PDFStream

    packet = (
        '<?xpacket begin="" id="W5M0MpCehiHzreSzNTczkc9d"?><x:xmpmeta xmlns:x="adobe:ns:meta/">'
        '<rdf:RDF xmlns:rdf="http://www.w3.org/1999/02/22-rdf-syntax-ns#">'
        f'<rdf:Description rdf:about="" xmlns:s="{NAMESPACE}"><s:record>{record}</s:record></rdf:Description>'
        '</rdf:RDF></x:xmpmeta><?xpacket end="r"?>'
    )

    class Recorded(canvas):  # type: ignore[misc]
        def save(self) -> None:
            kind = PDFDictionary({"Type": PDFName("Metadata"), "Subtype": PDFName("XML")})
            self._doc.Catalog.Metadata = PDFStream(kind, packet, filters=[])
            super().save()

    return Recorded


def _style(line: Line) -> Any:
    from reportlab.lib.styles import ParagraphStyle

    font, size, ink = _SIZES[line.style]
    ink = {"unconfirmed": _OPEN, "failed": _BAD}.get(line.status, ink)
    above = {"chapter": 20, "part": 12, "label": 7, "case": 4, "note": 5}.get(line.style, 1)
    indent = 12 * line.depth + (10 if line.is_inner else 0)
    back = {"backColor": _NOTE, "borderPadding": 3, "spaceAfter": 6} if line.style == "note" else {}
    return ParagraphStyle(
        line.style, fontName=font, fontSize=size, leading=size * 1.35, textColor=ink, leftIndent=indent,
        spaceBefore=above, keepWithNext=line.stays_with_next, **back,
    )  # fmt: skip


def _bookmark(title: str, level: int) -> Any:
    """What puts a heading among the bookmarks of the file; it takes no room."""
    from reportlab.platypus import Flowable

    class Bookmark(Flowable):  # type: ignore[misc]
        width = height = 0

        def draw(self) -> None:
            key = f"{level}:{title}"
            self.canv.bookmarkPage(key)
            self.canv.addOutlineEntry(title, key, level, closed=level == 0)

    bookmark = Bookmark()
    bookmark.keepWithNext = True
    return bookmark


def _table(grid: Grid, width: float) -> Any:
    from reportlab.lib.styles import ParagraphStyle
    from reportlab.platypus import LongTable, Paragraph

    cell = ParagraphStyle("cell", fontName=FONT, fontSize=7.5, leading=9.5, textColor=INK)
    head = ParagraphStyle("head", parent=cell, textColor=GREY)
    rows = [[Paragraph(written(visible(text)), head) for text in grid.columns]]
    rows += [[Paragraph(written(visible(text)), cell) for text in row] for row in grid.rows]
    look = [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        *[("LINEBELOW", (0, 0), (-1, row), *look) for row, look in ((-1, (0.4, LINE)), (0, (1, GLASS)))],
        *[(f"{side}PADDING", (0, 0), (-1, -1), 2) for side in ("LEFT", "RIGHT", "TOP", "BOTTOM")],
    ]  # fmt: skip
    return LongTable(
        rows, colWidths=grid.widths(width), repeatRows=1, style=look, hAlign="LEFT", spaceBefore=4, spaceAfter=2
    )


def _drawing(diagram: Diagram, width: float) -> Any:
    """The diagram, as wide as the page at most."""
    from reportlab.graphics.shapes import Drawing, Group, Line, Rect, String

    scale = min(1.0, width / diagram.width)
    marks = Group(transform=(scale, 0, 0, -scale, 0, diagram.height * scale))
    drawing = Drawing(diagram.width * scale, diagram.height * scale)
    at = {box.name: box for box in diagram.boxes}
    for source, target in diagram.arrows:
        (x1, y1), (x2, y2) = ends(at[source], at[target])
        marks.add(Line(x1, y1, x2, y2, strokeColor=_color("#9fb0b8"), strokeWidth=0.8))
    for box in diagram.boxes:
        fill = GLASS if box.name in ORDER else "#ffffff"
        marks.add(Rect(box.x, box.y, box.width, box.height, 4, 4, fillColor=_color(fill), strokeColor=_color(GLASS)))
    drawing.add(marks)
    for box in diagram.boxes:
        ink = ("#ffffff", "#cfe0e8") if box.name in ORDER else (INK, GREY)
        texts = ((visible(box.title), BOLD, 10, ink[0], 16), (visible(box.detail), FONT, 8.5, ink[1], 31))
        for text, font, size, color, down in texts:
            x, y = (box.x + 8) * scale, (diagram.height - box.y - down) * scale
            drawing.add(String(x, y, in_font(text), fontName=font, fontSize=size * scale, fillColor=_color(color)))
    return drawing


def _color(text: str) -> Any:
    from reportlab.lib.colors import HexColor

    return HexColor(text)
