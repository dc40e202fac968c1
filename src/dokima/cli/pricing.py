"""``dokima price``: every step of every line, tax, totals."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima import report
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
)
from dokima.cli.output import note, write


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
    rulebook = open_book(book, tables, values, sets)
    found = read_orders(rulebook, orders_named or [], orders, layout)
    calculation = rulebook.price(found)
    chosen = [name.strip() for name in figures.split(",") if name.strip()]
    whole = report(calculation, locale=locale, figures=chosen, totals=totals)
    shown = whole
    if chart is not None or steps is not None:
        order = calculation[one_order(found, "draw" if steps is None else "show")]
        one = order if steps is None else order.line(steps)
        if chart is not None:
            from dokima import draw

            note(f"written: {draw(one, chart, locale=whole.locale)}")
        if steps is not None and form is Format.table:
            shown = report(one, locale=locale)
    write(form, shown)
    raise typer.Exit(1 if calculation.findings.errors else 0)
