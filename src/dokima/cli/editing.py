"""``dokima edit``: the editor from the shell, on one order or on many, each whole or not at all."""

from __future__ import annotations

import datetime
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated

import typer
from rich.console import Console
from rich.progress import Progress

from dokima import DocumentError, DokimaError, Editor, Order, Orders, Rulebook, report, write_order, write_orders
from dokima.cli import completing
from dokima.cli.edit_actions import Action, accept_action, close_action, each, line_actions
from dokima.cli.many_edits import Asked, edit_them
from dokima.cli.options import HERE, Book, By, LayoutName, OrdersPlace, Today, day, open_book, person, read_orders
from dokima.cli.output import complain, note
from dokima.cli.writing import AllowDraft, store_at


def edit(
    named: Annotated[
        list[str] | None,
        typer.Argument(metavar="ORDERS...", help="Files or folders; numbers with --orders or --store."),
    ] = None,
    sets: Annotated[list[str] | None, typer.Option("--set", "-s", help="20.quantity=4 or header.customer=X.")] = None,
    add: Annotated[list[str] | None, typer.Option("--add", help="A line: item=X,quantity=4.")] = None,
    copy: Annotated[list[str] | None, typer.Option("--copy", help="A line like another: 10 or 10:quantity=4.")] = None,
    insert: Annotated[list[str] | None, typer.Option("--insert", help="Before a line: 20:item=X,quantity=4.")] = None,
    remove: Annotated[
        list[str] | None, typer.Option("--remove", help="Lines and their sub-lines, which leave together, or all.")
    ] = None,
    close: Annotated[list[str] | None, typer.Option("--close", help="Lines to close, or all.")] = None,
    reopen: Annotated[list[str] | None, typer.Option("--reopen", help="Lines to reopen.")] = None,
    override: Annotated[list[str] | None, typer.Option("--override", help="A manual price: 20=610.00:reason.")] = None,
    reprice: Annotated[
        list[str] | None,
        typer.Option("--reprice", help="Lines whose typed price is taken back: the rulebook prices them."),
    ] = None,
    explode: Annotated[list[str] | None, typer.Option("--explode", help="Lines to split into components.")] = None,
    accept: Annotated[
        list[str] | None, typer.Option("--accept", help="A warning: rule=reason or rule@20=reason.")
    ] = None,
    renumber: Annotated[bool, typer.Option("--renumber", help="Number all lines anew in steps of ten.")] = False,
    to: Annotated[
        str | None, typer.Option("--to", help="State to move the order to.", autocompletion=completing.states)
    ] = None,
    store: Annotated[
        str, typer.Option("--store", help="Folder or URL of a store: edit and save there; ORDERS are numbers.")
    ] = "",
    where: Annotated[str, typer.Option("--where", help="With --store: all orders this holds for, as a job.")] = "",
    job: Annotated[str, typer.Option("--job", help="With --store: name of a job, to take it up again.")] = "",
    reason: Annotated[str, typer.Option("--reason", help="With --store: why, for the history.")] = "",
    allow_draft: AllowDraft = False,
    by: By = "",
    today: Today = "",
    out: Annotated[
        Path | None, typer.Option("--out", help="File for one order, folder for many; or .jsonl, .csv, .xlsx.")
    ] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would change, and write nothing.")] = False,
    orders: OrdersPlace = None,
    book: Book = HERE,
    layout: LayoutName = None,
) -> None:
    """Change orders by the rules: all of it or, with exit status 1, nothing of that order."""
    if out is None and not dry_run and not store:
        raise DokimaError("expected --out PATH for the changed order, --store, or --dry-run")
    rulebook = open_book(book)
    actions: list[Action] = [
        *line_actions(sets, override, reprice, add, insert, remove, explode, copy),
        *each(reopen, lambda number: lambda e: e.reopen_line(number)), *each(close, close_action),
        *([lambda e: e.renumber_lines()] if renumber else []), *each(accept, accept_action),
        *([lambda e: e.move_to(to)] if to else []),
    ]  # fmt: skip
    others = [add, copy, insert, remove, override, explode, ["renumber"] if renumber else None]
    asked = Asked(close, reopen, reprice, sets, to, accept, others)
    if store:
        from dokima.cli.stored_edits import Doing, edit_stored

        doing = Doing(person(by), reason, day(today), dry_run)
        kept = store_at(store, rulebook, allow_draft=allow_draft)
        raise typer.Exit(edit_stored(kept, doing, asked, actions, named or [], where, job))
    files = _Files(rulebook, person(by), day(today), None if dry_run else out, layout, dry_run)
    raise typer.Exit(_edit_files(files, _found(read_orders(rulebook, named or [], orders, layout)), asked, actions))


