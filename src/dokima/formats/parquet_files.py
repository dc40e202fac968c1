"""Parquet files as grids."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.grid import Grid
from dokima.model.raw import RawColumn


def read_grid(path: Path, separator: str = "", encoding: str = "") -> Grid:  # noqa: ARG001 (formats are asked alike)
    """All columns; decimals and whole numbers stay exact, dates stay dates."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        table = parquet.read_table(path)
    except (OSError, pa.ArrowInvalid) as error:
        said = getattr(error, "strerror", None) or error
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)]) from None
    columns: dict[str, RawColumn] = {}
    for name in table.column_names:
        column = table.column(name)
        if pa.types.is_dictionary(column.type):
            column = column.cast(column.type.value_type)
        encoded = column.dictionary_encode().combine_chunks()
        if isinstance(encoded, pa.ChunkedArray):
            columns[name] = RawColumn([])
            continue
        codes = np.asarray(encoded.indices.fill_null(-1)).astype(np.int64)
        columns[name] = RawColumn(encoded.dictionary.to_pylist(), codes)
    return Grid(columns, table.num_rows, np.arange(table.num_rows) + 2)
