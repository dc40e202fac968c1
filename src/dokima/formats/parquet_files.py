"""Parquet files as grids."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.grid import Batch, Grid
from dokima.formats.regular_files import regular
from dokima.model.values import PLAIN_MARKS, Marks


def read_grid(path: Path, marks: Marks = PLAIN_MARKS) -> Grid:  # noqa: ARG001 (formats are asked alike)
    """All columns; decimals and whole numbers stay exact, dates stay dates."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        with parquet.ParquetFile(regular(path, None)) as file:  # not `read_table`, which brings pandas along
            return grid_of_table(file.read())
    except (OSError, ValueError, MemoryError, pa.ArrowException) as error:
        raise _unreadable(path, error) from None


def read_batches(path: Path, marks: Marks = PLAIN_MARKS, rows: int = 1_000_000) -> Iterator[Batch]:  # noqa: ARG001
    """Read a file, so many rows at a time."""
    import pyarrow as pa
    from pyarrow import parquet

    done = 0
    try:
        # What is read ahead would stay until the last row has been read: the whole file in the end.
        with parquet.ParquetFile(regular(path, None), pre_buffer=False) as file:
            for batch in file.iter_batches(batch_size=rows):
                yield Batch(pa.Table.from_batches([batch]), np.arange(done, done + batch.num_rows) + 2)
                done += batch.num_rows
    except (OSError, ValueError, MemoryError, pa.ArrowException) as error:
        raise _unreadable(path, error) from None


def _unreadable(path: Path, error: Exception) -> DocumentError:
    said = getattr(error, "strerror", None) or error
    return DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)])
