"""``dokima ledger``: what an order was, what approved changes made of it, and what is pending."""

from __future__ import annotations

from typing import Annotated

import typer

from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LocaleOption,
    speak,
)
from dokima.cli.output import write
from dokima.cli.writing import Report, Store, open_store, write_reports
from dokima.reports.ledgers import ledger_paper
from dokima.reports.translations import Wording


def ledger(
    order: Annotated[str, typer.Argument(metavar="ORDER", help="Number of the order.")],
    report: Report = None,
    locale: LocaleOption = "",
    store: Store = HERE,
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show what an order was, what approved changes made of it, what is pending, and what its budget leaves."""
    kept = open_store(store, book)
    speak(locale, kept.book)
    found = kept.ledger(order)
    paper = ledger_paper(found, Wording.of(kept.book.program))
    write_reports(paper, report, found.to_dict)
    data = found.to_dict()
    write(form, table=paper.to_rich, data=lambda: data, rows=lambda: data["lines"])
