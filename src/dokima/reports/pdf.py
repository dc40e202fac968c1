"""A report as PDF: page numbers, table heads on every page, texts wrapped, a font for Latin, Greek and Cyrillic."""

from __future__ import annotations

from pathlib import Path
from typing import Any
from xml.sax.saxutils import escape

from dokima.reports.extras import needed
from dokima.reports.paper import Paper, Section

FONT, BOLD = "DejaVuSans", "DejaVuSans-Bold"
INK, GLASS, LINE, GREY = "#1d2a30", "#23475b", "#cfd8dc", "#56676f"
REPLACEMENT = "\ufffd"
MARGIN = 48
"""Points."""
_NEAR = 90
"""Points by which a text column of a table without long texts is wider than its texts."""


def write_pdf(paper: Paper, target: Path) -> None:
    """Write the report as PDF, A4.

    Raises:
        OSError: The file cannot be written.
        DokimaError: ReportLab is not installed.
    """
    needed("reportlab", "reports as PDF", "pdf")
    from reportlab.lib.pagesizes import A4, landscape
    from reportlab.platypus import KeepTogether, Paragraph, SimpleDocTemplate, Spacer

    fonts()
    styles = _styles()
    wide = max(len(section.columns) for section in paper.sections) > 7
    size = landscape(A4) if wide else A4
    width = size[0] - 2 * MARGIN - 12  # the frame keeps 6 points on either side
    mark = f'  <font size="9" color="{GLASS}">{written(paper.mark.upper())}</font>' if paper.mark else ""
    flow: list[Any] = [Paragraph(written(paper.title) + mark, styles["title"])]
    subtitle = " · ".join(filter(None, [paper.subtitle, paper.currency]))
    flow.append(Paragraph(written(subtitle), styles["plain"]))
    if paper.headline:
        flow.append(Paragraph(written(paper.headline), styles["headline"]))
    if paper.shown_facts:
        flow.append(_facts(paper, width, styles))
    flow += [_text(each, styles) for each in paper.opening]
    for section in paper.sections:
        if section.at_right and section.rows:  # sums that fit on a page are on one
            flow.append(KeepTogether([Spacer(1, 14), _table(section, width, styles)]))
            continue
        flow.append(Spacer(1, 14))
        flow += [Paragraph(written(section.heading), styles["heading"])] if section.heading else []
        if section.rows:
            flow.append(_table(section, width, styles))
        else:
            flow.append(Paragraph(written(section.empty), styles["plain"]))
    flow += [_text(each, styles) for each in paper.notes]
    if paper.decision:
        # What is decided stands above it, so that it says by itself what is signed where it has a page of its own.
        said = f"{paper.title}. {paper.headline}" if paper.headline else paper.title
        signed = [Spacer(1, 14), Paragraph(written(said), styles["headline"]), _decision(paper, width, styles)]
        flow.append(KeepTogether(signed))
    document = SimpleDocTemplate(
        str(target), pagesize=size, title=paper.title, author=next(iter(paper.letterhead.values()), "Dokima"),
        lang=paper.language, leftMargin=MARGIN, rightMargin=MARGIN, topMargin=72, bottomMargin=52, invariant=1,
    )  # fmt: skip
    document.build(flow, canvasmaker=numbered_pages(paper, size))


def _text(text: str, styles: dict[str, Any]) -> Any:
    """A text above or below the tables."""
    from reportlab.platypus import Paragraph

    return Paragraph(written(text).replace("\n", "<br/>"), styles["text"])


def fonts() -> None:
    """The font that Matplotlib ships covers Latin, Greek and Cyrillic."""
    get_data_path = needed("matplotlib", "reports as PDF", "pdf").get_data_path
    from reportlab.pdfbase import pdfmetrics
    from reportlab.pdfbase.ttfonts import TTFont

    folder = Path(get_data_path()) / "fonts" / "ttf"
    for name in (FONT, BOLD):
        pdfmetrics.registerFont(TTFont(name, str(folder / f"{name}.ttf")))


def in_font(text: str) -> str:
    """A text with the replacement character of Unicode where the font has none: an empty glyph would hide it."""
    from reportlab.pdfbase import pdfmetrics

    glyphs = pdfmetrics.getFont(FONT).face.charToGlyph
    return "".join(char if char == "\n" or ord(char) in glyphs else REPLACEMENT for char in text)


def written(text: str) -> str:
    """A text as the markup of paragraphs has it."""
    return escape(in_font(text))


