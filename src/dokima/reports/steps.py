"""The steps of one line down the page, with the running amount beside them."""

from __future__ import annotations

from rich.console import Group, RenderableType
from rich.table import Table
from rich.text import Text

from dokima.pricing.calculation.calculation import PricedLine
from dokima.reports.bars import line_bars
from dokima.reports.formatting import BLANK, number, signed
from dokima.reports.language import MINUS, _


def steps_report(line: PricedLine) -> RenderableType:
    """One line, a step a row: what it adds or takes, and what the line comes to after it; then its other figures.

    Raises:
        DokimaError: A figure of the line is unknown.
    """
    order = line.order
    head = Text(_("{order} line {line}").format(order=order.number, line=line.number), style="bold")
    title = " ".join(str(value) for name in ("item", "description") if (value := line.field(name)) is not None)
    head.append(f"   {title}   {order.header('currency') or ''}", style="not bold")
    table = Table.grid(padding=(0, 3))
    for justify in ("left", "right", "right"):
        table.add_column(justify=justify)
    table.add_row(*(Text(word, style="dim") for word in (_("step"), _("moves"), _("comes to"))))
    for bar in line_bars(line):
        if bar.kind == "price" and not line.is_parent:
            said = f"{number(line.field('quantity'))} × {number(line.figure('price'))}"
            table.add_row(f"{bar.label}  ({said})", "", number(bar.level))
        elif bar.is_level:
            table.add_row(Text(f"= {bar.label}", style="bold"), "", Text(number(bar.level), style="bold"))
        else:
            sign = MINUS if bar.amount < 0 or bar.kind == "discount" else "+"
            table.add_row(f"{sign} {bar.label}", signed(bar.amount), number(bar.level))
    figures = [] if order.routine is None else [s for s in order.routine.steps if not s.way.is_amount or s.way.of_order]
    rows = [(step, line.figure(step.name)) for step in figures if step.name in order.calculation.figures]
    if rows:
        table.add_row("", "", "")
    for step, value in rows:
        table.add_row(Text(f"  {step.definition.shown}", style="dim"), "", BLANK if value is None else number(value))
    return Group(head, Text(""), table)
