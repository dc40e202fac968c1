"""Restating: agreed terms said to be those of a document as it stands now."""

from __future__ import annotations

from dataclasses import replace
from functools import cached_property
from typing import Any

import numpy as np

from dokima.changes.documents import Plain
from dokima.columns.column import Column, value_at
from dokima.exact.integers import Integers
from dokima.model.agreed_terms import Agreed, AgreedTerms
from dokima.model.content import plain
from dokima.model.document import Document
from dokima.model.orders import Orders
from dokima.pricing.defaults.preparing import prepare
from dokima.pricing.names.agreed_columns import shared_asks
from dokima.pricing.names.context import Context
from dokima.pricing.program import Program, Run


def restated(program: Program, document: Document, settled: str = "") -> Document:
    """The document with its terms said to be those of the document as it stands now.

    What a settlement leaves stands on each document as settled: the fields that would call for a new price
    (``basis``), and what tables were asked over several lines (``asks``), are those of this document, until it is
    itself changed in one.

    Args:
        program: The rulebook.
        document: The document, with terms for lines that it has.
        settled: What settled it, such as ``ended``; blank for what its terms say.
    """
    terms = document.terms or AgreedTerms()
    work = _Restating(program, document)
    return document.with_terms(
        replace(
            terms,
            settled=settled or terms.settled,
            digest=document.digest(terms.fields),
            basis=work.basis(terms, "header", 0),
            asks=work.asks(terms, "header", 0),
            lines={
                number: replace(line, basis=work.basis(line, "line", at), asks=work.asks(line, "line", at))
                for number, line in terms.lines.items()
                for at in [work.places[number]]
            },
        )
    )


class _Restating:
    """What the fields of a document, and the tables over its lines, say now."""

    def __init__(self, program: Program, document: Document) -> None:
        self.program = program
        self.orders = prepare(program, document.orders(program.fields), Run())
        self.places = {number: at for at, number in enumerate(self.orders.line_numbers)}
        self._columns: dict[str, list[Column]] = {}

    def basis(self, agreed: Agreed, level: str, at: int) -> Plain:
        column = self.orders.header if level == "header" else self.orders.line
        return {name: plain(value_at(column(name), at)) for name in agreed.basis}

    def asks(self, agreed: Agreed, level: str, at: int) -> dict[str, list[Any]]:
        if not agreed.asks:
            return {}
        kept = self._leaves[1]
        place = at if kept is None or level == "header" else int(np.flatnonzero(kept == at)[0])
        return {name: [plain(value_at(value, place)) for value in self._asked(name)] for name in agreed.asks}

    @cached_property
    def _leaves(self) -> tuple[Orders, Integers | None]:
        return self.orders.leaves()

    @cached_property
    def _context(self) -> Context:
        leaves, kept = self._leaves
        return Context(self.program, leaves, Run(), self.orders, kept)

    def _asked(self, name: str) -> list[Column]:
        """What a table is asked over several lines, worked out once for all of them."""
        if name not in self._columns:
            table = self.program.tables.get(name)
            formulas = [] if table is None else shared_asks(table, self.program.definition.reprice_on)
            self._columns[name] = [each.evaluate(self._context, table.level) for each in formulas if table is not None]
        return self._columns[name]
