"""``dokima describe``: what a rulebook says, in words."""

from __future__ import annotations

from dokima.cli.options import (
    HERE,
    Book,
    open_book,
)
from dokima.cli.output import show
from dokima.reports.describing import rulebook_report


def describe(book: Book = HERE) -> None:
    """Say what a rulebook says, in words: fields, tables, rules by moment, routines step by step, states."""
    rulebook = open_book(book)
    show(rulebook_report(rulebook.program))
