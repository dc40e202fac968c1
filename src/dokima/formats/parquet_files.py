"""Parquet files as grids."""

from __future__ import annotations

from pathlib import Path

from dokima.errors import DocumentError, Problem
from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.grid import Grid


def read_grid(path: Path, separator: str = "", encoding: str = "") -> Grid:  # noqa: ARG001 (formats are asked alike)
    """All columns; decimals and whole numbers stay exact, dates stay dates."""
    import pyarrow as pa
    from pyarrow import parquet

    try:
        return grid_of_table(parquet.read_table(path))
    except (OSError, pa.ArrowException) as error:
        said = getattr(error, "strerror", None) or error
        raise DocumentError([Problem("", "", "", f"cannot be read: {said}", path.name)]) from None
