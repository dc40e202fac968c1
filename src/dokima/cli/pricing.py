"""``dokima price``: every step of every line, tax, totals."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from dokima.cli.options import (
    HERE,
    Book,
    Chart,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    Named,
    OrdersPath,
    Sets,
    Tables,
    Values,
    one_order,
    open_book,
    read_orders,
    speak,
    what_if,
)
from dokima.cli.output import show, write
from dokima.formats.results import (
    calculation_data,
    calculation_rows,
    total_rows,
    totals_data,
)
from dokima.reports.bars import line_bars, order_bars
from dokima.reports.charts import draw_waterfall
from dokima.reports.pricing import calculation_report, known_figures, totals_report
from dokima.reports.steps import steps_report


def price(
    orders_named: Named = None,
    totals: Annotated[bool, typer.Option("--totals", help="One row an order, and a sum for each currency.")] = False,
    orders: OrdersPath = None,
    steps: Annotated[str | None, typer.Option("--steps", help="One line, its steps down the page.")] = None,
    figures: Annotated[str, typer.Option("--figures", help="Line figures to show: price,net,margin.")] = "",
    chart: Chart = None,
    locale: LocaleOption = "",
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Price orders: every step of every line, tax, totals. Exit status 1 if a finding is an error."""
    rulebook = open_book(book, tables, values)
    speak(locale, rulebook)
    found = what_if(read_orders(rulebook, orders_named or [], orders, layout), sets)
    calculation = rulebook.price(found)
    chosen = [name.strip() for name in figures.split(",") if name.strip()]
    known_figures(calculation, chosen)
    line = None
    if chart is not None or steps is not None:
        order = calculation[one_order(found, "draw" if steps is None else "show")]
        line = None if steps is None else order.line(steps)
        if chart is not None:
            bars = order_bars(order) if line is None else line_bars(line)
            title = order.number if line is None else f"{order.number} line {line.number}"
            draw_waterfall(bars, title, order.header("currency") or "", chart)
            sys.stderr.write(f"written: {chart}\n")
    if line is not None and form is Format.table:
        show(steps_report(line))
        raise typer.Exit(1 if calculation.findings.errors else 0)
    write(
        form,
        table=lambda: totals_report(calculation) if totals else calculation_report(calculation, chosen),
        data=lambda: totals_data(calculation) if totals else calculation_data(calculation, chosen),
        rows=lambda: total_rows(calculation) if totals else calculation_rows(calculation, chosen),
        columns=("order",) if totals else ("order", "line"),
    )
    raise typer.Exit(1 if calculation.findings.errors else 0)
