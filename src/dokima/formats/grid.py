"""`Grid`: a file or frame of rows under headings, whatever it came from."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.exact.integers import Integers, range_of
from dokima.model.raw import RawColumn


@dataclass(frozen=True)
class Grid:
    """A file of rows.

    Attributes:
        columns: Cells by heading; an empty cell is None.
        size: Number of rows.
        rows: For each row its number in the file, counted from 1 with the heading as row 1.
        problems: Rows that could not be read. One that is left out is not among ``rows``; the order of one that is
            there, with a cell that could not be read, is set aside.
        letters: The column of a workbook in which each heading stands, such as F; empty for other files.
    """

    columns: dict[str, RawColumn]
    size: int
    rows: Integers
    problems: list[Problem] = field(default_factory=list)
    letters: Mapping[str, str] = field(default_factory=dict)

    def kept(self, rows: Integers) -> Grid:
        """The grid with some of its rows; they keep their numbers."""
        columns = {heading: column.taken(rows) for heading, column in self.columns.items()}
        return replace(self, columns=columns, size=len(rows), rows=self.rows[rows])

    def without_empty_rows(self) -> Grid:
        """The grid without rows in which every cell is empty."""
        filled = np.zeros(self.size, bool)
        for column in self.columns.values():
            blank = column.blank()
            if blank is None:
                return self
            filled |= ~blank
        return self if filled.all() else self.kept(np.flatnonzero(filled))

    def continued(self, key: str, headings: Sequence[str]) -> Grid:
        """The grid with empty cells filled from the row above, in rows whose key is empty.

        Args:
            key: The heading of the key.
            headings: The headings of the columns that are filled; one that is not there is passed over.
        """
        rows = np.arange(self.size)
        goes_on = self.columns[key].blank()
        if goes_on is None or not goes_on.any():
            return self
        above = np.maximum(np.maximum.accumulate(np.where(goes_on, -1, rows)), 0)
        columns = dict(self.columns)
        for heading in dict.fromkeys(headings):
            # A cell that says something else than the one above stays, and is told.
            if heading in columns and (empty := columns[heading].blank()) is not None:
                columns[heading] = columns[heading].taken(np.where(goes_on & empty, above, rows))
        return replace(self, columns=columns)

    def spread(self, headings: str, cells: str, of: Mapping[str, Any]) -> Grid:
        """The grid with a row for each filled cell of some columns.

        Args:
            headings: The new column of what their headings stand for.
            cells: The new column of their cells.
            of: Their headings, each with the value that it stands for.
        """
        rows = np.repeat(np.arange(self.size), len(of))
        values: dict[Any, int] = {}
        codes = np.full((self.size, len(of)), -1, np.int64)
        for at, heading in enumerate(of):
            column = self.columns[heading].coded()
            places = np.array([*(values.setdefault(value, len(values)) for value in column.values), -1], np.int64)
            codes[:, at] = places[column.codes]
        filled = np.flatnonzero(codes.reshape(-1) >= 0)
        known = {value: at for at, value in enumerate(dict.fromkeys(of.values()))}
        said = RawColumn(list(known), np.tile([known[value] for value in of.values()], self.size))
        columns = {name: column.taken(rows) for name, column in self.columns.items() if name not in of}
        columns |= {headings: said, cells: RawColumn(list(values), codes.reshape(-1))}
        return replace(self, columns=columns, size=len(rows), rows=self.rows[rows]).kept(filled)

    def without_sums(self, said: Sequence[str]) -> Grid:
        """The grid without rows of sums.

        Args:
            said: What a cell of such a row says, in any case.
        """
        if not said:
            return self
        words = {text.casefold() for text in said}
        summed = np.zeros(self.size, bool)
        for column in self.columns.values():
            coded = column.coded()
            places = [at for at, value in enumerate(coded.values) if _word(value) in words]
            summed[coded.rows_of(places)] = True
        return self.kept(np.flatnonzero(~summed)) if summed.any() else self


def check_headings(
    headings: Sequence[str], file: str = "", row: int | None = None, letters: Sequence[str] = ()
) -> None:
    """Refuse a heading that stands over two columns.

    Args:
        headings: The headings.
        file: Name of the file, blank for what is none.
        row: The row they stand in, None where rows have no numbers.
        letters: For each heading the column of a workbook.

    Raises:
        DocumentError: One does; names it, and its place.
    """
    counts = Counter(headings)
    at = next((at for at, heading in enumerate(headings) if counts[heading] > 1), None)
    if at is not None:
        message = f"expected each heading once (got '{headings[at]}' {counts[headings[at]]} times)"
        cell = f"{letters[at]}{row}" if letters else ""
        raise DocumentError([Problem("", "", "", message, file, row, cell)])


def _word(value: Any) -> str:
    return value.strip().casefold() if isinstance(value, str) else ""


@dataclass(frozen=True)
class Batch:
    """Rows of a file that is read piece by piece.

    Attributes:
        table: The rows, as a `pyarrow.Table`.
        rows: For each row its number in the file.
        problems: Rows that could not be read since the batch before, which are left out.
    """

    table: Any
    rows: Integers
    problems: list[Problem] = field(default_factory=list)

    def __reduce__(self) -> tuple[Any, ...]:
        """As a stream of Arrow, which holds these rows and not all that they were cut from."""
        import pyarrow as pa

        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, self.table.schema) as stream:
            stream.write_table(self.table)
        return _batch_of_stream, (sink.getvalue(), range_of(self.rows), self.problems)


def _batch_of_stream(stream: Any, rows: Integers | slice, problems: list[Problem]) -> Batch:
    import pyarrow as pa

    with pa.ipc.open_stream(stream) as reader:
        table = reader.read_all()
    return Batch(table, np.arange(rows.start, rows.stop) if isinstance(rows, slice) else rows, problems)


def coded(cells: Sequence[Any]) -> RawColumn:
    """Cells as a column that holds each distinct one once; a blank is None."""
    places: dict[Any, int] = {}
    codes = np.full(len(cells), -1, np.int64)
    for row, cell in enumerate(cells):
        if cell is not None:
            # 1, 1.0 and True are equal to Python, and are not the same to a field.
            codes[row] = places.setdefault((type(cell), cell), len(places))
    return RawColumn([cell for _, cell in places], codes)
