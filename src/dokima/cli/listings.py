"""``dokima orders`` and ``lines``: what a store knows of many orders."""

from __future__ import annotations

from typing import Annotated, Any

import typer

from dokima import Listing, report
from dokima.cli.options import (
    HERE,
    Book,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    OrdersPlace,
    names_of,
    open_book,
    read_orders,
)
from dokima.cli.output import complain, write
from dokima.cli.writing import ListFiles, Place, Prefix, Schema, store_of, write_reports

Kind = Annotated[str, typer.Option("--kind", help="Kind of order: sales, purchase ...")]
State = Annotated[str, typer.Option("--state", help="State of the order.")]
Customer = Annotated[str, typer.Option("--customer", help="Number of the customer.")]
Supplier = Annotated[str, typer.Option("--supplier", help="Number of the supplier.")]
Requester = Annotated[str, typer.Option("--requested-by", help="Who asked for it.")]
Since = Annotated[str, typer.Option("--since", help="First date, 2026-03-02.")]
Until = Annotated[str, typer.Option("--until", help="Last date.")]
Where = Annotated[str, typer.Option("--where", help="A condition, such as state == 'confirmed' and budget > 1000.")]
Sort = Annotated[str, typer.Option("--sort", help="A column; with a minus before it from the highest down.")]
Limit = Annotated[int | None, typer.Option("--limit", min=1, help="At most so many.")]


def orders(
    kind: Kind = "",
    state: State = "",
    customer: Customer = "",
    supplier: Supplier = "",
    requested_by: Requester = "",
    since: Since = "",
    until: Until = "",
    item: Annotated[str, typer.Option("--item", help="Only orders with a line of this item.")] = "",
    where: Where = "",
    sort: Sort = "",
    limit: Limit = None,
    columns: Annotated[
        str, typer.Option("--columns", help="Only these, also header fields and figures: number,party,deposit.")
    ] = "",
    files: ListFiles = None,
    locale: LocaleOption = "",
    store: Place = ".",
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """List orders: date, party, totals, who asked, state and revision, and the sum for each currency."""
    kept = store_of(store, book, schema=schema, prefix=prefix, allow_draft=True)
    show_listing(
        kept.orders(
            where=where, sort=sort, limit=limit, kind=kind, state=state, customer=customer, supplier=supplier,
            requested_by=requested_by, since=since, until=until, item=item, columns=names_of(columns),
        ),
        kept.book, files, locale, form,
    )  # fmt: skip


def lines(
    orders: OrdersPlace = None,
    item: Annotated[str, typer.Option("--item", help="Only lines of this item.")] = "",
    open_only: Annotated[bool, typer.Option("--open", help="Only what is still to be delivered.")] = False,
    kind: Kind = "",
    state: State = "",
    customer: Customer = "",
    supplier: Supplier = "",
    since: Since = "",
    until: Until = "",
    where: Where = "",
    sort: Sort = "",
    limit: Limit = None,
    files: ListFiles = None,
    locale: LocaleOption = "",
    store: Place = ".",
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
    layout: LayoutName = None,
    form: FormatOption = Format.table,
) -> None:
    """List the lines of an item over all orders of a store, or of files: party, dates, quantity, what is open."""
    if orders is not None:
        rulebook = open_book(book)
        listed = rulebook.lines(
            read_orders(rulebook, [], orders, layout), open_only=open_only, where=where, sort=sort, limit=limit,
            item=item, kind=kind, state=state, customer=customer, supplier=supplier, since=since, until=until,
        )  # fmt: skip
        show_listing(listed, rulebook, files, locale, form)
        return
    kept = store_of(store, book, schema=schema, prefix=prefix, allow_draft=True)
    show_listing(
        kept.lines(
            open_only=open_only, where=where, sort=sort, limit=limit, item=item, kind=kind, state=state,
            customer=customer, supplier=supplier, since=since, until=until,
        ),
        kept.book, files, locale, form,
    )  # fmt: skip


def show_listing(listing: Listing, book: Any, files: ListFiles, locale: str, form: Format) -> None:
    """Write a list, and end with exit status 1 if orders that could not be read may be missing in it."""
    for problem in listing.problems:
        complain(str(problem))
    found = report(listing, book=book, locale=locale)
    write_reports(found, files)
    write(form, found)
    if listing.problems:
        raise typer.Exit(1)
