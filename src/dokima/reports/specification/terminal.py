"""A specification in a terminal: what ``dokima spec`` shows."""

from __future__ import annotations

from rich.console import Group, RenderableType
from rich.padding import Padding
from rich.text import Text

from dokima.reports.language import _
from dokima.reports.specification.content import Grid, Specification
from dokima.reports.specification.flow import Line, flow_of
from dokima.reports.table_layout import FirstThatFits, figure_table

STYLES = {
    "title": "bold", "chapter": "bold", "part": "bold", "label": "bold", "formula": "dim", "note": "italic",
    "below": "dim", "given": "dim", "none": "yellow", "fact": "dim", "verdict": "",
}  # fmt: skip


def specification_report(spec: Specification) -> RenderableType:
    """The specification without its diagram, of which a table says the same, and without rows of tables."""
    parts: list[RenderableType] = []
    for piece in flow_of(spec):
        if isinstance(piece, Grid):
            parts += [] if piece.is_sample else [_grid(piece)]
        elif isinstance(piece, Line):
            parts += _line(piece)
    return Group(*parts)


def _line(line: Line) -> list[RenderableType]:
    head = line.style in ("chapter", "part")
    text = f"{line.number} {line.text}" if head else line.text
    if line.style == "title":
        text = _("Rulebook {name}").format(name=line.text)
    indent = 0 if head or line.style in ("title", "fact", "verdict") else 2 + 2 * line.depth
    indent += 2 if line.is_inner else 0
    style = (
        "yellow" if line.status == "unconfirmed" else "red" if line.status == "failed" else STYLES.get(line.style, "")
    )
    gap: list[RenderableType] = [Text("")] if head else []
    return [*gap, Padding(Text(text, style=style), (0, 0, 0, indent))]


def _grid(grid: Grid) -> RenderableType:
    rows = [list(row) for row in grid.rows]
    texts = list(range(len(grid.columns)))
    styles = [""] * len(rows)
    layouts = [figure_table(list(grid.columns), rows, texts, styles, folding) for folding in ([], texts)]
    told = [
        [f"{heading}: {cell}" for heading, cell in zip(grid.columns[1:], row[1:], strict=True) if cell] for row in rows
    ]
    lines = [Text(f"  {row[0]}: {'; '.join(cells)}") for row, cells in zip(rows, told, strict=True)]
    return FirstThatFits(layouts, Group(*lines))
