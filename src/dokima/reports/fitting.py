"""Tables that fit: figures never break, headings break between words, and a narrow terminal gets a narrower layout."""

from __future__ import annotations

import re
from collections.abc import Sequence

from rich import box
from rich.console import Console, ConsoleOptions, Group, RenderableType, RenderResult
from rich.measure import Measurement
from rich.table import Table
from rich.text import Text

_SIGN = re.compile("^([+=\u2212]) ")
"""A sign before a heading stays with its first word."""


class FirstThatFits:
    """The first of several layouts that is not wider than the terminal; the last one if none is."""

    def __init__(self, layouts: Sequence[RenderableType]) -> None:
        self.layouts = layouts

    def __rich_console__(self, console: Console, options: ConsoleOptions) -> RenderResult:
        for layout in self.layouts[:-1]:
            if Measurement.get(console, options.update(width=10_000), layout).minimum <= options.max_width:
                yield layout
                return
        yield self.layouts[-1]


def figure_table(headings: Sequence[str], rows: Sequence[Sequence[str]], texts: int, styles: Sequence[str]) -> Table:
    """A table whose first columns are text and whose other columns are figures.

    Args:
        headings: One per column.
        rows: Cells as text.
        texts: How many of the first columns are text.
        styles: One style per row.
    """
    table = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1), header_style="dim")
    for at, heading in enumerate(headings):
        joined = _SIGN.sub(lambda sign: f"{sign[1]}\u00a0", heading)
        least = max([*(len(row[at]) for row in rows), *map(len, joined.split(" ")), 1])
        table.add_column(joined, justify="left" if at < texts else "right", width=least, overflow="fold")
    for row, style in zip(rows, styles, strict=True):
        table.add_row(*row, style=style)
    return table


def stacked(
    titles: Sequence[str], headings: Sequence[str], rows: Sequence[Sequence[str]], styles: Sequence[str]
) -> Group:
    """For a narrow terminal: one title after the other, its figures down the page; empty figures are left out."""
    parts: list[RenderableType] = []
    for title, cells, style in zip(titles, rows, styles, strict=True):
        parts.append(Text(f" {title}", style=style or "bold"))
        table = Table.grid(padding=(0, 2))
        table.add_column(min_width=2)
        table.add_column()
        table.add_column(justify="right", no_wrap=True)
        for heading, cell in zip(headings, cells, strict=True):
            if cell:
                table.add_row("", heading, cell)
        parts.append(table)
    return Group(Text(""), *parts, Text(""))
