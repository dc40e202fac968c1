"""``dokima ledger``: what an order was, what approved changes made of it, and what is pending."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima import report
from dokima.cli.options import HERE, Book, Format, FormatOption, LocaleOption
from dokima.cli.output import write
from dokima.cli.writing import Place, ReportFiles, store_of, write_reports


def ledger(
    order: Annotated[str, typer.Argument(metavar="ORDER", help="Number of the order.")],
    files: ReportFiles = None,
    locale: LocaleOption = "",
    store: Place = ".",
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show what an order was, what approved changes made of it, what is pending, and what its budget leaves."""
    kept = store_of(store, book)
    found = report(kept.ledger(order), book=kept.book, locale=locale)
    write_reports(found, files)
    write(form, found)