def _styles() -> dict[str, Any]:
    from reportlab.lib.enums import TA_CENTER, TA_RIGHT
    from reportlab.lib.styles import ParagraphStyle

    plain = ParagraphStyle("plain", fontName=FONT, fontSize=9, leading=12.5, textColor=INK)
    cell = ParagraphStyle("cell", parent=plain, fontSize=8, leading=10.5)
    return {
        "plain": plain,
        "text": ParagraphStyle("text", parent=plain, spaceBefore=12),
        "title": ParagraphStyle("title", parent=plain, fontName=BOLD, fontSize=16, leading=20, spaceAfter=2),
        "headline": ParagraphStyle(
            "headline", parent=plain, fontName=BOLD, fontSize=10.5, leading=14, spaceBefore=6, spaceAfter=4
        ),
        "heading": ParagraphStyle("heading", parent=plain, fontName=BOLD, fontSize=10.5, leading=15, textColor=GLASS),
        "cell": cell,
        "figure": ParagraphStyle("figure", parent=cell, alignment=TA_RIGHT),
        "strong": ParagraphStyle("strong", parent=cell, fontName=BOLD),
        "strong figure": ParagraphStyle("strong figure", parent=cell, fontName=BOLD, alignment=TA_RIGHT),
        "head": ParagraphStyle("head", parent=cell, textColor=GREY, fontSize=7.5),
        "head group": ParagraphStyle("head group", parent=cell, textColor=GREY, fontSize=7.5, alignment=TA_CENTER),
        "head figure": ParagraphStyle("head figure", parent=cell, textColor=GREY, fontSize=7.5, alignment=TA_RIGHT),
    }


def _facts(paper: Paper, width: float, styles: dict[str, Any]) -> Any:
    """The facts in two columns, the first half of them on the left."""
    from reportlab.platypus import Paragraph, Table

    told = [
        Paragraph(f"{written(label)}: {written(value).replace(chr(10), ', ')}", styles["plain"])
        for label, value in paper.shown_facts
    ]
    half = (len(told) + 1) // 2
    look = [("LEFTPADDING", (0, 0), (-1, -1), 0), ("VALIGN", (0, 0), (-1, -1), "TOP")]
    look += [(f"{side}PADDING", (0, 0), (-1, -1), 0) for side in ("TOP", "BOTTOM")]
    return Table([[told[:half], told[half:]]], colWidths=[width / 2] * 2, style=look)


def _decision(paper: Paper, width: float, styles: dict[str, Any]) -> Any:
    """A box for each side: what it may choose, and lines to fill in."""
    from reportlab.platypus import Paragraph, Table

    boxes = []
    for side in paper.decision:
        choices = "&nbsp;" * 6
        choices = choices.join(f"☐ {written(choice)}" for choice in side.choices)
        cells = [[Paragraph(written(side.party), styles["strong"])], [Paragraph(choices, styles["plain"])]]
        cells += [[Paragraph(written(field), styles["head"])] for field in side.fields]
        heights = [None, None, *[22] * len(side.fields)]
        look = [("LINEBELOW", (0, 2), (-1, -1), 0.6, INK), ("VALIGN", (0, 2), (-1, -1), "BOTTOM")]
        boxes.append(Table(cells, colWidths=[width / len(paper.decision) - 24], rowHeights=heights, style=look))
    return Table([boxes], colWidths=[width / len(boxes)] * len(boxes), style=[("VALIGN", (0, 0), (-1, -1), "TOP")])


def _table(section: Section, width: float, styles: dict[str, Any]) -> Any:
    from reportlab.platypus import LongTable, Paragraph, TableStyle

    def style(column: Any, base: str) -> Any:
        return styles[base if column.kind == "text" else {"cell": "figure"}.get(base, f"{base} figure")]

    cells = _heads(section, style, styles)
    heads = len(cells)
    for row in section.rows:
        base = "strong" if row.mark == "total" else "cell"
        values = zip(section.columns, row.values, strict=True)
        cells.append(
            [
                Paragraph(written(column.cell(value)).replace("\n", "<br/>"), style(column, base))
                for column, value in values
            ]
        )
    look = [
        ("VALIGN", (0, 0), (-1, -1), "TOP"),
        ("LINEBELOW", (0, 0), (-1, -1), 0.4, LINE),
        ("LINEBELOW", (0, heads - 1), (-1, heads - 1), 1, GLASS),
        *(_spans(section) if heads == 2 else []),
        ("TOPPADDING", (0, 0), (-1, -1), 2.5),
        ("BOTTOMPADDING", (0, 0), (-1, -1), 3),
        ("LEFTPADDING", (0, 0), (-1, -1), 3),
        ("RIGHTPADDING", (0, 0), (-1, -1), 3),
        *(
            ("LINEABOVE", (0, at), (-1, at), 1, INK)
            for at, row in enumerate(section.rows, heads)
            if row.mark == "total"
        ),
        *(("SPAN", (2, at), (-1, at)) for at, row in enumerate(section.rows, heads) if row.mark == "detail"),
    ]
    widths = _widths(section, width / 2 if section.at_right else width)
    side = "RIGHT" if section.at_right else "LEFT"
    return LongTable(cells, colWidths=widths, repeatRows=heads, style=TableStyle(look), hAlign=side)


