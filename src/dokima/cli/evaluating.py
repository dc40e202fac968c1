"""``dokima eval``: what a formula gives on a real order, before it goes into a rulebook or a specification."""

from __future__ import annotations

import sys
from enum import StrEnum
from typing import Annotated

import typer

from dokima import DokimaError, report
from dokima.cli import completing
from dokima.cli.options import (
    HERE,
    Book,
    By,
    Format,
    LayoutName,
    LocaleOption,
    OneLine,
    OneOrder,
    OrdersPlace,
    Sets,
    Today,
    Values,
    day,
    one_order,
    open_book,
    person,
    read_orders,
)
from dokima.cli.output import write


class Written(StrEnum):
    """How an evaluation is written."""

    table = "table"
    json = "json"
    csv = "csv"
    markdown = "markdown"


def evaluate(
    formula: Annotated[str | None, typer.Argument(metavar="[FORMULA]", help="Any formula.")] = None,
    order: OneOrder = None,
    line: OneLine = None,
    by: By = "",
    today: Today = "",
    locale: LocaleOption = "",
    orders: OrdersPlace = None,
    sets: Sets = None,
    tables: Annotated[
        list[str] | None,
        typer.Option(
            "--table",
            help="Instead of a formula: how the row of table NAME is found. What if: another file, NAME=FILE.",
            autocompletion=completing.table_names,
        ),
    ] = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: Annotated[
        Written, typer.Option("--format", "-f", help="For people, programs, or a specification.")
    ] = Written.table,
) -> None:
    """Work a formula out on a line, on an order, or on each of its lines, with every look-up behind it."""
    asked = [each for each in tables or () if "=" not in each]
    if len(asked) > 1:
        raise DokimaError(f"expected one table to look up (got {', '.join(asked)})")
    table = asked[0] if asked else ""
    if table:  # then there is no formula, and what was typed in its place is the order
        formula, order, line = "", formula, order
    if order is None:
        raise DokimaError("expected a formula and ORDER, and a LINE for one line of it")
    rulebook = open_book(book, [each for each in tables or () if "=" in each], values, sets)
    found = read_orders(rulebook, [order], orders, layout)
    number = one_order(found, "ask")
    result = rulebook.evaluate(
        formula or "", found, line or "", order=number, table=table, today=day(today), by=person(by)
    )
    shown = report(result, book=rulebook, locale=locale)
    if form is Written.markdown:
        sys.stdout.write(shown.markdown)
    else:
        write(Format(form), shown)
