"""``dokima edit``: the editor from the shell, on one order or on many, each whole or not at all."""

from __future__ import annotations

import sys
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Annotated, Any

import typer
from rich.console import Console
from rich.progress import Progress

from dokima.cli.options import (
    HERE,
    Book,
    By,
    LayoutName,
    OrdersPath,
    Today,
    assignments,
    day,
    open_book,
    person,
    read_orders,
)
from dokima.cli.output import complain, show
from dokima.editing.editor import Editor
from dokima.errors import DocumentError, DokimaError
from dokima.formats.jsondocs import json_text
from dokima.model.order import Order
from dokima.reports.edits import edit_report

Deed = Callable[[Editor], object]


def edit(
    named: Annotated[list[str], typer.Argument(metavar="ORDERS...", help="Files or folders; numbers with --orders.")],
    sets: Annotated[list[str] | None, typer.Option("--set", "-s", help="20.quantity=4 or header.customer=X.")] = None,
    add: Annotated[list[str] | None, typer.Option("--add", help="A line: item=X,quantity=4.")] = None,
    insert: Annotated[list[str] | None, typer.Option("--insert", help="Before a line: 20:item=X,quantity=4.")] = None,
    remove: Annotated[list[str] | None, typer.Option("--remove", help="A line and its sub-lines, or all.")] = None,
    close: Annotated[list[str] | None, typer.Option("--close", help="Lines to close, or all.")] = None,
    reopen: Annotated[list[str] | None, typer.Option("--reopen", help="Lines to reopen.")] = None,
    override: Annotated[list[str] | None, typer.Option("--override", help="A manual price: 20=610.00:reason.")] = None,
    reprice: Annotated[list[str] | None, typer.Option("--reprice", help="Lines to price by the rulebook.")] = None,
    explode: Annotated[list[str] | None, typer.Option("--explode", help="Lines to split into components.")] = None,
    accept: Annotated[
        list[str] | None, typer.Option("--accept", help="A warning: rule=reason or rule@20=reason.")
    ] = None,
    renumber: Annotated[bool, typer.Option("--renumber", help="Number all lines anew in steps of ten.")] = False,
    to: Annotated[str | None, typer.Option("--to", help="State to move the order to.")] = None,
    by: By = "",
    today: Today = "",
    out: Annotated[Path | None, typer.Option("--out", help="File for one order, folder for many.")] = None,
    dry_run: Annotated[bool, typer.Option("--dry-run", help="Say what would change, and write nothing.")] = False,
    orders: OrdersPath = None,
    book: Book = HERE,
    layout: LayoutName = None,
) -> None:
    """Change orders by the rules: all of it or, with exit status 1, nothing of that order."""
    if out is None and not dry_run:
        raise DokimaError("expected --out PATH for the changed order, or --dry-run")
    rulebook = open_book(book)
    deeds = [
        *_sets(sets), *_each(override, _override), *_each(reprice, lambda number: lambda e: e.reprice_line(number)),
        *_each(add, _add), *_each(insert, _insert), *_each(remove, _remove),
        *_each(explode, lambda number: lambda e: e.explode_line(number)),
        *_each(reopen, lambda number: lambda e: e.reopen_line(number)), *_each(close, _close),
        *([lambda e: e.renumber_lines()] if renumber else []), *_each(accept, _accept),
        *([lambda e: e.move_to(to)] if to else []),
    ]  # fmt: skip
    found = read_orders(rulebook, named, orders, layout)
    if found.problems and len(found) == 0:
        raise DocumentError(found.problems)
    documents = [Order.from_dict(document) for document in found.documents()]
    outcomes = _all(documents, deeds, lambda order: rulebook.edit(order, person(by), today=day(today)))
    done = [outcome for outcome in outcomes if outcome.error is None]
    for problem in found.problems:
        complain(str(problem))
    for outcome in outcomes:
        show(edit_report(outcome.editor, outcome.before)) if outcome.error is None else complain(str(outcome.error))
    if not dry_run and out is not None and done:
        _write(done, out, folder=len(documents) > 1)
    if len(documents) > 1:
        verb = "would be changed" if dry_run else "changed"
        Console(highlight=False).print(f"{len(done)} orders {verb}, {len(outcomes) - len(done)} refused")
    raise typer.Exit(0 if len(done) == len(outcomes) and not found.problems else 1)


