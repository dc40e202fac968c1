"""A calculation as a Parquet file."""

from __future__ import annotations

from pathlib import Path

from dokima.engine.running.arrow_tables import arrow_schema
from dokima.engine.running.calculation import Calculation, TableLevel
from dokima.formats.tables_out import save_parquet
from dokima.formats.whole_files import whole_file


def write_parquet(calculation: Calculation, path: str | Path, level: TableLevel = "lines") -> Path:
    """Write a calculation as a Parquet file, which is there whole or not at all.

    Columns and kinds are those of `Rulebook.arrow_schema`, so that several such files make one table.

    Args:
        calculation: The calculation, or a piece of a stream.
        path: The file.
        level: ``lines`` for a row a line, or ``headers`` for a row an order; see `Calculation.to_arrow`.

    Returns:
        The file.

    Raises:
        ExactError: A value has more digits than the schema.
        DokimaError: The file cannot be written; says why.
    """
    table = calculation.to_arrow(level, arrow_schema(calculation.program, level))
    with whole_file(Path(path)) as beside:
        save_parquet(table, beside)
    return Path(path)
