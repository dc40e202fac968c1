"""``dokima paper``: a quotation or another paper about orders, as the rulebook says it."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated, Literal

import typer

from dokima import DokimaError, paper
from dokima.cli import completing
from dokima.cli.options import (
    HERE,
    Book,
    By,
    LayoutName,
    LocaleOption,
    Named,
    OrdersPlace,
    Today,
    day,
    open_book,
    person,
    read_orders,
)
from dokima.cli.output import complain, note

Ending = Literal["pdf", "html", "docx", "md"]


def write_papers(
    name: Annotated[
        str,
        typer.Argument(metavar="PAPER", help="Its name in the rulebook.", autocompletion=completing.papers),
    ],
    orders_named: Named = None,
    out: Annotated[
        Path | None, typer.Option("--out", help="A file (.pdf, .html, .docx, .md); of many orders a folder.")
    ] = None,
    form: Annotated[Ending, typer.Option("--as", help="With a folder: what each file is.")] = "pdf",
    draft: Annotated[bool, typer.Option("--draft", help="Also of orders with errors; each page says so.")] = False,
    by: By = "",
    today: Today = "",
    locale: LocaleOption = "",
    orders: OrdersPlace = None,
    book: Book = HERE,
    layout: LayoutName = None,
) -> None:
    """Write a paper about orders, such as a quotation. Exit status 1 if an order has errors, and so no paper."""
    rulebook = open_book(book)
    rulebook.refuse_unknown_paper(name)
    found = read_orders(rulebook, orders_named or [], orders, layout)
    to_file = out is not None and bool(out.suffix) and not out.is_dir()
    if to_file and len(found) > 1:
        raise DokimaError(f"--out: expected a folder for {len(found)} orders (got the file '{out}')")
    for problem in found.problems:
        complain(str(problem))
    refused = len(found.problems)
    calculation = rulebook.price(found)
    findings = rulebook.check(found, today=day(today), by=person(by))
    for order in calculation:
        try:
            made = paper(order, name, draft=draft, locale=locale, findings=findings)
            if out is None:
                sys.stdout.write(made.text)
            else:
                note(f"written: {made.write(out if to_file else out / f'{made.result.file_stem}.{form}')}")
        except DokimaError as error:
            complain(str(error))
            refused += 1
    raise typer.Exit(1 if refused else 0)
