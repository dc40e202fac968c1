"""Orders piece by piece: whole orders, as many as make up a piece, so that memory is that of the pieces in work."""

from __future__ import annotations

import os
from collections import deque
from collections.abc import Iterator, Sequence
from dataclasses import replace
from functools import partial
from itertools import count, islice
from pathlib import Path
from typing import Any

import numpy as np

from dokima.columns.word_keys import Digests
from dokima.errors import DocumentError, DokimaError, Problem
from dokima.exact.integers import Integers, Mask
from dokima.formats.arrow_columns import raw_column
from dokima.formats.frames import is_arrow
from dokima.formats.grid import Batch, check_headings
from dokima.formats.headers_and_lines import apart
from dokima.formats.layouts import Layout, own_layout
from dokima.formats.parquet_folders import files_of_orders
from dokima.formats.pieces import Ends, FlatRows, LinkedRows, Numbers, Piece, Rows, number_heading, out_of_step
from dokima.formats.reading import Source, orders_from
from dokima.formats.registry import module_of, offers
from dokima.model.fields import Fields
from dokima.model.orders import Orders
from dokima.model.raw import RISES, Rising
from dokima.model.values import number_shown


def order_pieces(source: Source, fields: Fields, layout: Layout | None, lines: int) -> Iterator[Piece]:
    """The orders of a source in pieces of whole orders, in the sequence of the source.

    Flat rows of files and of Arrow are read piece by piece; lines of one order must then stand together, or at least
    within the same piece. So are headers and lines apart, if both are in the same sequence of orders. Every other
    source is read whole first.

    Args:
        source: As for `orders_from`; of a folder of Parquet files all are read, in the sequence of their names.
        fields: The fields orders may have.
        layout: How rows are laid out; Dokima's own layout if None.
        lines: About how many lines a piece has.

    Raises:
        DokimaError: Pieces would have no line.
        DocumentError: A file cannot be read; lines of one order stand in several pieces; headers and lines are in
            different sequences.
    """
    check_size(lines)
    chosen = layout or own_layout(fields)
    if linked(source, chosen) is None and not _is_streamable(source, layout):
        yield from _parts(orders_from(source, fields, layout), lines)
        return
    for rows in _rows(source, chosen, lines):
        yield partial(rows.read, chosen, fields)


def check_size(lines: int) -> None:
    """Refuse pieces without a line.

    Raises:
        DokimaError: They would have none.
    """
    if lines < 1:
        raise DokimaError(f"expected pieces of at least 1 line (got {lines})")


def _is_streamable(source: Any, layout: Layout | None) -> bool:
    """Whether a source can be read piece by piece: flat rows of one or more files, or of Arrow."""
    return bool(files_of_flat_rows(source, layout)) or (is_arrow(source) and (layout is None or layout.in_pieces))


def files_of_flat_rows(source: Any, layout: Layout | None) -> Sequence[Path]:
    """The files that are read piece by piece, one after the other; none if a source is no such files."""
    if not isinstance(source, Path) or (layout is not None and not layout.in_pieces):
        return []
    return _files(source)


def linked(source: Any, layout: Layout) -> tuple[Any, Any] | None:
    """Headers and lines apart that can be read side by side, files or folders or two of Arrow; None for neither."""
    if layout.files is not None:
        if isinstance(source, Path) and os.path.isdir(source):
            source = [source / layout.files.headers, source / layout.files.lines]
        paths = isinstance(source, list | tuple) and len(source) == 2 and all(isinstance(each, Path) for each in source)
        if paths and all(offers(each, "read_batches") for each in source):
            return source[0], source[1]
    if isinstance(source, tuple) and len(source) == 2 and all(is_arrow(each) for each in source):
        return source
    return apart(source, layout) if layout.name == "own" else None


def _rows(source: Any, layout: Layout, lines: int) -> Iterator[Rows]:
    both = linked(source, layout)
    if both is not None:
        yield from _side_by_side(both, layout, lines)
        return
    for file, found in _sources(source, layout, lines):
        for batch in whole_orders(found, number_heading(layout), lines):
            yield FlatRows(batch, file)


def _side_by_side(both: tuple[Any, Any], layout: Layout, lines: int) -> Iterator[LinkedRows]:
    """Lines of whole orders, each with the headers up to that of its last order."""
    heading = number_heading(layout)
    (file, headers), (lines_file, bodies) = (_one_source(each, layout, lines) for each in both)
    files = (file or "headers", lines_file or "lines")
    coming = _Coming(map(partial(_named, heading=heading), headers), lines)
    without_rows = _no_lines(layout)
    for body in whole_orders(map(partial(_named, heading="line"), bodies), layout.link, lines):
        if layout.link not in body.table.column_names or not body.table.num_rows:
            yield LinkedRows(coming.rest(), body, files)  # whoever reads it says what is missing
            continue
        last = body.table.column(layout.link)[-1].as_py()
        found = coming.up_to(heading, last)
        without_rows = Batch(body.table.slice(0, 0), body.rows[:0])
        if found is None:
            raise out_of_step(str(last), files, layout, int(body.rows[-1]))
        yield LinkedRows(found, body, files)
    if (left := coming.rest()).table.num_rows:
        yield LinkedRows(left, without_rows, files)


