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
    OrdersPlace,
    Sets,
    Tables,
    Today,
    Values,
    day,
    one_order,
    open_book,
    pairs,
    person,
    read_orders,
    refuse_given,
)
from dokima.cli.output import write


class Written(StrEnum):
    """How an evaluation is written."""

    table = "table"
    json = "json"
    csv = "csv"
    markdown = "markdown"


def evaluate(
    asked: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[FORMULA] ORDER [LINE]",
            help="Any formula, a file or number of an order, and a line; with --rows COLUMN=VALUE ...",
            autocompletion=completing.order_names,
        ),
    ] = None,
    rows: Annotated[
        str,
        typer.Option(
            "--rows",
            help="The rows of this table that answer COLUMN=VALUE ...; or how that of an ORDER [LINE] is found.",
            autocompletion=completing.table_names,
        ),
    ] = "",
    date: Annotated[
        str, typer.Option("--date", help="With --rows: the day on which they are valid.", show_default="any day")
    ] = "",
    by: By = "",
    today: Today = "",
    locale: LocaleOption = "",
    orders: OrdersPlace = None,
    sets: Sets = None,
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    layout: LayoutName = None,
    form: Annotated[
        Written, typer.Option("--format", "-f", help="For people, programs, or a specification.")
    ] = Written.table,
) -> None:
    """Work a formula out on a line, on an order, or on each of its lines; or browse the rows of a table."""
    given = list(asked or ())
    rulebook = open_book(book, tables, values, sets)
    if rows and all("=" in each for each in given):
        on = day(date) if date else None
        shown = report(rulebook.rows(rows, pairs(given), date=on), book=rulebook, locale=locale)
    else:
        refuse_given({"--date": date}, "for --rows TABLE COLUMN=VALUE ...")
        formula = "" if rows or not given else given.pop(0)
        if not given or len(given) > 2:
            raise DokimaError(f"expected {'' if rows else 'a formula and '}ORDER, and a LINE for one line of it")
        found = read_orders(rulebook, given[:1], orders, layout)
        number, line = one_order(found, "ask"), given[1] if len(given) > 1 else ""
        result = rulebook.evaluate(formula, found, line, order=number, table=rows, today=day(today), by=person(by))
        shown = report(result, book=rulebook, locale=locale)
    if form is Written.markdown:
        sys.stdout.write(shown.markdown)
    else:
        write(Format(form), shown)
