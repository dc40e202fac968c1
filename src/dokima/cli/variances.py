"""``dokima variance``: two states of orders, line by line and in total."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima.changes.grouping import grouped
from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    open_book,
    read_orders,
    speak,
)
from dokima.cli.output import write
from dokima.formats.results import (
    grouped_data,
    grouped_rows,
    variance_data,
    variance_rows,
)
from dokima.reports.variances import grouped_report, variance_report


def variance(
    before: Annotated[str, typer.Argument(metavar="BEFORE", help="File or folder of orders as they were.")],
    after: Annotated[str, typer.Argument(metavar="AFTER", help="File or folder of orders as they are to be.")],
    every: Annotated[bool, typer.Option("--all", help="Unchanged lines too.")] = False,
    by: Annotated[str, typer.Option("--by", help="Sum it by a field: item, customer, item.family.")] = "",
    mix: Annotated[bool, typer.Option("--mix", help="Split effects in quantity, price and mix.")] = False,
    locale: LocaleOption = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Compare two states of orders, line by line and in total. Exit status 1 if one of them cannot be priced."""
    rulebook = open_book(book)
    speak(locale, rulebook)
    sides = [rulebook.price(read_orders(rulebook, [side], None, layout)) for side in (before, after)]
    found = rulebook.variance(sides[0], sides[1], mix=mix)
    status = 1 if any(side.findings.errors for side in sides) else 0
    if by:
        groups = grouped(found, by)
        write(
            form,
            table=lambda: grouped_report(groups),
            data=lambda: grouped_data(groups),
            rows=lambda: grouped_rows(groups),
            columns=("row", "value"),
        )
        raise typer.Exit(status)
    write(
        form,
        table=lambda: variance_report(found, every=every),
        data=lambda: variance_data(found, every=every),
        rows=lambda: variance_rows(found, every=every),
        columns=("order", "line", "status"),
    )
    raise typer.Exit(status)
