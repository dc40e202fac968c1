"""``dokima prices``: what somebody pays for everything, or who pays what for one item."""

from __future__ import annotations

from decimal import Decimal, InvalidOperation
from typing import Annotated

import typer

from dokima import DokimaError, report
from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LocaleOption,
    Tables,
    Values,
    day,
    open_book,
    pairs,
)
from dokima.cli.output import write
from dokima.cli.writing import ReportFiles, write_reports


def prices(
    customer: Annotated[str, typer.Option("--customer", help="What this customer pays.")] = "",
    supplier: Annotated[str, typer.Option("--supplier", help="What this supplier is paid.")] = "",
    item: Annotated[str, typer.Option("--item", help="Only this item; alone: who pays what for it.")] = "",
    segment: Annotated[str, typer.Option("--segment", help="What any customer of this segment pays.")] = "",
    group: Annotated[
        list[str] | None, typer.Option("--group", help="Likewise by another column of the customers: region=NORTH.")
    ] = None,
    date: Annotated[str, typer.Option("--date", help="The day, 2026-03-02.", show_default="today")] = "",
    quantity: Annotated[
        str, typer.Option("--quantity", help="Only at this quantity.", show_default="each that matters")
    ] = "",
    header: Annotated[list[str] | None, typer.Option("--header", help="Other header fields: currency=GBP.")] = None,
    line: Annotated[list[str] | None, typer.Option("--line", help="Other fields of the line: hire=true.")] = None,
    files: ReportFiles = None,
    locale: LocaleOption = "",
    tables: Tables = None,
    values: Values = None,
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show every price and discount that applies: from which row, from which quantity on, and until when."""
    rulebook = open_book(book, tables, values)
    groups = {**({"segment": segment} if segment else {}), **pairs(group)}
    found = rulebook.price_list(
        customer=customer, supplier=supplier, item=item, group=groups, date=day(date),
        quantity=_number(quantity), header=pairs(header), line=pairs(line),
    )  # fmt: skip
    shown = report(found, book=rulebook, locale=locale)
    write_reports(shown, files)
    write(form, shown)


def _number(text: str) -> Decimal | None:
    try:
        found = Decimal(text) if text else None
    except InvalidOperation:
        raise DokimaError(f"expected --quantity as a number such as 24 (got '{text}')") from None
    if found is not None and not (found.is_finite() and found > 0):
        raise DokimaError(f"expected --quantity above zero (got '{text}')")
    return found
