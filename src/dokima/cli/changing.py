"""``dokima change`` and ``dokima ledger``: change orders in a folder of orders."""

from __future__ import annotations

import sys
from dataclasses import asdict, fields
from functools import partial
from typing import Annotated, get_args

import typer

from dokima.changes.change import ChangeOrder, Status
from dokima.changes.listing import ChangeEntry, change_entries
from dokima.changes.variance import COSTS
from dokima.cli.edit_actions import lines_deeds
from dokima.cli.options import (
    HERE,
    Book,
    By,
    Chart,
    Format,
    FormatOption,
    LocaleOption,
    Today,
    day,
    person,
    speak,
)
from dokima.cli.output import show, write
from dokima.cli.writing import Report, Store, open_store, write_reports
from dokima.errors import DokimaError, NotFound, listed, nearest
from dokima.formats.changes import change_data
from dokima.formats.results import cell, variance_rows
from dokima.model.states import Settle
from dokima.reports.change_list import changes_paper
from dokima.reports.changes import change_paper
from dokima.reports.charts import draw_bridge
from dokima.reports.translations import Wording

Reason = Annotated[str, typer.Option("--reason", help="Why.")]
Number = Annotated[str, typer.Argument(metavar="CHANGE", help="Number of the change order, such as SQ-2041-C1.")]
change = typer.Typer(
    no_args_is_help=True,
    rich_markup_mode=None,
    help="Change orders: open, edit, show, submit, approve, reject, rebase.",
)


def _told(changed: ChangeOrder, what: str) -> None:
    sys.stderr.write(f"{changed.number}: {what}\n")


@change.command("open")
def open_change(
    order: Annotated[str, typer.Argument(metavar="ORDER", help="Number of the order.")],
    reason: Reason = "",
    requested_by: Annotated[str, typer.Option("--requested-by", help="Who asked for it.")] = "",
    by: By = "",
    store: Store = HERE,
    book: Book = HERE,
) -> None:
    """Freeze an order as it is now and open a change order of it."""
    opened = open_store(store, book).open(order, person(by), reason=reason, requested_by=requested_by)
    sys.stdout.write(f"{opened.number}\n")


@change.command("edit")
def edit_change(
    number: Number,
    sets: Annotated[list[str] | None, typer.Option("--set", "-s", help="20.quantity=4 or header.customer=X.")] = None,
    add: Annotated[list[str] | None, typer.Option("--add", help="A line: item=X,quantity=4.")] = None,
    insert: Annotated[list[str] | None, typer.Option("--insert", help="Before a line: 20:item=X,quantity=4.")] = None,
    remove: Annotated[list[str] | None, typer.Option("--remove", help="A line and its sub-lines.")] = None,
    override: Annotated[list[str] | None, typer.Option("--override", help="A manual price: 20=610.00:reason.")] = None,
    reprice: Annotated[list[str] | None, typer.Option("--reprice", help="Lines to price by the rulebook.")] = None,
    today: Today = "",
    by: By = "",
    locale: LocaleOption = "",
    store: Store = HERE,
    book: Book = HERE,
) -> None:
    """Change what the change order says: all of it, or nothing if a rule refuses."""
    deeds = lines_deeds(sets, override, reprice, add, insert, remove)

    def work(found: ChangeOrder) -> None:
        editor = found.edit(person(by), today=day(today))
        for deed in deeds:
            deed(editor)

    kept = open_store(store, book)
    speak(locale, kept.book)
    changed = kept.work(number, person(by), work)
    show(change_paper(changed, Wording.of(kept.book.program)).to_rich())


