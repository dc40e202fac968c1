"""Tables of Arrow to files: Parquet, and CSV whose texts a spreadsheet takes for texts."""

from __future__ import annotations

from pathlib import Path
from typing import Any

from dokima.formats.guarding import neutral


def write_parquet(table: Any, path: Path) -> None:
    """Write a `pyarrow.Table` as a Parquet file."""
    from pyarrow import parquet

    parquet.write_table(table, path)


def write_csv(table: Any, path: Path) -> None:
    """Write a `pyarrow.Table` as CSV (RFC 4180) with a heading; texts that would be formulas are guarded."""
    from pyarrow import csv

    csv.write_csv(_guarded(table), path, csv.WriteOptions(quoting_style="needed"))


def _guarded(table: Any) -> Any:
    """The table with guarded texts. Only dictionaries are looked at, so that each distinct text is looked at once."""
    import pyarrow as pa

    for at, name in enumerate(table.column_names):
        column = table.column(name)
        if not pa.types.is_dictionary(column.type):
            continue
        chunks = []
        for chunk in column.chunks:
            words = chunk.dictionary.to_pylist()
            guarded = [neutral(word) for word in words]
            dictionary = chunk.dictionary if guarded == words else pa.array(guarded, pa.string())
            chunks.append(dictionary.take(chunk.indices))
        table = table.set_column(at, name, pa.chunked_array(chunks, pa.string()))
    return table
