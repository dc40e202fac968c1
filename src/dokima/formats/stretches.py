"""Pieces that follow one another: what is given to a worker at once, read by it where the file lets it."""

from __future__ import annotations

from collections import deque
from collections.abc import Iterator
from dataclasses import dataclass
from functools import partial
from itertools import pairwise
from pathlib import Path
from typing import Protocol

from dokima.errors import DocumentError, Problem
from dokima.formats.layouts import Layout, own_layout
from dokima.formats.parquet_files import group_ends, read_batches, rows_between
from dokima.formats.pieces import FlatRows, Piece, number_heading
from dokima.formats.reading import Source
from dokima.formats.streaming import files_of_flat_rows, order_pieces, whole_orders
from dokima.model.fields import Fields

MOST = 16
"""The most pieces in a row group that is read where it is worked on: all of a larger one would fall to one worker."""


class Stretch(Protocol):
    """Some pieces that follow one another. It can be sent to another process."""

    def __len__(self) -> int:
        """How many."""

    def __iter__(self) -> Iterator[Piece]:
        """Each, as soon as the one before it was taken."""


@dataclass(frozen=True)
class FileStretch:
    """Pieces of a Parquet file, of which only the place is sent.

    Attributes:
        path: The file; whoever works on it sees the same.
        size: Its bytes.
        cuts: The row at which each piece begins, counted from 0, and the one after the last.
        layout: How its rows are laid out.
        fields: The fields orders may have.
    """

    path: Path
    size: int
    cuts: tuple[int, ...]
    layout: Layout
    fields: Fields

    def __len__(self) -> int:
        return len(self.cuts) - 1

    def __iter__(self) -> Iterator[Piece]:
        """
        Raises:
            DocumentError: This process does not see the file, or sees another one.
        """
        try:
            found = self.path.stat().st_size
        except OSError as error:
            raise self._elsewhere(error.strerror or str(error)) from None
        if found != self.size:
            raise self._elsewhere(f"it has {found:,} bytes there, expected {self.size:,}")
        for batch in rows_between(self.path, self.cuts):
            yield partial(FlatRows(batch, self.path.name).read, self.layout, self.fields)

    def _elsewhere(self, why: str) -> DocumentError:
        said = f"expected workers that see the same file '{self.path}' as the one that begins the run ({why})"
        return DocumentError([Problem("", "", "", said, self.path.name)])


def order_stretches(source: Source, fields: Fields, layout: Layout | None, lines: int) -> Iterator[Stretch]:
    """The pieces of `order_pieces`, the same ones, in stretches for workers that are other processes.

    Pieces of a Parquet file of flat rows are read by whoever works on them, those of one row group by one worker: here
    only the column of order numbers is read. Every other piece is a stretch by itself, whose rows are sent.

    Args:
        source: As for `order_pieces`.
        fields: The same.
        layout: The same.
        lines: The same.

    Raises:
        DocumentError: As for `order_pieces`.
    """
    paths = files_of_flat_rows(source, layout)
    if not paths:
        yield from ((piece,) for piece in order_pieces(source, fields, layout, lines))
    for path in paths:
        yield from _of_file(path, fields, layout, lines)


def _of_file(path: Path, fields: Fields, layout: Layout | None, lines: int) -> Iterator[Stretch]:
    chosen = layout or own_layout(fields)
    heading = number_heading(chosen)
    ends = group_ends(path, heading) if path.suffix.lower() == ".parquet" else []
    if not ends or max(stop - start for start, stop in pairwise([0, *ends])) > MOST * lines:
        yield from ((piece,) for piece in order_pieces(path, fields, layout, lines))
        return
    size = path.stat().st_size
    coming = deque(ends)
    cuts = [0]
    for batch in whole_orders(read_batches(path, rows=lines, columns=[heading]), heading, lines):
        cuts.append(int(batch.rows[-1]) - 1)  # rows of files are counted from 2
        if cuts[-1] >= coming[0]:
            yield FileStretch(path.absolute(), size, tuple(cuts), chosen, fields)
            cuts = cuts[-1:]
            while coming and coming[0] <= cuts[0]:
                coming.popleft()