def _heads(section: Section, style: Any, styles: dict[str, Any]) -> list[list[Any]]:
    """The rows of headings: those of groups of columns, if there are any, and those of the columns."""
    from reportlab.platypus import Paragraph

    heads = [[Paragraph(written(column.heading), style(column, "head")) for column in section.columns]]
    if section.groups:
        above: list[Any] = []
        for group, count in section.groups:
            above += [Paragraph(written(group), styles["head group"]), *[""] * (count - 1)]
        heads.insert(0, above)
    return heads


def _spans(section: Section) -> list[tuple[Any, ...]]:
    """The headings of groups, each above its columns with a line below it."""
    look: list[tuple[Any, ...]] = [("LINEBELOW", (0, 0), (-1, 0), 0, "#ffffff")]
    at = 0
    for group, count in section.groups:
        if group:
            look += [("SPAN", (at, 0), (at + count - 1, 0)), ("LINEBELOW", (at, 0), (at + count - 1, 0), 0.6, GREY)]
        at += count
    return look


def _letters(text: str) -> float:
    """How many letters of usual width a text is wide; codes in capitals are wider than words."""
    return len(text) + 0.3 * sum(letter.isupper() for letter in text)


def _widths(section: Section, width: float) -> list[float]:
    """Figures as wide as they need, the rest of the page for texts by how long they are."""
    longest: list[float] = []
    for at, column in enumerate(section.columns):
        texts = [column.cell(row.values[at]) for row in section.rows if row.mark != "detail"]
        words = [len(word) for word in column.heading.split()] or [0]
        figures = max([*map(_letters, texts), *words])
        longest.append(min(figures, 34 if column.wide else 22) if column.kind == "text" else figures)
    weights = [5.2 * max(each, 3) + 8 for each in longest]
    spare = width - sum(weights)
    texts_ = [at for at, column in enumerate(section.columns) if column.kind == "text"]
    wide = [at for at in texts_ if section.columns[at].wide] or texts_
    if spare >= 0:
        # Without a long text there is no need to fill the page: a figure stands near what it is about.
        each_ = spare / len(wide) if any(column.wide for column in section.columns) else min(spare / len(wide), _NEAR)
        for at in wide:
            weights[at] += each_
        return weights
    return [each * width / sum(weights) for each in weights]


def numbered_pages(paper: Paper, size: tuple[float, float]) -> Any:
    """A canvas that knows how many pages there are when it writes the foot of each."""
    from reportlab.pdfgen.canvas import Canvas

    class Numbered(Canvas):  # type: ignore[misc]
        def __init__(self, *args: Any, **options: Any) -> None:
            super().__init__(*args, **options)
            self._pages: list[dict[str, Any]] = []

        def showPage(self) -> None:
            self._pages.append(dict(self.__dict__))
            self._startPage()

        def save(self) -> None:
            for at, page in enumerate(self._pages, start=1):
                self.__dict__.update(page)
                self._margins(at)
                super().showPage()
            super().save()

        def _margins(self, at: int) -> None:
            width, height = size
            if paper.watermark:
                self._watermark(paper.watermark.upper(), width, height)
            self.setFillColor(GREY)
            self.setFont(FONT, 7.5)
            page, of = paper.page_words
            self.drawRightString(width - MARGIN, 30, f"{page} {at} {of} {len(self._pages)}")
            self.drawString(MARGIN, 30, in_font(f"{paper.title} {paper.subtitle}".strip()))
            sender = list(paper.letterhead.values())
            if sender:
                self.drawRightString(width - MARGIN, height - 44, in_font(" · ".join(sender[1:])))
                self.setFillColor(GLASS)
                self.setFont(BOLD, 10)
                self.drawString(MARGIN, height - 44, in_font(sender[0]))
            self.setStrokeColor(GLASS)
            self.setLineWidth(1.5)
            self.line(MARGIN, height - 52, width - MARGIN, height - 52)

        def _watermark(self, text: str, width: float, height: float) -> None:
            """A word across the page, so pale that what lies on it can be read."""
            self.saveState()
            self.setFillColor(GREY, alpha=0.09)
            self.setFont(BOLD, min(110.0, 1.2 * width / max(len(text), 1)))
            self.translate(width / 2, height / 2)
            self.rotate(30)
            self.drawCentredString(0, -30, text)
            self.restoreState()

    return Numbered
