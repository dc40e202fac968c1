"""Rows of whole orders that have not been read yet: what a piece of a stream is until somebody takes it."""

from __future__ import annotations

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

import numpy as np

from dokima.columns.word_keys import Digests
from dokima.errors import DocumentError, Problem
from dokima.exact.integers import Integers
from dokima.formats.arrow_columns import grid_of_table, raw_column
from dokima.formats.grid import Batch, Grid
from dokima.formats.layouts import Layout
from dokima.formats.orders_of_grids import flat_orders, linked_orders
from dokima.model.fields import Fields
from dokima.model.intake import RawOrders, read_orders
from dokima.model.orders import Orders
from dokima.model.raw import RISES, RawColumn, Rising


@dataclass(frozen=True)
class Numbers:
    """The order numbers of a piece, for noticing one that comes back in a later piece.

    Attributes:
        column: The numbers, each there once.
        rows: The row in the file at which each begins.
        file: Name of the file.
    """

    column: RawColumn
    rows: Integers
    file: str

    @cached_property
    def ends(self) -> Ends | None:
        """The lowest and the highest; None unless they rise."""
        column, rising = self.column, self.column.rising
        if not rising or not column.size:
            return None
        return Ends(str(column.values[0]), str(column.values[column.size - 1]), rising)

    @cached_property
    def digests(self) -> Digests:
        """Eight bytes for each: of a hundred million, two are the same by chance once in some thousand runs."""
        return self.column.digests()

    @property
    def in_short(self) -> Numbers | Ends:
        """The lowest and the highest, where that says enough of a source that can be read again."""
        return self if self.ends is None else self.ends


@dataclass(frozen=True)
class Ends:
    """The order numbers of a piece in which each is above the one before it.

    Attributes:
        first: The lowest.
        last: The highest.
        rising: The orders in which they rise.
    """

    first: str
    last: str
    rising: frozenset[Rising]

    @classmethod
    def of(cls, told: Sequence[Any] | None) -> Ends | None:
        """Ends as `to_list` gives them."""
        return None if told is None else cls(told[0], told[1], frozenset(told[2:]))

    def to_list(self) -> list[str]:
        """The lowest, the highest, and the orders in which they rise, as plain data."""
        return [self.first, self.last, *sorted(self.rising)]

    def above(self, last: str, rising: Collection[Rising]) -> frozenset[Rising]:
        """Those of some orders in which all of them are above a number."""
        return frozenset(each for each in self.rising & {*rising} if RISES[each](last) < RISES[each](self.first))


@dataclass(frozen=True)
class FlatRows:
    """Rows of a flat file.

    Attributes:
        batch: The rows.
        file: Name of the file.
    """

    batch: Batch
    file: str

    def read(self, layout: Layout, fields: Fields) -> tuple[Orders, Numbers | None]:
        """The orders, and their numbers."""
        raw = flat_orders(_grid(self.batch).without_sums(layout.sums), layout, self.file)
        rows = raw.origin.header_rows
        assert rows is not None
        return _orders(raw, layout, fields), Numbers(raw.header["number"], rows, self.file)

    def numbers(self, layout: Layout) -> Numbers:
        """The order numbers, and nothing else."""
        grid = _grid(self.batch).without_sums(layout.sums)
        key = grid.columns[number_heading(layout)]
        first = np.append(0, np.flatnonzero(key.changes()) + 1)[: grid.size]
        return Numbers(key.taken(first), grid.rows[first], self.file)


@dataclass(frozen=True)
class LinkedRows:
    """Rows of a file of headers, and the rows of their lines.

    Attributes:
        headers: Rows of headers.
        lines: Rows of lines.
        files: Names of both files.
    """

    headers: Batch
    lines: Batch
    files: tuple[str, str]

    def read(self, layout: Layout, fields: Fields) -> tuple[Orders, Numbers | None]:
        """The orders, and their numbers.

        Raises:
            DocumentError: A line belongs to an order whose header stands elsewhere, or nowhere.
        """
        raw = linked_orders(_grid(self.headers), _grid(self.lines), layout, self.files)
        lost = next((problem for problem in raw.problems if problem.field == layout.link), None)
        if lost is not None:
            raise out_of_step(lost.order, self.files, layout, lost.row)
        rows = raw.origin.header_rows
        assert rows is not None
        return _orders(raw, layout, fields), Numbers(raw.header["number"], rows, self.files[0])

    def numbers(self, layout: Layout) -> Numbers:
        """The order numbers, and nothing else."""
        column = raw_column(self.headers.table.column(number_heading(layout)))
        return Numbers(column, self.headers.rows, self.files[0])


Rows = FlatRows | LinkedRows

Piece = Callable[[], tuple[Orders, "Numbers | None"]]
"""Orders that have not been read yet, and their numbers. Reading is most of the work, so that it is left to whoever
takes the piece."""


def number_heading(layout: Layout) -> str:
    """The heading over the order numbers: of flat rows, or of headers."""
    return layout.header["number"].heading or "number"


def out_of_step(number: str, files: tuple[str, str], layout: Layout, row: int | None) -> DocumentError:
    """Headers and lines are not in the same sequence of orders, so that they cannot be read side by side."""
    message = (
        f"expected the header of order {number} at the same place of {files[0] or 'the headers'} (it is elsewhere, or "
        "nowhere): sort headers and lines by order number, or read them whole"
    )
    return DocumentError([Problem(number, "", layout.link, message, files[1], row)])


def _grid(batch: Batch) -> Grid:
    return replace(grid_of_table(batch.table, batch.rows), problems=batch.problems)


def _orders(raw: RawOrders, layout: Layout, fields: Fields) -> Orders:
    return read_orders(raw, layout.fields(fields), layout.reader)
