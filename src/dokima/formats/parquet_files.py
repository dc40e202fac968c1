"""Parquet files as grids."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from itertools import accumulate, pairwise
from pathlib import Path
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.grid import Batch, Grid, check_headings
from dokima.formats.regular_files import regular
from dokima.model.values import PLAIN_MARKS, Marks

AT_ONCE = 65_536
"""Rows that are read at once where a place in a row group is looked for: more would be read beyond it for nothing."""


def read_grid(path: Path, marks: Marks = PLAIN_MARKS) -> Grid:  # noqa: ARG001 (formats are asked alike)
    """All columns; decimals and whole numbers stay exact, dates stay dates."""
    return grid_of_table(read_table(path))


def read_headings(path: Path, marks: Marks = PLAIN_MARKS) -> list[str]:  # noqa: ARG001 (formats are asked alike)
    """The names of the columns of a file.

    Raises:
        DocumentError: It cannot be read.
    """
    return list(read_head(path, 1)[0].column_names)


def read_table(path: Path) -> Any:
    """A file as a `pyarrow.Table`.

    Raises:
        DocumentError: It cannot be read.
    """
    with _opened(path, pre_buffer=True) as file:  # not `parquet.read_table`, which brings pandas along
        return file.read()


def read_head(path: Path, rows: int) -> tuple[Any, int]:
    """The first rows of a file as a `pyarrow.Table`, and how many it has.

    Raises:
        DocumentError: It cannot be read.
    """
    import pyarrow as pa

    with _opened(path) as file:
        batches = [next(file.iter_batches(batch_size=rows))] if file.metadata.num_rows else []
        return pa.Table.from_batches(batches, file.schema_arrow), file.metadata.num_rows


def read_batches(
    path: Path,
    marks: Marks = PLAIN_MARKS,  # noqa: ARG001
    rows: int = 1_000_000,
    columns: Sequence[str] | None = None,
) -> Iterator[Batch]:
    """Read a file, so many rows at a time; some of its columns, or all."""
    import pyarrow as pa

    done = 0
    with _opened(path) as file:
        for batch in file.iter_batches(batch_size=rows, columns=columns):
            yield Batch(pa.Table.from_batches([batch]), np.arange(done, done + batch.num_rows) + 2)
            done += batch.num_rows


def rows_between(path: Path, cuts: Sequence[int]) -> Iterator[Batch]:
    """The rows from each cut to the next, in batches.

    Args:
        path: The file.
        cuts: Ascending row numbers, counted from 0.

    Raises:
        DocumentError: It cannot be read.
    """
    import pyarrow as pa

    with _opened(path) as file:
        ends = _ends(file)
        groups = np.searchsorted(ends, [cuts[0], cuts[-1] - 1], "right").tolist()
        at = ends[groups[0] - 1] if groups[0] else 0
        batches = file.iter_batches(batch_size=AT_ONCE, row_groups=list(range(groups[0], groups[1] + 1)))
        held: list[Any] = []
        reached = at
        for start, stop in pairwise(cuts):
            while reached < stop:
                batch = next(batches)
                held.append(pa.Table.from_batches([batch]))
                reached += batch.num_rows
            whole = pa.concat_tables(held)
            yield Batch(whole.slice(start - at, stop - start), np.arange(start, stop) + 2)
            held, at = [whole.slice(stop - at)], stop


def group_ends(path: Path, heading: str) -> list[int]:
    """For each row group the row after its last, counted from 0; nothing for a file without this column.

    Raises:
        DocumentError: It cannot be read.
    """
    with _opened(path) as file:
        return _ends(file) if heading in file.schema_arrow.names else []


def _ends(file: Any) -> list[int]:
    about = file.metadata
    return list(accumulate(about.row_group(at).num_rows for at in range(about.num_row_groups)))


@contextmanager
def _opened(path: Path, pre_buffer: bool = False) -> Iterator[Any]:
    """A file, by default one of which nothing is read ahead: that would stay until the last row has been read.

    Raises:
        DocumentError: It cannot be read, now or while it is open.
    """
    import pyarrow as pa
    from pyarrow import parquet

    try:
        with parquet.ParquetFile(regular(path, None), pre_buffer=pre_buffer) as file:
            check_headings(file.schema_arrow.names, path.name)
            yield file
    except (OSError, ValueError, MemoryError, pa.ArrowException) as error:
        said = getattr(error, "strerror", None) or error
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)]) from None
