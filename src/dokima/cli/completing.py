"""What the shell may complete: order and line numbers, figures, rules, tables, layouts, states and locales.

A completion never complains: where nothing can be read there is nothing to offer.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import Any

import typer

from dokima import DokimaError, Rulebook, load
from dokima.cli.finding_books import book_folder


def _offer(
    work: Callable[[Rulebook, typer.Context], Iterable[str | None]],
) -> Callable[[typer.Context, str], list[str]]:
    """A completion: what ``work`` knows of the rulebook and of the words typed so far."""

    def complete(ctx: typer.Context, incomplete: str) -> list[str]:
        try:
            known = [word for word in work(load(book_folder(ctx.params.get("book"))), ctx) if word]
        except (DokimaError, OSError):
            return []
        return [word for word in dict.fromkeys(known) if word.startswith(incomplete)]

    return complete


def _orders(book: Rulebook, ctx: typer.Context) -> Any:
    named = ctx.params.get("order") or ctx.params.get("orders_named") or ctx.params.get("named")
    where = ctx.params.get("orders") or named
    paths = [Path(each) for each in ([where] if isinstance(where, str | Path) else where or [])]
    return book.orders(paths[0] if len(paths) == 1 else paths, ctx.params.get("layout"))


def _lines(book: Rulebook, ctx: typer.Context) -> Iterator[str]:
    found = _orders(book, ctx)
    wanted = ctx.params.get("order")
    for document in found.documents():
        if ctx.params.get("orders") is None or document.get("number") == wanted:
            yield from (line["number"] for line in document["lines"])


def _figures(book: Rulebook, ctx: typer.Context) -> list[str]:  # noqa: ARG001 (all are asked alike)
    return [step.name for routine in book.program.routines for step in routine.steps]


_numbers = _offer(lambda book, ctx: _orders(book, ctx).numbers)
line_numbers = _offer(_lines)
figures = _offer(_figures)
papers = _offer(lambda book, _: list(book.declared.papers))
rules = _offer(lambda book, _: [rule.id for rule in book.program.rules])
tables = _offer(lambda book, _: [f"{name}=" for name in book.program.tables])
table_names = _offer(lambda book, _: book.program.tables)
values = _offer(lambda book, _: [f"{name}=" for name in book.program.definition.values])
layouts = _offer(lambda book, _: book.layouts)
states = _offer(lambda book, _: book.program.definition.lifecycle.states)
moments = _offer(lambda book, _: dict.fromkeys(moment for rule in book.program.rules for moment in rule.definition.at))


def order_names(ctx: typer.Context, incomplete: str) -> list[str]:
    """Numbers among the orders of ``--orders``; files and folders without it."""
    if ctx.params.get("orders") is not None:
        return _numbers(ctx, incomplete)
    typed = Path(incomplete)
    folder = typed if incomplete.endswith("/") else typed.parent
    try:
        found = sorted(folder.iterdir())
    except OSError:
        return []
    shown = [f"{each}/" if each.is_dir() else str(each) for each in found if not each.name.startswith(".")]
    return [each for each in shown if each.startswith(incomplete)]


def locales(incomplete: str) -> list[str]:
    """Locales whose words, numbers and dates are known."""
    from babel.localedata import locale_identifiers

    return sorted(each for each in locale_identifiers() if each.startswith(incomplete))