@change.command("show")
def show_change(
    number: Number,
    every: Annotated[bool, typer.Option("--all", help="Unchanged lines too.")] = False,
    with_costs: Annotated[
        bool, typer.Option("--with-costs", help="What lines cost and earn, too: for our own eyes.")
    ] = False,
    report: Report = None,
    chart: Chart = None,
    locale: LocaleOption = "",
    store: Store = HERE,
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show what a change order changes, line by line and in total; write it as a report to send."""
    kept = open_store(store, book)
    speak(locale, kept.book)
    found = kept.change(number)
    leave_out = () if with_costs else COSTS
    data = partial(change_data, found, every=every, leave_out=leave_out)
    words, whole = Wording.of(kept.book.program), kept.ledger(found.order_number)
    paper = change_paper(found, words, ledger=whole, every=every, with_costs=with_costs)
    write_reports(paper, report, data)
    if chart is not None:
        draw_bridge(found.variance(), number, chart)
        sys.stderr.write(f"written: {chart}\n")
    write(
        form,
        table=paper.to_rich,
        data=data,
        rows=lambda: variance_rows(found.variance(), every=every, leave_out=leave_out),
        columns=("order", "line", "status"),
    )


@change.command("list")
def list_changes(
    state: Annotated[str, typer.Option("--state", help="Only those in this state, such as submitted.")] = "",
    today: Annotated[str, typer.Option("--today", help="The day up to which they wait.", show_default="today")] = "",
    locale: LocaleOption = "",
    store: Store = HERE,
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """List the change orders of a folder: what each comes to, by whom, and how long it waits."""
    if state and state not in get_args(Status):
        raise NotFound(f"there is no state '{state}'{nearest(state, get_args(Status))}; {listed(get_args(Status))}")
    kept = open_store(store, book)
    speak(locale, kept.book)
    chosen = [each for each in kept.all_changes() if state in ("", each.state)]
    entries = change_entries(chosen, day(today))
    data = [{**asdict(entry), "without_tax": cell(entry.without_tax, 0)} for entry in entries]
    write(
        form,
        table=lambda: changes_paper(entries, Wording.of(kept.book.program)).to_rich(),
        data=lambda: data,
        rows=lambda: data,
        columns=[each.name for each in fields(ChangeEntry)],
    )


@change.command("submit")
def submit_change(number: Number, by: By = "", store: Store = HERE, book: Book = HERE) -> None:
    """Freeze the figures of a change order and hand it in."""
    _told(open_store(store, book).work(number, person(by), lambda found: found.submit(person(by))), "submitted")


@change.command("approve")
def approve_change(
    number: Number,
    settle: Annotated[str, typer.Option("--settle", help="amend or split; as the rulebook says if left out.")] = "",
    accept: Annotated[
        list[str] | None, typer.Option("--accept", help="A warning to accept: beyond-budget=agreed by the board.")
    ] = None,
    today: Today = "",
    by: By = "",
    store: Store = HERE,
    book: Book = HERE,
) -> None:
    """Approve a submitted change order and settle it: every document is written, or none."""
    if settle not in ("", "amend", "split"):
        raise DokimaError(f"expected --settle amend or split (got '{settle}')")
    mode: Settle | None = "amend" if settle == "amend" else "split" if settle == "split" else None
    kept = open_store(store, book)
    settlement = kept.approve(number, person(by), settle=mode, today=day(today), accept=_reasons(accept))
    for order in settlement.orders:
        role = "supplement" if settlement.supplement and order.number == settlement.supplement.number else "amended"
        sys.stdout.write(f"{order.number}\t{role}\trevision {order.header.get('revision', 0)}\n")
    if settlement.tax_rounding:
        sys.stdout.write(f"tax rounding\t{settlement.tax_rounding}\t{settlement.currency}\n")


def _reasons(accept: list[str] | None) -> dict[str, str]:
    """Reasons by rule, of ``rule=reason``."""
    found: dict[str, str] = {}
    for text in accept or ():
        rule, sign, reason = text.partition("=")
        if not sign or not reason:
            raise DokimaError(f"expected a rule and a reason such as beyond-budget=agreed by the board (got '{text}')")
        found[rule] = reason
    return found


@change.command("reject")
def reject_change(number: Number, reason: Reason = "", by: By = "", store: Store = HERE, book: Book = HERE) -> None:
    """Turn a submitted change order down."""
    kept = open_store(store, book)
    _told(kept.work(number, person(by), lambda found: found.reject(person(by), reason)), "rejected")


@change.command("withdraw")
def withdraw_change(number: Number, reason: Reason = "", by: By = "", store: Store = HERE, book: Book = HERE) -> None:
    """Take a change order back that has not been decided."""
    _told(
        open_store(store, book).work(number, person(by), lambda found: found.withdraw(person(by), reason)), "withdrawn"
    )


@change.command("rebase")
def rebase_change(number: Number, by: By = "", store: Store = HERE, book: Book = HERE) -> None:
    """Freeze an order that has moved anew, and make the same change to it field by field."""
    changed = open_store(store, book).rebase(number, person(by))
    _told(changed, "rebased, a draft again")
    for old, new in changed.record["history"][-1].get("renumbered", {}).items():
        _told(changed, f"line {old} has been added to the order meanwhile; the change's own is line {new} now")
