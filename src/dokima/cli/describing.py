"""``dokima describe``: what a rulebook says, in words."""

from __future__ import annotations

from dokima import report
from dokima.cli.options import HERE, Book, open_book


def describe(book: Book = HERE) -> None:
    """Say what a rulebook says, in words: fields, tables, rules by moment, routines step by step, states."""
    report(open_book(book)).show()