@dataclass(frozen=True)
class _Files:
    """Where edited orders go, and by whom they are edited.

    Attributes:
        book: The rulebook.
        by: Who edits.
        today: For ``run.today``.
        target: The file or folder; None to write nothing.
        layout: Name of the layout of a table; None for Dokima's own headings.
        dry_run: Whether it is only said what would change.
    """

    book: Rulebook
    by: str
    today: datetime.date
    target: Path | None
    layout: str | None
    dry_run: bool


def _edit_files(files: _Files, found: Orders, asked: Asked, actions: Sequence[Action]) -> int:
    """Edit orders and write them: many in one pass where one operation says it all, else one by one; exit status."""
    operations = asked.operations() if len(found) > 1 else []
    if len(operations) == 1:
        done = edit_them(files.book, found, operations[0], files.by, files.today)
        _write(done.orders, files.target, files.book, files.layout)
        _say(len(done), len(done.refused), dry_run=files.dry_run)
        return 1 if done.refused or found.problems else 0
    outcomes = _one_by_one(found, actions, lambda order: files.book.edit(order, files.by, today=files.today))
    edited = [outcome.editor.order for outcome in outcomes if outcome.error is None]
    if len(outcomes) > 1:
        _write(edited, files.target, files.book, files.layout)
        _say(len(edited), len(outcomes) - len(edited), dry_run=files.dry_run)
    elif edited and files.target is not None:
        _write_one(edited[0], files.target, files.book, files.layout)
    return 0 if len(edited) == len(outcomes) and not found.problems else 1


def _write(edited: Sequence[Order], out: Path | None, book: Rulebook, layout: str | None) -> None:
    """Write several orders, if any are to be written."""
    if edited and out is not None:
        written = write_orders(edited, out, book, layout or "")
        for target in written[:MOST_NAMED]:
            note(f"written: {target}")
        if len(written) > MOST_NAMED:
            note(f"written: {len(written) - MOST_NAMED} more")


def _write_one(edited: Order, out: Path, book: Rulebook, layout: str | None) -> None:
    if out.suffix.lower() in (".jsonl", ".csv", ".xlsx"):
        _write([edited], out, book, layout)
    else:
        note(f"written: {write_order(edited, out)}")


MOST_NAMED = 20
"""Files that are named when they are written."""


def _say(changed: int, refused: int, *, dry_run: bool) -> None:
    verb = "would be changed" if dry_run else "changed"
    Console(highlight=False).print(f"{changed:,} orders {verb}, {refused:,} refused")


@dataclass
class _Outcome:
    editor: Editor
    error: DokimaError | None


def _found(orders: Orders) -> Orders:
    """The orders that can be read; those that cannot are told.

    Raises:
        DocumentError: None can be.
    """
    if orders.problems and len(orders) == 0:
        raise DocumentError(orders.problems)
    for problem in orders.problems:
        complain(str(problem))
    return orders


def _one_by_one(orders: Orders, actions: Sequence[Action], opened: Callable[[Order], Editor]) -> list[_Outcome]:
    """Every order by itself, and what came of it shown; progress to standard error where many take long."""
    documents = [Order.from_dict(document) for document in orders.documents()]
    outcomes = []
    with Progress(console=Console(stderr=True), transient=True, disable=len(documents) < 20) as progress:
        for document in progress.track(documents, description="editing"):
            editor = opened(document)
            error: DokimaError | None = None
            try:
                for action in actions:
                    action(editor)
            except DokimaError as refused:
                number = document.number or "the order"
                error = (
                    type(refused)(f"{number}: {refused}", refused.findings) if hasattr(refused, "findings") else refused
                )
            outcomes.append(_Outcome(editor, error))
    for outcome in outcomes:
        report(outcome.editor).show() if outcome.error is None else complain(str(outcome.error))
    return outcomes
