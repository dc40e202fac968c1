"""Orders piece by piece: whole orders, as many as make up a piece, so that memory is that of the pieces in work."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property, partial
from pathlib import Path
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.exact.integers import Integers
from dokima.formats.arrow_columns import grid_of_table, raw_column
from dokima.formats.grid import Batch
from dokima.formats.layouts import Layout, own_layout
from dokima.formats.orders_of_grids import flat_orders
from dokima.formats.reading import Source, is_arrow, orders_from
from dokima.formats.registry import module_of, offers
from dokima.model.fields import Fields
from dokima.model.intake import read_orders
from dokima.model.orders import Orders
from dokima.model.raw import RawColumn


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
    def ascending(self) -> tuple[str, str] | None:
        """The lowest and the highest; None unless each is above the one before it."""
        column = self.column.distinct()
        return None if column is None else (column.values[0], column.values[column.size - 1])

    @cached_property
    def digests(self) -> Integers:
        """Eight bytes for each: of a hundred million, two are the same by chance once in some thousand runs."""
        values = self.column.values
        words = np.append(np.fromiter((hash(value) for value in values), np.int64, len(values)), hash(None))
        found: Integers = words[np.array(self.column.places(), np.int64)]
        return found


Piece = Callable[[], tuple[Orders, "Numbers | None"]]
"""Orders that have not been read yet, and their numbers. Reading is most of the work, so that it is left to whoever
takes the piece."""


def _is_streamable(source: Any, layout: Layout | None) -> bool:
    """Whether a source can be read piece by piece: flat rows of one or more files, or of Arrow."""
    if layout is not None and not layout.is_flat:
        return False
    return is_arrow(source) or (isinstance(source, Path) and bool(_files(source)))


def order_pieces(source: Source, fields: Fields, layout: Layout | None, lines: int) -> Iterator[Piece]:
    """The orders of a source in pieces of whole orders, in the sequence of the source.

    Flat rows of files and of Arrow are read piece by piece; lines of one order must then stand together, or at least
    within the same piece. Every other source is read whole first.

    Args:
        source: As for `orders_from`; of a folder of Parquet files all are read, in the sequence of their names.
        fields: The fields orders may have.
        layout: How rows are laid out; Dokima's own layout if None.
        lines: About how many lines a piece has.

    Raises:
        DocumentError: A file cannot be read; or lines of one order stand in several pieces.
    """
    if not _is_streamable(source, layout):
        yield from _parts(orders_from(source, fields, layout), lines)
        return
    chosen = layout or own_layout(fields)
    for file, batch in _batches(source, chosen, lines):
        yield partial(_read, batch, chosen, fields, file)


def _batches(source: Any, layout: Layout, lines: int) -> Iterator[tuple[str, Batch]]:
    heading = layout.header["number"].heading or "number"
    for file, found in _sources(source, layout, lines):
        for batch in _whole_orders(found, heading, lines):
            yield file, batch


def _parts(orders: Orders, lines: int) -> Iterator[Piece]:
    """Orders that are there already, in pieces; what was set aside goes with the first."""
    ranges = list(orders.pieces(lines))
    if len(ranges) < 2:
        yield lambda: (orders, None)
    else:
        for start, stop in ranges:
            yield partial(_part, orders, start, stop)


def _part(orders: Orders, start: int, stop: int) -> tuple[Orders, None]:
    return replace(orders.part(start, stop), problems=orders.problems if start == 0 else ()), None


def _read(batch: Batch, layout: Layout, fields: Fields, file: str) -> tuple[Orders, Numbers]:
    grid = replace(grid_of_table(batch.table, batch.rows), problems=batch.problems)
    raw = flat_orders(grid, layout, file)
    rows = raw.origin.header_rows
    assert rows is not None
    return read_orders(raw, layout.fields(fields), layout.reader), Numbers(raw.header["number"], rows, file)


def _sources(source: Any, layout: Layout, lines: int) -> Iterator[tuple[str, Iterator[Batch]]]:
    if isinstance(source, Path):
        for file in _files(source):
            yield file.name, module_of(file).read_batches(file, layout.separator, layout.encoding, lines)
    else:
        yield "", _arrow_batches(source)


def _files(path: Path) -> Sequence[Path]:
    """The file, or the Parquet files of a folder in the sequence of their names."""
    if path.is_dir():
        return sorted(path.glob("*.parquet"))
    return [path] if offers(path, "read_batches") else []


def _arrow_batches(source: Any) -> Iterator[Batch]:
    import pyarrow as pa

    reader = source.scanner().to_reader() if hasattr(source, "scanner") else pa.RecordBatchReader.from_stream(source)
    done = 0
    for batch in reader:
        yield Batch(pa.Table.from_batches([batch]), np.arange(done, done + batch.num_rows) + 2)
        done += batch.num_rows


def _whole_orders(batches: Iterator[Batch], heading: str, lines: int) -> Iterator[Batch]:
    """Batches cut where an order ends, each of at least so many rows; the last has what is left."""
    import pyarrow as pa

    tables: list[Any] = []
    rows: list[Integers] = []
    problems: list[Problem] = []
    held = 0
    for batch in batches:
        tables.append(batch.table)
        rows.append(batch.rows)
        problems += batch.problems
        held += batch.table.num_rows
        if held < lines or heading not in batch.table.column_names:
            continue
        table, numbers = pa.concat_tables(tables), np.concatenate(rows)
        stop = _last_start(table.column(heading))
        if not stop:
            tables, rows = [table], [numbers]  # all of it is one order, which may go on
            continue
        yield Batch(table.slice(0, stop), numbers[:stop], problems)
        tables, rows, problems, held = [table.slice(stop)], [numbers[stop:]], [], len(numbers) - stop
    if tables:
        yield Batch(pa.concat_tables(tables), np.concatenate(rows), problems)


def _last_start(key: Any) -> int:
    """The row at which the last order begins, looked for from the end."""
    size, width = len(key), 64
    while True:
        start = max(0, size - width)
        moved = np.flatnonzero(raw_column(key.slice(start)).changes())
        if len(moved):
            return start + int(moved[-1]) + 1
        if not start:
            return 0
        width *= 8


class Seen:
    """The orders of the pieces so far, so that one that comes back is refused instead of being priced in two parts.

    While numbers come in ascending order the last one is enough. From the first one that does not, a digest of eight
    bytes is kept of each; those before it are read once more.
    """

    def __init__(self, source: Any, fields: Fields, layout: Layout | None, lines: int) -> None:
        """
        Args:
            source: As for `order_pieces`, with the other arguments. Of what can be read only once digests are kept from
                the start.
            fields: The fields.
            layout: The layout.
            lines: Lines of a piece.
        """
        self._again = partial(_batches, source, layout or own_layout(fields), lines)
        self._last = ""
        self._pieces = 0
        self._digests: Integers | None = None if isinstance(source, Path) else np.zeros(0, np.int64)
        self._heading = (layout or own_layout(fields)).header["number"].heading or "number"

    def skip(self, numbers: Sequence[Sequence[str] | None]) -> None:
        """Count pieces of an earlier run as added: lowest and highest number of each, None if they do not ascend."""
        for each in numbers:
            if each is None or self._digests is not None or each[0] <= self._last:
                self._pieces, self._last = len(numbers), ""
                self._digests = self._digests_so_far()
                return
            self._last, self._pieces = each[1], self._pieces + 1

    def add(self, numbers: Numbers) -> None:
        """Add the orders of the next piece.

        Raises:
            DocumentError: One of them was in an earlier piece.
        """
        if not numbers.column.size:
            return
        ascending = numbers.ascending if self._digests is None else None
        if ascending is not None and ascending[0] > self._last:
            self._last, self._pieces = ascending[1], self._pieces + 1
            return
        if self._digests is None:
            self._digests = self._digests_so_far()
        mine = numbers.digests
        at = np.searchsorted(self._digests, mine)
        known = (np.append(self._digests, 0)[at] == mine) & (at < len(self._digests))
        if known.any():
            self._refuse(numbers, int(np.flatnonzero(known)[0]))
        self._digests = np.sort(np.concatenate([self._digests, mine]), kind="stable")
        self._pieces += 1

    def _digests_so_far(self) -> Integers:
        found = []
        for (file, batch), _ in zip(self._again(), range(self._pieces), strict=False):
            key = raw_column(batch.table.column(self._heading))
            first = np.append(0, np.flatnonzero(key.changes()) + 1)
            found.append(Numbers(key.taken(first), batch.rows[first], file).digests)
        return np.sort(np.concatenate(found)) if found else np.zeros(0, np.int64)

    def _refuse(self, numbers: Numbers, at: int) -> None:
        place = numbers.column.place(at)
        number = str(numbers.column.values[place]) if place >= 0 else ""
        message = (
            "expected all lines of an order to stand together (it was met before, too far back to be held): "
            "sort the source by order number, or read it whole"
        )
        raise DocumentError([Problem(number, "", self._heading, message, numbers.file, int(numbers.rows[at]))])
