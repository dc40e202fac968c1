"""``dokima explain``: where the figures of a line came from."""

from __future__ import annotations

import sys
from dataclasses import asdict
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
    OrdersPath,
    Sets,
    Tables,
    Values,
    one_order,
    open_book,
    pairs,
    read_orders,
    speak,
    what_if,
)
from dokima.cli.output import write
from dokima.engine.explaining import QuantityPrice
from dokima.errors import DokimaError
from dokima.formats.results import (
    cell,
)
from dokima.reports.bars import line_bars
from dokima.reports.charts import draw_price_steps, draw_waterfall
from dokima.reports.explanations import explanation_report


def explain(
    order: Annotated[str | None, typer.Argument(metavar="[ORDER]", help="A file, or a number with --orders.")] = None,
    line: Annotated[str | None, typer.Argument(metavar="[LINE]", help="The line number.")] = None,
    figure: Annotated[str | None, typer.Argument(metavar="[FIGURE]", help="One figure, such as price.")] = None,
    header: Annotated[list[str] | None, typer.Option("--header", help="Without an order: customer=X.")] = None,
    fields: Annotated[list[str] | None, typer.Option("--line", help="Without an order: item=X, quantity=4.")] = None,
    technical: Annotated[bool, typer.Option("--technical", help="Add formulas and names.")] = False,
    chart: Chart = None,
    locale: LocaleOption = "",
    orders: OrdersPath = None,
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Say where the figures of a line came from, and which table rows lost; or what a line would cost."""
    rulebook = open_book(book, tables, values)
    speak(locale, rulebook)
    rungs: list[QuantityPrice] = []
    found = None
    if order is None and fields:
        explanation, rungs = rulebook.price_line(pairs(header), pairs(fields))
    elif order is None or line is None:
        raise DokimaError("expected ORDER and LINE, or --header and --line fields of a line that stands in no order")
    else:
        found = what_if(read_orders(rulebook, [order], orders, layout), sets)
        explanation = rulebook.explain(found, line, figure, order=one_order(found, "explain"))
    if chart is not None:
        if rungs or found is None:
            draw_price_steps(rungs, explanation, chart)
        else:
            priced = rulebook.price(found)[explanation.order]
            title = f"{explanation.order} line {explanation.line}   {explanation.title}"
            draw_waterfall(line_bars(priced.line(explanation.line)), title, explanation.currency, chart)
        sys.stderr.write(f"written: {chart}\n")
    data = explanation.to_dict()
    ladder = [{key: cell(value, 0) for key, value in asdict(rung).items()} for rung in rungs]
    write(
        form,
        table=lambda: explanation_report(explanation, rungs, technical=technical),
        data=lambda: {**data, "quantities": ladder} if rungs else data,
        rows=lambda: ladder or [{k: step[k] for k in ("step", "kind", "value", "source")} for step in data["steps"]],
    )
    raise typer.Exit(1 if any(finding.severity == "error" for finding in explanation.findings) else 0)
