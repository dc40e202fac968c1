"""``dokima variance``: two states of orders, line by line and in total."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima import report
from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    Today,
    open_book,
    read_orders,
    refuse_given,
)
from dokima.cli.output import write


def variance(
    before: Annotated[str, typer.Argument(metavar="BEFORE", help="File or folder of orders as they were.")],
    after: Annotated[str, typer.Argument(metavar="AFTER", help="File or folder of orders as they are to be.")],
    every: Annotated[bool, typer.Option("--all", help="Unchanged orders and lines too.")] = False,
    by: Annotated[str, typer.Option("--by", help="Sum it by a field: item, customer, item.family.")] = "",
    steps: Annotated[str, typer.Option("--steps", help="A line, or all: what each step adds to its variance.")] = "",
    mix: Annotated[bool, typer.Option("--mix", help="Split effects in quantity, price and mix.")] = False,
    locale: LocaleOption = "",
    today: Today = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Compare two states of orders, line by line and in total. Exit status 1 if one of them cannot be priced."""
    if by:
        refuse_given({"--all": every, "--steps": steps}, "about lines: --by sums them")
    rulebook = open_book(book, today=today)
    sides = [rulebook.price(read_orders(rulebook, [side], None, layout)) for side in (before, after)]
    found = rulebook.variance(sides[0], sides[1], mix=mix)
    write(form, report(found.by(by) if by else found, book=rulebook, locale=locale, every=every, steps=steps))
    raise typer.Exit(1 if any(side.findings.errors for side in sides) else 0)
