"""Tables that fit: figures never break, headings break between words, and a narrow terminal gets a narrower layout."""

from __future__ import annotations

import re
import sys
from collections.abc import Collection, Sequence

from rich import box
from rich.console import Console, ConsoleOptions, Group, RenderableType, RenderResult
from rich.table import Table
from rich.text import Text

_SIGN = re.compile("^([+=\u2212]) ")
"""A sign before a heading stays with its first word."""


class FigureTable(Table):
    """A table that knows how wide it has to be; asking Rich would measure every cell of every layout."""

    needed: int = 0


class FirstThatFits:
    """The first of several tables that is not wider than the terminal; something else if none is."""

    def __init__(self, layouts: Sequence[FigureTable], last: RenderableType) -> None:
        self.layouts = layouts
        self.last = last

    def __rich_console__(self, _: Console, options: ConsoleOptions) -> RenderResult:
        for layout in self.layouts:
            if layout.needed <= options.max_width:
                yield layout
                return
        yield self.last


FOLDED = 18
"""Characters of a text that folds rather than make its column wider."""


def figure_table(
    headings: Sequence[str],
    rows: Sequence[Sequence[str]],
    texts: int | Collection[int],
    styles: Sequence[str],
    folding: Sequence[int] = (),
) -> FigureTable:
    """A table of texts, which stand left, and figures, which stand right.

    Args:
        headings: One per column.
        rows: Cells as text.
        texts: How many of the first columns are text, or the places of those that are.
        styles: One style per row.
        folding: Places of columns whose long texts go on in the next row of the terminal.
    """
    table = FigureTable(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1), header_style="dim")
    left = range(texts) if isinstance(texts, int) else texts
    for at, heading in enumerate(headings):
        joined = _SIGN.sub(lambda sign: f"{sign[1]}\u00a0", heading)
        most = FOLDED if at in folding else sys.maxsize
        least = max([*(min(len(row[at]), most) for row in rows), *map(len, joined.split(" ")), 1])
        table.needed += least + (3 if at else 2)  # a space on either side, and the box between two columns
        # One that folds takes the room that the others leave.
        width, at_least = (None, least) if at in folding else (least, None)
        table.add_column(
            joined, justify="left" if at in left else "right", width=width, min_width=at_least, overflow="fold"
        )
    for row, style in zip(rows, styles, strict=True):
        table.add_row(*row, style=style)
    return table


def stacked(
    titles: Sequence[str], headings: Sequence[str], rows: Sequence[Sequence[str]], styles: Sequence[str]
) -> Group:
    """For a narrow terminal: one title after the other, its figures down the page; empty figures are left out."""
    wide = max(map(len, headings), default=0)
    parts: list[RenderableType] = []
    for title, cells, style in zip(titles, rows, styles, strict=True):
        # Plain text, because a table for each of five thousand lines takes its time.
        figures = max(map(len, cells), default=0)
        parts.append(Text(f" {title}", style=style or "bold"))
        lines = [f"    {head:{wide}}  {cell:>{figures}}" for head, cell in zip(headings, cells, strict=True) if cell]
        parts.append(Text("\n".join(lines), no_wrap=True, overflow="fold"))
    return Group(Text(""), *parts, Text(""))
