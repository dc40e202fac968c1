"""``dokima change``: change orders of a folder or a database, and the ledger of an order."""

from __future__ import annotations

import sys
from typing import Annotated, Literal

import typer

from dokima import ChangeOrder, DokimaError, draw, report
from dokima.cli.edit_actions import line_actions
from dokima.cli.options import HERE, Book, By, Chart, Format, FormatOption, LocaleOption, Today, day, names_of, person
from dokima.cli.output import note, write
from dokima.cli.writing import AllowDraft, Place, ReportFiles, store_of, write_reports

Reason = Annotated[str, typer.Option("--reason", help="Why.")]
Number = Annotated[str, typer.Argument(metavar="CHANGE", help="Number of the change order, such as SQ-2041-C1.")]
change = typer.Typer(
    no_args_is_help=True,
    add_completion=False,
    rich_markup_mode=None,
    help="Change orders: open, edit, show, list, submit, approve, reject, withdraw, rebase; ledger of an order.",
)


def _say(changed: ChangeOrder, what: str) -> None:
    note(f"{changed.number}: {what}")


@change.command("open")
def open_change(
    order: Annotated[str, typer.Argument(metavar="ORDER", help="Number of the order.")],
    reason: Reason = "",
    requested_by: Annotated[str, typer.Option("--requested-by", help="Who asked for it.")] = "",
    by: By = "",
    store: Place = ".",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Freeze an order as it is now and open a change order of it."""
    kept = store_of(store, book, allow_draft=allow_draft)
    opened = kept.open_change(order, person(by), reason=reason, requested_by=requested_by)
    sys.stdout.write(f"{opened.number}\n")


@change.command("edit", short_help="Change what the change order says.")
def edit_change(
    number: Number,
    sets: Annotated[list[str] | None, typer.Option("--set", "-s", help="20.quantity=4 or header.customer=X.")] = None,
    add: Annotated[list[str] | None, typer.Option("--add", help="A line: item=X,quantity=4.")] = None,
    copy: Annotated[list[str] | None, typer.Option("--copy", help="A line like another: 10 or 10:quantity=4.")] = None,
    insert: Annotated[list[str] | None, typer.Option("--insert", help="Before a line: 20:item=X,quantity=4.")] = None,
    remove: Annotated[list[str] | None, typer.Option("--remove", help="A line and its sub-lines.")] = None,
    override: Annotated[list[str] | None, typer.Option("--override", help="A manual price: 20=610.00:reason.")] = None,
    reprice: Annotated[
        list[str] | None,
        typer.Option("--reprice", help="Lines whose typed price is taken back: the rulebook prices them."),
    ] = None,
    today: Today = "",
    by: By = "",
    locale: LocaleOption = "",
    store: Place = ".",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Change what the change order says: all of it, or nothing if a rule refuses."""
    actions = line_actions(sets, override, reprice, add, insert, remove, copy=copy)

    def work(found: ChangeOrder) -> None:
        editor = found.edit(person(by), today=day(today))
        for action in actions:
            action(editor)

    kept = store_of(store, book, allow_draft=allow_draft)
    report(kept.update_change(number, person(by), work), locale=locale).show()


@change.command("show", short_help="Show what a change order changes, and write it to send.")
def show_change(
    number: Number,
    every: Annotated[bool, typer.Option("--all", help="Unchanged lines too.")] = False,
    with_costs: Annotated[
        bool, typer.Option("--with-costs", help="What lines cost and earn, too: for our own eyes.")
    ] = False,
    steps: Annotated[str, typer.Option("--steps", help="A line, or all: what each step adds to its variance.")] = "",
    columns: Annotated[
        str, typer.Option("--columns", help="Fields and figures below each line: section,goods,freight.")
    ] = "",
    files: ReportFiles = None,
    chart: Chart = None,
    locale: LocaleOption = "",
    store: Place = ".",
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show what a change order changes, line by line and in total; write it as a report to send."""
    kept = store_of(store, book, allow_draft=True)
    found = kept.change(number)
    whole = kept.ledger(found.order_number)
    shown = report(
        found, locale=locale, every=every, with_costs=with_costs, ledger=whole, steps=steps, columns=names_of(columns)
    )
    write_reports(shown, files)
    if chart is not None:
        note(f"written: {draw(found, chart, locale=shown.locale)}")
    write(form, shown)


@change.command("list", short_help="List the change orders of a folder or store.")
def list_changes(
    state: Annotated[str, typer.Option("--state", help="Only those in this state, such as submitted.")] = "",
    today: Annotated[str, typer.Option("--today", help="The day up to which they wait.", show_default="today")] = "",
    locale: LocaleOption = "",
    store: Place = ".",
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """List the change orders of a folder: what each comes to, by whom, and how long it waits."""
    kept = store_of(store, book, allow_draft=True)
    write(form, report(kept.list_changes(day(today), state), book=kept.book, locale=locale))


@change.command("submit")
def submit_change(
    number: Number, by: By = "", store: Place = ".", allow_draft: AllowDraft = False, book: Book = HERE
) -> None:
    """Freeze the figures of a change order and hand it in."""
    kept = store_of(store, book, allow_draft=allow_draft)
    _say(kept.update_change(number, person(by), lambda found: found.submit(person(by))), "submitted")


@change.command("approve", short_help="Approve a submitted change order and settle it.")
def approve_change(
    number: Number,
    settle: Annotated[str, typer.Option("--settle", help="amend or split; as the rulebook says if left out.")] = "",
    accept: Annotated[
        list[str] | None, typer.Option("--accept", help="A warning to accept: beyond-budget=agreed by the board.")
    ] = None,
    today: Today = "",
    by: By = "",
    store: Place = ".",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Approve a submitted change order and settle it: every document is written, or none."""
    if settle not in ("", "amend", "split"):
        raise DokimaError(f"expected --settle amend or split (got '{settle}')")
    mode: Literal["amend", "split"] | None = "amend" if settle == "amend" else "split" if settle == "split" else None
    kept = store_of(store, book, allow_draft=allow_draft)
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
def reject_change(
    number: Number,
    reason: Reason = "",
    by: By = "",
    store: Place = ".",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Turn a submitted change order down."""
    kept = store_of(store, book, allow_draft=allow_draft)
    _say(kept.update_change(number, person(by), lambda found: found.reject(person(by), reason)), "rejected")


@change.command("withdraw")
def withdraw_change(
    number: Number,
    reason: Reason = "",
    by: By = "",
    store: Place = ".",
    allow_draft: AllowDraft = False,
    book: Book = HERE,
) -> None:
    """Take a change order back that has not been decided."""
    kept = store_of(store, book, allow_draft=allow_draft)
    _say(
        kept.update_change(number, person(by), lambda found: found.withdraw(person(by), reason)),
        "withdrawn",
    )


@change.command("rebase", short_help="Take a moved order anew, and make the same change to it.")
def rebase_change(
    number: Number, by: By = "", store: Place = ".", allow_draft: AllowDraft = False, book: Book = HERE
) -> None:
    """Freeze an order that has moved anew, and make the same change to it field by field."""
    changed = store_of(store, book, allow_draft=allow_draft).rebase(number, person(by))
    _say(changed, "rebased, a draft again")
    for old, new in changed.record["history"][-1].get("renumbered", {}).items():
        _say(changed, f"line {old} has been added to the order meanwhile; the change's own is line {new} now")


@change.command("ledger", short_help="Show an order from the original to now.")
def ledger(
    order: Annotated[str, typer.Argument(metavar="ORDER", help="Number of the order.")],
    files: ReportFiles = None,
    locale: LocaleOption = "",
    store: Place = ".",
    book: Book = HERE,
    form: FormatOption = Format.table,
) -> None:
    """Show what an order was, what approved changes made of it, what is pending, and what its budget leaves."""
    kept = store_of(store, book, allow_draft=True)
    found = report(kept.ledger(order), book=kept.book, locale=locale)
    write_reports(found, files)
    write(form, found)
