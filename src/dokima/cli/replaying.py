"""``dokima replay``: what a change of rules or tables does to orders that are there already."""

from __future__ import annotations

import os
from pathlib import Path
from typing import Annotated

import typer

from dokima import DokimaError, report
from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    Tables,
    Values,
    day,
    open_book,
)
from dokima.cli.output import write


def replay(
    orders: Annotated[Path, typer.Argument(metavar="ORDERS", help="File or folder of orders.")],
    new: Annotated[Path | None, typer.Option("--new", help="Folder of the new version of the rulebook.")] = None,
    tables: Tables = None,
    values: Values = None,
    as_of: Annotated[str, typer.Option("--as-of", help="Price all orders as if ordered on this day.")] = "",
    locale: LocaleOption = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """Price and check orders with two versions of a rulebook, and say what differs. Exit status 1 if errors appear."""
    if new is None and not tables and not values:
        raise DokimaError("expected --new DIR, or another table or value: --table volume=new.csv, --value NAME=..")
    if not os.path.exists(orders):
        raise DokimaError(f"there is no file or folder '{orders}'")
    rulebook = open_book(book)
    found = rulebook.replay(
        orders, open_book(new or book, tables, values), layout=layout, as_of=day(as_of) if as_of else None
    )
    write(form, report(found, book=rulebook, locale=locale))
    raise typer.Exit(1 if any(finding.severity == "error" for finding in found.appeared) else 0)
