"""``dokima explain``: where the figures of a line came from."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima import DokimaError, QuantityPrice, report
from dokima.cli import completing
from dokima.cli.options import (
    HERE,
    Book,
    Chart,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    OneLine,
    OneOrder,
    OrdersPlace,
    Sets,
    Tables,
    Today,
    Values,
    one_order,
    open_book,
    pairs,
    read_orders,
    refuse_given,
)
from dokima.cli.output import note, write


def explain(
    order: OneOrder = None,
    line: OneLine = None,
    figure: Annotated[
        str | None,
        typer.Argument(metavar="[FIGURE]", help="One figure, such as price.", autocompletion=completing.figures),
    ] = None,
    header: Annotated[list[str] | None, typer.Option("--header", help="Without an order: customer=X.")] = None,
    fields: Annotated[list[str] | None, typer.Option("--line", help="Without an order: item=X, quantity=4.")] = None,
    technical: Annotated[bool, typer.Option("--technical", help="Add formulas and names.")] = False,
    chart: Chart = None,
    locale: LocaleOption = "",
    orders: OrdersPlace = None,
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    today: Today = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Say where the figures of a line came from, and which table rows lost; or what a line would cost."""
    if order is not None:
        refuse_given(
            {"--header": header, "--line": fields}, "for a line that stands in no order: --set changes this one"
        )
    rulebook = open_book(book, tables, values, sets, today)
    rungs: list[QuantityPrice] = []
    found = None
    if order is None and fields:
        explanation, rungs = rulebook.price_line(pairs(header), pairs(fields))
    elif order is None or line is None:
        raise DokimaError("expected ORDER and LINE, or --header and --line fields of a line that stands in no order")
    else:
        found = read_orders(rulebook, [order], orders, layout)
        explanation = rulebook.explain(found, line, figure, order=one_order(found, "explain"))
    shown = report(explanation, book=rulebook, locale=locale, quantities=rungs, technical=technical)
    if chart is not None:
        from dokima import draw

        if found is None:
            target = draw(rungs, chart, locale=shown.locale, explanation=explanation)
        else:
            priced = rulebook.price(found)[explanation.order]
            target = draw(priced.line(explanation.line), chart, locale=shown.locale)
        note(f"written: {target}")
    write(form, shown)
    raise typer.Exit(1 if any(finding.severity == "error" for finding in explanation.findings) else 0)