def _no_lines(layout: Layout) -> Batch:
    """No lines under the headings that must be there: a table without rows comes as no batch at all."""
    import pyarrow as pa

    headings = {layout.link, *(spec.heading or name for name, spec in layout.line.items())}
    return Batch(pa.schema([(heading, pa.string()) for heading in headings]).empty_table(), np.zeros(0, np.int64))


def _named(batch: Batch, heading: str) -> Batch:
    """A batch whose column ``number`` is called as in a file that holds both levels; see `orders_from`."""
    names = batch.table.column_names
    if heading in names or "number" not in names:
        return batch
    return replace(batch, table=batch.table.rename_columns([heading if n == "number" else n for n in names]))


class _Coming:
    """Rows that come in batches and are taken up to some row."""

    def __init__(self, batches: Iterator[Batch], most: int) -> None:
        self._batches = batches
        self._most = most
        self._held: list[Batch] = []

    def up_to(self, heading: str, value: Any) -> Batch | None:
        """All rows up to the last one in a row that has this value; None if none of the next ``most`` rows has it."""
        passed = 0
        for at in count():
            if at == len(self._held):
                more = next(self._batches, None) if passed <= self._most else None
                if more is None:
                    return None
                self._held.append(more)
            batch = self._held[at]
            found = _place(batch.table, heading, value)
            if found >= 0:
                taken = [*self._held[:at], _slice(batch, 0, found + 1)]
                self._held = [_slice(batch, found + 1, batch.table.num_rows), *self._held[at + 1 :]]
                return _joined(taken)
            passed += batch.table.num_rows
        raise AssertionError("counting does not end")

    def rest(self) -> Batch:
        """Everything that is left."""
        import pyarrow as pa

        held = [*self._held, *self._batches]
        self._held = []
        return _joined(held) if held else Batch(pa.table({}), np.zeros(0, np.int64))


def _place(table: Any, heading: str, value: Any) -> int:
    """The first row with a value, -1 for none."""
    from pyarrow import compute

    return int(compute.index(table.column(heading), value).as_py()) if heading in table.column_names else -1


def _slice(batch: Batch, start: int, stop: int) -> Batch:
    return Batch(batch.table.slice(start, stop - start), batch.rows[start:stop], batch.problems if not start else [])


def _joined(batches: Sequence[Batch]) -> Batch:
    import pyarrow as pa

    problems = [problem for batch in batches for problem in batch.problems]
    return Batch(pa.concat_tables([b.table for b in batches]), np.concatenate([b.rows for b in batches]), problems)


def _parts(orders: Orders, lines: int) -> Iterator[Piece]:
    """Orders that are there already, in pieces; what was set aside goes with the first."""
    for start, stop in list(orders.pieces(lines)) or [(0, 0)]:
        part = orders.part(start, stop)
        yield partial(_read_already, replace(part, problems=orders.problems if start == 0 else ()))


def _read_already(orders: Orders) -> tuple[Orders, None]:
    return orders, None


def _sources(source: Any, layout: Layout, lines: int) -> Iterator[tuple[str, Iterator[Batch]]]:
    if isinstance(source, Path):
        for file in _files(source):
            yield file.name, module_of(file).read_batches(file, layout, lines)
    else:
        yield "", _arrow_batches(source)


def _one_source(source: Any, layout: Layout, lines: int) -> tuple[str, Iterator[Batch]]:
    """A source as one flow of rows: of a folder those of all its files, one after the other."""
    if isinstance(source, Path) and os.path.isdir(source):
        return source.name, (batch for _, batches in _sources(source, layout, lines) for batch in batches)
    return next(iter(_sources(source, layout, lines)))


def _files(path: Path) -> Sequence[Path]:
    """The file, or those of a folder, if they can be read batch by batch."""
    return [file for file in (files_of_orders(path) if os.path.isdir(path) else [path]) if offers(file, "read_batches")]


def _arrow_batches(source: Any) -> Iterator[Batch]:
    import pyarrow as pa

    reader = source.scanner().to_reader() if hasattr(source, "scanner") else pa.RecordBatchReader.from_stream(source)
    check_headings(reader.schema.names)
    done = 0
    for batch in reader:
        yield Batch(pa.Table.from_batches([batch]), np.arange(done, done + batch.num_rows) + 2)
        done += batch.num_rows


