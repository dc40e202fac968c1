"""Calculations to files as tables of Arrow: Parquet, and CSV whose texts a spreadsheet takes for texts."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from dokima.formats.results.calculations import csv_of_table
from dokima.formats.whole_files import whole_file
from dokima.pricing.calculation.arrow_tables import arrow_schema
from dokima.pricing.calculation.calculation import Calculation, TableLevel

_FEWEST_USES = 8
"""How often a word is used, on average, for a dictionary to be worth its making."""


def write_parquet(
    calculation: Calculation, path: str | Path, level: TableLevel = "lines", columns: Sequence[str] = ()
) -> Path:
    """Write a calculation as a Parquet file, which is there whole or not at all.

    Columns and kinds are those of `Rulebook.arrow_schema`, so that several such files make one table.

    Args:
        calculation: The calculation, or a piece of a stream.
        path: The file.
        level: ``lines`` for a row a line, or ``headers`` for a row an order; see `Calculation.to_arrow`.
        columns: Only these, as for `Calculation.to_arrow`.

    Returns:
        The file.

    Raises:
        ExactError: A value has more digits than the schema.
        DokimaError: The file cannot be written; says why.
    """
    with whole_file(Path(path)) as beside:
        save_parquet(calculation, beside, level, columns)
    return Path(path)


def write_arrow_table(table: Any, path: Path) -> None:
    """Write an Arrow table as Parquet, or with the ending ``.arrow`` as a file of Arrow; whole or not at all.

    Raises:
        DokimaError: The file cannot be written; says why.
    """
    from pyarrow import feather, parquet

    with whole_file(path) as beside:
        if path.suffix.lower() == ".arrow":
            feather.write_feather(table, str(beside))
        else:
            parquet.write_table(table, beside)


def save_parquet(calculation: Calculation, path: Path, level: TableLevel, columns: Sequence[str] = ()) -> None:
    """Write a table of a calculation as Parquet, in the schema of its rulebook.

    Raises:
        ExactError: A value has more digits than the schema.
    """
    from pyarrow import parquet

    table = calculation.to_arrow(level, arrow_schema(calculation.program, level, columns), columns)
    parquet.write_table(table, path, use_dictionary=_of_few_words(table))


def _of_few_words(table: Any) -> list[str]:
    """The columns whose values come again and again. To look for that in figures doubles the time of writing them."""
    import pyarrow as pa

    def words(column: Any) -> int:
        return max((len(chunk.dictionary) for chunk in column.chunks), default=0)

    columns = zip(table.column_names, table.columns, strict=True)
    texts = ((name, column) for name, column in columns if pa.types.is_dictionary(column.type))
    return [name for name, column in texts if words(column) * _FEWEST_USES <= len(column)]


def save_csv(calculation: Calculation, path: Path, level: TableLevel, columns: Sequence[str] = ()) -> None:
    """Write a table of a calculation as CSV (RFC 4180) with a heading; texts that would be formulas are guarded.

    A number has its digits; an amount has the decimal places of its currency.
    """
    with path.open("w", encoding="utf-8", newline="") as file:
        file.write(csv_of_table(calculation, level, columns))