@dataclass
class _Outcome:
    editor: Editor
    before: Order
    error: DokimaError | None


def _all(documents: Sequence[Order], deeds: Sequence[Deed], opened: Callable[[Order], Editor]) -> list[_Outcome]:
    """Every order by itself; progress to standard error where many take long."""
    outcomes = []
    with Progress(console=Console(stderr=True), transient=True, disable=len(documents) < 20) as progress:
        for document in progress.track(documents, description="editing"):
            editor = opened(document)
            error: DokimaError | None = None
            try:
                for deed in deeds:
                    deed(editor)
            except DokimaError as refused:
                number = document.number or "the order"
                error = (
                    type(refused)(f"{number}: {refused}", refused.findings) if hasattr(refused, "findings") else refused
                )
            outcomes.append(_Outcome(editor, document, error))
    return outcomes


def _write(outcomes: Sequence[_Outcome], out: Path, *, folder: bool) -> None:
    if folder:
        out.mkdir(parents=True, exist_ok=True)
    for outcome in outcomes:
        target = out / f"{outcome.before.number}.json" if folder else out
        # Written beside the target and renamed, so that nobody ever finds half a document.
        partial = target.with_name(f".{target.name}.partial")
        try:
            partial.write_text(json_text(outcome.editor.order.to_dict()) + "\n", encoding="utf-8")
            partial.replace(target)
        except OSError as error:
            raise DokimaError(f"'{target}' cannot be written: {error.strerror}") from None
        sys.stderr.write(f"written: {target}\n")


def _each(values: Sequence[str] | None, make: Callable[[str], Deed]) -> list[Deed]:
    return [make(value) for value in values or ()]


def _sets(sets: Sequence[str] | None) -> list[Deed]:
    """One change of the header, and one of each line, with all the fields given for it."""
    by_target: dict[str, dict[str, Any]] = {}
    for target, value in assignments(sets).items():
        where, _, name = target.rpartition(".")
        by_target.setdefault(where, {})[name] = value or None

    def deed(where: str, fields: dict[str, Any]) -> Deed:
        if where == "header":
            return lambda editor: editor.change_header(**fields)
        return lambda editor: editor.change_line(where, **fields)

    return [deed(where, fields) for where, fields in by_target.items()]


def _fields(text: str) -> dict[str, Any]:
    fields: dict[str, Any] = {}
    for part in text.split(","):
        name, sign, value = part.partition("=")
        if not sign:
            raise DokimaError(f"expected fields such as item=PANE-T6,quantity=4 (got '{text}')")
        fields[name.strip()] = value or None
    return fields


def _add(text: str) -> Deed:
    fields = _fields(text)
    return lambda editor: editor.add_line(**fields)


def _insert(text: str) -> Deed:
    number, sign, rest = text.partition(":")
    if not sign:
        raise DokimaError(f"expected a line and fields such as 20:item=PANE-T6,quantity=4 (got '{text}')")
    fields = _fields(rest)
    return lambda editor: editor.insert_line(before=number, **fields)


def _remove(number: str) -> Deed:
    return (lambda editor: editor.clear_lines()) if number == "all" else (lambda editor: editor.remove_line(number))


def _close(number: str) -> Deed:
    return (lambda editor: editor.close_lines()) if number == "all" else (lambda editor: editor.close_line(number))


def _override(text: str) -> Deed:
    number, sign, rest = text.partition("=")
    price, _, reason = rest.partition(":")
    if not sign or not reason:
        raise DokimaError(f"expected a line, a price and a reason such as 20=610.00:framework terms (got '{text}')")
    return lambda editor: editor.override_price(number, price, reason)


def _accept(text: str) -> Deed:
    target, sign, reason = text.partition("=")
    rule, _, line = target.partition("@")
    if not sign or not reason:
        raise DokimaError(f"expected a rule and a reason such as half-days=agreed by phone (got '{text}')")

    def deed(editor: Editor) -> None:
        open_ = [f for f in editor.check("save") if f.rule == rule and f.stops and line in ("", f.line)]
        if not open_:
            raise DokimaError(f"{editor.order.number}: rule {rule} has nothing to accept")
        for finding in open_:
            editor.acknowledge(finding, reason)

    return deed
