"""CSV (RFC 4180): files as grids, every cell as text, and rows as text."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from pathlib import Path
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.formats.grid import Grid
from dokima.formats.guarding import neutral
from dokima.model.raw import RawColumn


def read_grid(path: Path, separator: str = ",", encoding: str = "utf-8") -> Grid:
    """Read a CSV file (RFC 4180, with any separator).

    Raises:
        DocumentError: There is no such file, it is not in that encoding, or its heading cannot be used.
    """
    import pyarrow as pa
    from pyarrow import csv as arrow

    headings = _headings(path, separator, encoding)
    bad: list[tuple[int, int]] = []

    def skip(row: Any) -> str:
        bad.append((row.number, row.actual_columns if row.text.strip() else 0))
        return "skip"

    cells = pa.dictionary(pa.int32(), pa.string())
    try:
        table = arrow.read_csv(
            path,
            arrow.ReadOptions(encoding=encoding, use_threads=False, column_names=headings, skip_rows=1),
            arrow.ParseOptions(
                delimiter=separator, newlines_in_values=True, ignore_empty_lines=False, invalid_row_handler=skip
            ),
            arrow.ConvertOptions(
                column_types=dict.fromkeys(headings, cells),
                null_values=[""],
                strings_can_be_null=True,
                quoted_strings_can_be_null=True,
            ),
        )
    except (pa.ArrowInvalid, UnicodeDecodeError) as error:
        if "empty" in str(error).lower():
            return Grid({heading: RawColumn([]) for heading in headings}, 0, np.zeros(0, np.int64))
        raise DocumentError([Problem("", "", "", f"expected a CSV file in {encoding} ({error})", path.name)]) from None
    # Arrow counts the rows it is given from the first one after the heading.
    numbers = np.delete(np.arange(2, table.num_rows + len(bad) + 2), [number - 2 for number, _ in bad])
    problems = [
        Problem("", "", "", f"expected {len(headings)} cells (got {count})", path.name, number)
        for number, count in bad
        if count
    ]
    columns = {heading: _raw(table.column(heading)) for heading in headings}
    return _without_empty_rows(Grid(columns, table.num_rows, numbers, problems))


def _without_empty_rows(grid: Grid) -> Grid:
    """The grid without rows in which every cell is empty; the others keep their numbers."""
    filled = np.zeros(grid.size, bool)
    for column in grid.columns.values():
        if column.codes is not None:
            filled |= column.codes >= 0
    if filled.all():
        return grid
    columns = {
        heading: RawColumn(column.values, column.codes[filled] if column.codes is not None else None)
        for heading, column in grid.columns.items()
    }
    return Grid(columns, int(filled.sum()), grid.rows[filled], grid.problems)


def _headings(path: Path, separator: str, encoding: str) -> list[str]:
    try:
        with path.open(
            encoding="utf-8-sig" if encoding.lower().replace("-", "") == "utf8" else encoding, newline=""
        ) as file:
            headings = next(csv.reader(file, delimiter=separator), [])
    except OSError as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error.strerror}", str(path))]) from None
    except (UnicodeDecodeError, LookupError) as error:
        raise DocumentError([Problem("", "", "", f"expected text in {encoding} ({error})", path.name)]) from None
    if not any(headings):
        raise DocumentError(
            [Problem("", "", "", "expected a heading in the first row (the row is empty)", path.name, 1)]
        )
    twice = next((heading for heading in headings if headings.count(heading) > 1), None)
    if twice is not None:
        message = f"expected each heading once (got '{twice}' {headings.count(twice)} times)"
        raise DocumentError([Problem("", "", "", message, path.name, 1)])
    return headings


def _raw(column: Any) -> RawColumn:
    combined = column.unify_dictionaries().combine_chunks()
    if hasattr(combined, "chunks"):  # an empty chunked array stays one
        return RawColumn([])
    indices = combined.indices
    valid, data = indices.buffers()
    # Read off the buffers: Arrow's own ways to replace nulls load pandas, which costs half a second at every start.
    codes = np.frombuffer(data, np.int32, len(indices), 4 * indices.offset).astype(np.int64)
    if valid is not None:
        bits = np.unpackbits(np.frombuffer(valid, np.uint8), bitorder="little")
        codes[bits[indices.offset : indices.offset + len(indices)] == 0] = -1
    return RawColumn(combined.dictionary.to_pylist(), codes)


def csv_text(rows: Iterable[Mapping[str, Any]], columns: Sequence[str] = (), *, raw: bool = False) -> str:
    """Rows as CSV with a heading (RFC 4180, lines ended with a line feed); a blank is an empty cell.

    Args:
        rows: The rows, values by heading.
        columns: Headings that stand first, whether or not there are rows.
        raw: Leave texts that a spreadsheet would take for a formula as they are, for programs.
    """
    rows = list(rows)
    if not raw:
        rows = [{n: neutral(v) if isinstance(v, str) else v for n, v in row.items()} for row in rows]
    names = list(dict.fromkeys([*columns, *(name for row in rows for name in row)]))
    out = io.StringIO()
    writer = csv.DictWriter(out, names, lineterminator="\n", restval="")
    writer.writeheader()
    writer.writerows(rows)
    return out.getvalue()
