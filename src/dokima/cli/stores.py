"""``dokima store``: making and tending a store in a database."""

from __future__ import annotations

import json
import sys
from typing import Annotated, Literal

import typer

from dokima import Order, check_store, create_store, refresh_drafts, report, store_sql, upgrade_store
from dokima.cli.closing import AT_END
from dokima.cli.listings import show_listing
from dokima.cli.options import (
    HERE,
    Book,
    By,
    Format,
    FormatOption,
    LayoutName,
    LocaleOption,
    Today,
    day,
    open_book,
    person,
    read_orders,
)
from dokima.cli.output import complain, note, write
from dokima.cli.writing import AllowDraft, Prefix, ReportFiles, Schema, store_of
from dokima.errors import DokimaError

Url = Annotated[str, typer.Option("--store", help="URL of the database: sqlite:///orders.db.")]
store = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    help="A store in a database: create, load, history, feed, upgrade, check, refresh, trim, sql.",
)


@store.command("create")
def create(
    url: Url, schema: Schema = "", prefix: Prefix = "", allow_draft: AllowDraft = False, book: Book = HERE
) -> None:
    """Make the tables that the rulebook needs. Nothing that is there is touched."""
    made = create_store(url, open_book(book), schema=schema, prefix=prefix, allow_draft=allow_draft)
    AT_END.enter_context(made)
    note(f"created: {made.documents.place}")


@store.command("upgrade")
def upgrade(
    url: Url,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Print the SQL, and do nothing.")] = False,
    adopt: Annotated[bool, typer.Option("--adopt", help="Take over the store of a rulebook of another name.")] = False,
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
) -> None:
    """Add the columns that a changed rulebook needs. Nothing is ever dropped."""
    for statement in upgrade_store(url, open_book(book), schema=schema, prefix=prefix, dry_run=dry_run, adopt=adopt):
        sys.stdout.write(f"{statement};\n")
    if not dry_run:
        note("upgraded")


@store.command("check")
def check(url: Url, schema: Schema = "", prefix: Prefix = "", book: Book = HERE) -> None:
    """Compare tables and rulebook, and read every document back. Exit status 1 if something is wrong."""
    wrong = 0
    for problem in check_store(url, open_book(book), schema=schema, prefix=prefix):
        complain(problem)
        wrong += 1
    note("all is well" if not wrong else f"{wrong} found")
    raise typer.Exit(1 if wrong else 0)


@store.command("sql")
def sql(
    dialect: Annotated[
        Literal["sqlite", "postgresql"], typer.Option("--dialect", help="Of which database.")
    ] = "sqlite",
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
) -> None:
    """Print the statements that make the tables."""
    sys.stdout.write(store_sql(open_book(book), dialect, schema=schema, prefix=prefix))


@store.command("load")
def load(
    named: Annotated[list[str], typer.Argument(metavar="ORDERS...", help="Files or folders.")],
    url: Url,
    by: By = "",
    reason: Annotated[str, typer.Option("--reason", help="For the history.")] = "",
    today: Today = "",
    layout: LayoutName = None,
    schema: Schema = "",
    prefix: Prefix = "",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Save orders from files, each whole or not at all. Exit status 1 if one was refused."""
    kept = store_of(url, book, schema=schema, prefix=prefix, allow_draft=allow_draft)
    found = read_orders(kept.book, named, None, layout)
    refused = len(found.problems)
    for problem in found.problems:
        complain(str(problem))
    saved = 0
    for document in found.documents():
        try:
            order = Order.from_dict(document)
            if not kept.documents.read_orders([order.number]):
                order.header.pop("revision", None)  # how often it was saved elsewhere is not known here
            kept.save(order, person(by), reason=reason, today=day(today))
            saved += 1
        except DokimaError as error:
            findings = "".join(f"\n- {finding.message}" for finding in getattr(error, "findings", ()))
            complain(f"{error}{findings}")
            refused += 1
    note(f"{saved} saved, {refused} refused")
    raise typer.Exit(1 if refused else 0)


@store.command("refresh", short_help="Work out drafts anew.")
def refresh(
    url: Url,
    by: By = "",
    today: Today = "",
    schema: Schema = "",
    prefix: Prefix = "",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Work out drafts anew: what their defaults gave, and figures that another rulebook worked out."""
    found = open_book(book)
    done = refresh_drafts(
        url, found, by=person(by), today=day(today), schema=schema, prefix=prefix, allow_draft=allow_draft
    )
    if done.drawn:
        write(Format.table, report(done.to_listing(), book=found))
    note(f"{done.orders} orders refreshed, {len(done.drawn)} values drawn again")


@store.command("trim", short_help="Forget events.")
def trim(
    url: Url,
    before: Annotated[int, typer.Option("--before", min=1, help="Number of the first event that stays.")],
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
) -> None:
    """Forget events; whoever reads from before the first that stays is refused."""
    kept = store_of(url, book, schema=schema, prefix=prefix, allow_draft=True)
    note(f"{kept.trim(before)} events forgotten")


@store.command("history")
def history(
    number: Annotated[str, typer.Argument(metavar="NUMBER", help="Number of an order or a change order.")],
    url: Url,
    files: ReportFiles = None,
    locale: LocaleOption = "",
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show who did what to an order, and when, field by field."""
    kept = store_of(url, book, schema=schema, prefix=prefix, allow_draft=True)
    show_listing(kept.history_list(number), kept.book, files, locale, form)


@store.command("feed", short_help="Print everything that became true, in sequence.")
def feed(
    url: Url,
    after: Annotated[int, typer.Option("--after", min=0, help="Number of the last event that was read.")] = 0,
    follow: Annotated[bool, typer.Option("--follow", help="Go on for ever, and wait for what comes.")] = False,
    every: Annotated[
        float,
        typer.Option("--every", min=0.05, help="With --follow: at most so many seconds between two looks."),
    ] = 1.0,
    schema: Schema = "",
    prefix: Prefix = "",
    book: Book = HERE,
) -> None:
    """Print everything that became true, in sequence: one CloudEvents 1.0 JSON a line."""
    kept = store_of(url, book, schema=schema, prefix=prefix, allow_draft=True)
    try:
        for event in kept.follow(after, every=every) if follow else kept.feed(after):
            sys.stdout.write(json.dumps(event, ensure_ascii=False) + "\n")
            after = int(event["id"])
            if follow:
                sys.stdout.flush()
    except KeyboardInterrupt:
        note(f"stopped: --after {after} goes on from here")
