"""Which tables an order looks up, and by what: boxes from left to right."""

from __future__ import annotations

from collections.abc import Mapping

from dokima.pricing.program import Program
from dokima.reports.language import _
from dokima.reports.specification.content import Box, Diagram

WIDTH, HEIGHT, ACROSS, DOWN, EDGE = 146.0, 40.0, 40.0, 12.0, 8.0
"""Of a box, between two columns, between two rows, and around all, in points."""
ORDER = ("header", "line")


def lookups(program: Program) -> Mapping[str, list[str]]:
    """For each table what it is found by: header and line, and other tables."""
    found: dict[str, list[str]] = {}
    for name, table in program.tables.items():
        heads = dict.fromkeys(read.partition(".")[0] for formula in table.formulas() for read in formula.reads)
        found[name] = [head for head in heads if head in (*ORDER, *program.tables) and head != name]
    return found


def diagram_of(program: Program) -> Diagram:
    """The order at the left, then the tables that it leads to, then those that they lead to."""
    sources = lookups(program)
    depth = dict.fromkeys(ORDER, 0)
    left = dict(sources)
    while left:
        ready = [name for name, heads in left.items() if all(head in depth for head in heads)]
        for name in ready or list(left):  # tables that lead to each other stand side by side
            depth[name] = 1 + max([depth.get(head, 0) for head in left.pop(name)], default=0)
    boxes: list[Box] = []
    tall: dict[int, int] = {}
    for name, column in depth.items():
        row = tall.get(column, 0)
        tall[column] = row + 1
        title, detail = _said(program, name)
        x, y = EDGE + column * (WIDTH + ACROSS), EDGE + row * (HEIGHT + DOWN)
        boxes.append(Box(name, title, detail, x, y, WIDTH, HEIGHT))
    # An arrow across a column would lie behind its boxes; the list beside the diagram names every link.
    arrows = [(head, name) for name, heads in sources.items() for head in heads if depth[name] - depth[head] == 1]
    width = max(box.x + box.width for box in boxes) + EDGE
    height = max(box.y + box.height for box in boxes) + EDGE
    return Diagram(boxes, arrows, width, height)


def _said(program: Program, name: str) -> tuple[str, str]:
    if name in ORDER:
        return (_("Order"), _("header fields")) if name == "header" else (_("Line"), _("line fields"))
    table = program.tables[name]
    keys = ", ".join(each.replace("_", " ") for each in table.conditions)
    return _cut(table.definition.shown, 22), _cut(keys, 25)


def _cut(text: str, most: int) -> str:
    return text if len(text) <= most else f"{text[: most - 1]}…"


def svg_of(diagram: Diagram) -> str:
    """The diagram as SVG."""
    from xml.sax.saxutils import escape

    at = {box.name: box for box in diagram.boxes}
    parts = [
        f'<svg viewBox="0 0 {diagram.width:g} {diagram.height:g}" width="{diagram.width:g}" role="img" '
        f'aria-label="{escape(_("which tables an order looks up"))}" xmlns="http://www.w3.org/2000/svg">'
    ]
    for source, target in diagram.arrows:
        (x1, y1), (x2, y2) = ends(at[source], at[target])
        middle = (x1 + x2) / 2
        parts.append(f'<path class="leads" d="M{x1:g},{y1:g} C{middle:g},{y1:g} {middle:g},{y2:g} {x2:g},{y2:g}"/>')
    for box in diagram.boxes:
        kind = "order" if box.name in ORDER else "table"
        x, y = box.x + 8, box.y + 16
        parts += [
            f'<g class="{kind}">',
            f'<rect x="{box.x:g}" y="{box.y:g}" width="{box.width:g}" height="{box.height:g}" rx="4"/>',
            f'<text x="{x:g}" y="{y:g}">{escape(box.title)}</text>',
            f'<text class="by" x="{x:g}" y="{y + 15:g}">{escape(box.detail)}</text></g>',
        ]
    return "\n".join([*parts, "</svg>"])


def ends(source: Box, target: Box) -> tuple[tuple[float, float], tuple[float, float]]:
    """Where an arrow leaves a box, and where it comes to another."""
    return (source.x + source.width, source.y + source.height / 2), (target.x, target.y + target.height / 2)


def png_of(diagram: Diagram, scale: int = 3) -> bytes:
    """The diagram as a picture, for documents that hold no SVG.

    Args:
        diagram: The diagram.
        scale: Pixels of a point.
    """
    import io

    from PIL import Image, ImageDraw, ImageFont

    size = (int(diagram.width * scale), int(diagram.height * scale))
    image = Image.new("RGB", size, "#ffffff")
    draw = ImageDraw.Draw(image)
    fonts = [ImageFont.load_default(points * scale) for points in (11, 9)]
    at = {box.name: box for box in diagram.boxes}
    for source, target in diagram.arrows:
        (x1, y1), (x2, y2) = ends(at[source], at[target])
        draw.line([(x1 * scale, y1 * scale), (x2 * scale, y2 * scale)], fill="#9fb0b8", width=scale)
    for box in diagram.boxes:
        is_order = box.name in ORDER
        corners = (box.x * scale, box.y * scale, (box.x + box.width) * scale, (box.y + box.height) * scale)
        draw.rounded_rectangle(corners, 4 * scale, "#23475b" if is_order else "#ffffff", "#23475b", scale)
        inks = ("#ffffff", "#cfe0e8") if is_order else ("#1d2a30", "#56676f")
        for text, font, ink, down in zip((box.title, box.detail), fonts, inks, (5, 22), strict=True):
            draw.text(((box.x + 8) * scale, (box.y + down) * scale), text, fill=ink, font=font)
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()