def whole_orders(batches: Iterator[Batch], heading: str, lines: int) -> Iterator[Batch]:
    """Batches cut where an order ends, each of about so many rows; the last has what is left.

    Where they are cut depends on the rows alone, as long as a batch ends with each multiple of ``lines``: a file is cut
    at the same places whichever of its columns are read.
    """
    import pyarrow as pa

    tables: list[Any] = []
    rows: list[Integers] = []
    problems: list[Problem] = []
    passed, due = 0, lines
    for batch in batches:
        tables.append(batch.table)
        rows.append(batch.rows)
        problems += batch.problems
        passed += batch.table.num_rows
        if passed < due or heading not in batch.table.column_names:
            continue
        due = passed + lines
        table, numbers = pa.concat_tables(tables), np.concatenate(rows)
        stop = _last_start(table.column(heading))
        if not stop:
            tables, rows = [table], [numbers]  # all of it is one order, which may go on
            continue
        yield Batch(table.slice(0, stop), numbers[:stop], problems)
        tables, rows, problems = [table.slice(stop)], [numbers[stop:]], []
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


def _can_be_read_again(source: Any) -> bool:
    return all(isinstance(each, Path) for each in (source if isinstance(source, list | tuple) else [source]))


class Seen:
    """The orders of the pieces so far, so that one that comes back is refused instead of being priced in two parts.

    While numbers rise, as texts or by their length, the last one is enough. From the first one that does not, a digest
    of eight bytes is kept of each; those before it are read once more.

    Attributes:
        reads_again: Whether the ends of a piece say enough, because what else must be known is read from the source.
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
        self._layout = layout or own_layout(fields)
        self._again = partial(_rows, source, self._layout, lines)
        self._last = ""
        self._rising: frozenset[Rising] = frozenset(RISES)
        self._pieces = 0
        self.reads_again = _can_be_read_again(source)
        self._digests: _Digests | None = None if self.reads_again else _Digests()
        self._rest: Iterator[Numbers] = iter(())  # of the pieces that come, once they have to be read again
        self._rest_from = 0

    def skip(self, ends: Sequence[Ends | None]) -> None:
        """Count pieces of an earlier run as added, by their lowest and highest numbers, None where they do not rise."""
        for each in ends:
            if self._digests is not None or each is None or not self._goes_on(each):
                self._pieces = len(ends)
                self._digests = self._digests_so_far()
                return

    def add(self, numbers: Numbers | Ends) -> None:
        """Add the orders of the next piece.

        Raises:
            DocumentError: One of them was in an earlier piece.
        """
        if isinstance(numbers, Numbers) and not numbers.column.size:
            self._pieces += 1  # of nothing but rows that are left out
            return
        if self._digests is None:
            ends = numbers if isinstance(numbers, Ends) else numbers.ends
            if ends is not None and self._goes_on(ends):
                return
            self._digests = self._digests_so_far()
        if isinstance(numbers, Ends):
            (numbers,) = deque(islice(self._rest, self._pieces + 1 - self._rest_from), 1)
            self._rest_from = self._pieces + 1
        met = np.flatnonzero(self._digests.has(numbers.digests))
        for at in met.tolist():
            if self._was_there(_number(numbers, at)):
                self._refuse(numbers, at)
        self._digests.add(numbers.digests)
        self._pieces += 1

    def _goes_on(self, ends: Ends) -> bool:
        """Whether a piece goes on where the last one ended, in one of the orders in which all have risen so far."""
        rising = ends.above(self._last, self._rising) if self._pieces else ends.rising
        if rising:
            self._last, self._rising, self._pieces = ends.last, rising, self._pieces + 1
        return bool(rising)

    def _digests_so_far(self) -> _Digests:
        self._rest, self._rest_from = (rows.numbers(self._layout) for rows in self._again()), self._pieces
        found = _Digests()
        for numbers in islice(self._rest, self._pieces):
            found.add(numbers.digests)
        return found

    def _was_there(self, number: str) -> bool:
        """Whether an earlier piece has an order of that number; of what can be read only once its digest has to do."""
        if not self.reads_again:
            return True
        before = (rows.numbers(self._layout) for rows in islice(self._again(), self._pieces))
        return any(number in map(number_shown, numbers.column.values) for numbers in before)

    def _refuse(self, numbers: Numbers, at: int) -> None:
        message = (
            "expected all lines of an order to stand together (it was met before, too far back to be held): "
            "sort the source by order number, or read it whole"
        )
        heading = number_heading(self._layout)
        raise DocumentError([Problem(_number(numbers, at), "", heading, message, numbers.file, int(numbers.rows[at]))])


def _number(numbers: Numbers, at: int) -> str:
    place = numbers.column.place(at)
    return number_shown(numbers.column.values[place]) if place >= 0 else ""


class _Digests:
    """Digests in sorted runs, each at least twice as long as the next: a hundred million of them cost little to add."""

    def __init__(self) -> None:
        self._runs: list[Digests] = []

    def add(self, more: Digests) -> None:
        """Add the digests of a piece."""
        run = np.sort(more)
        while self._runs and len(self._runs[-1]) < 2 * len(run):
            run = np.sort(np.concatenate([self._runs.pop(), run]), kind="stable")  # two runs, merged
        self._runs.append(run)

    def has(self, asked: Digests) -> Mask:
        """Which of some digests are there."""
        found = np.zeros(len(asked), bool)
        for run in self._runs:
            at = np.searchsorted(run, asked)
            at[at == len(run)] = 0
            found |= run[at] == asked if len(run) else False
        return found
