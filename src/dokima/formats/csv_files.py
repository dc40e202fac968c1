"""CSV (RFC 4180): files as grids, every cell as text, and rows as text."""

from __future__ import annotations

import csv
import io
import sys
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np

from dokima.columns.shown import shown
from dokima.errors import DocumentError, Problem
from dokima.exact.integers import Integers
from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.grid import Batch, Grid, check_headings
from dokima.formats.regular_files import regular
from dokima.limits import CELL_CHARACTERS, COLUMNS
from dokima.model.guarding import STARTS, neutral
from dokima.model.raw import RawColumn
from dokima.model.values import PLAIN_MARKS, Marks


def read_grid(path: Path, marks: Marks = PLAIN_MARKS) -> Grid:
    """Read a CSV file (RFC 4180, with any separator).

    Raises:
        DocumentError: There is no such file, it is not in that encoding, or its heading cannot be used.
    """
    import pyarrow as pa
    from pyarrow import csv as arrow

    (headings, above), encoding = _headings(path, marks), marks.encoding
    bad = _BadRows(len(headings), marks.heading_row)
    try:
        with _said_once():
            table = arrow.read_csv(path, *_options(headings, above, marks, bad))
    except (pa.ArrowInvalid, UnicodeDecodeError) as error:
        if _has_no_rows(error):
            return Grid({heading: RawColumn([]) for heading in _read_of(headings)}, 0, np.zeros(0, np.int64))
        raise _no_csv(path, encoding, error) from None
    numbers = bad.numbers(table.num_rows)
    grid = grid_of_table(table, numbers, is_filled=True)
    grid = replace(grid, problems=bad.problems(path.name))
    filled = grid.without_empty_rows()
    if filled.size == grid.size or not marks.empty_rows_count:
        return filled
    # Arrow does not tell a row of empty cells from an empty line, which is no row anywhere.
    return grid.kept(np.flatnonzero(~np.isin(grid.rows, _empty_lines(path, marks))))


def read_headings(path: Path, marks: Marks = PLAIN_MARKS) -> list[str]:
    """The headings of a CSV file.

    Raises:
        DocumentError: As for `read_grid`.
    """
    return _headings(path, marks)[0]


def read_batches(path: Path, marks: Marks = PLAIN_MARKS, rows: int = 1_000_000) -> Iterator[Batch]:  # noqa: ARG001
    """Read a CSV file block by block, so that no more than a block is held.

    Raises:
        DocumentError: As for `read_grid`.
    """
    import pyarrow as pa
    from pyarrow import csv as arrow

    (headings, above), encoding = _headings(path, marks), marks.encoding
    bad = _BadRows(len(headings), marks.heading_row)
    done = 0
    try:
        with _said_once():
            reader = arrow.open_csv(path, *_options(headings, above, marks, bad, BLOCK))
        for block in _blocks(reader):
            numbers = bad.numbers(block.num_rows, done)
            done += block.num_rows
            yield Batch(pa.Table.from_batches([block]), numbers, bad.problems(path.name))
    except (pa.ArrowInvalid, UnicodeDecodeError) as error:
        if not _has_no_rows(error):
            raise _no_csv(path, encoding, error) from None


def _has_no_rows(error: Exception) -> bool:
    """Whether Arrow finds no row below the headings, and perhaps not even the end of their line."""
    said = str(error).lower()
    return "empty" in said or "could not skip initial" in said


@contextmanager
def _said_once() -> Iterator[None]:
    """Arrow prints a trace of what it cannot decode in a row of too many cells, and then refuses the file for it."""
    hook = sys.unraisablehook
    sys.unraisablehook = lambda told: None if told.exc_type is UnicodeDecodeError else hook(told)
    try:
        yield
    finally:
        sys.unraisablehook = hook


def _blocks(reader: Any) -> Iterator[Any]:
    while True:
        try:
            with _said_once():
                block = reader.read_next_batch()
        except StopIteration:
            return
        yield block


_NAMELESS = "\0"
"""Begins what a column without a heading is called."""
BLOCK = 1 << 25
"""Bytes of a block: some hundred thousand lines."""


class _BadRows:
    """Rows with too few or too many cells, which are left out and reported."""

    def __init__(self, width: int, heading: int = 1) -> None:
        self.width = width
        self.heading = heading
        self.rows: list[tuple[int, int]] = []
        self._reported = 0

    def skip(self, row: Any) -> str:
        self.rows.append((row.number, row.actual_columns if row.text.strip() else 0))
        return "skip"

    def numbers(self, size: int, before: int = 0) -> Integers:
        """Numbers in the file of the next rows that were read, those left out not counted among them.

        Arrow counts the rows it is given from the first one after the heading.
        """
        gone = np.array([number for number, _ in self.rows], np.int64)
        # The n-th row that was read has as many rows before it as were read, and those left out before it.
        numbers = np.arange(before, before + size) + self.heading + 1
        shift = np.searchsorted(gone - np.arange(len(gone)), numbers, side="right")
        found: Integers = numbers + shift
        return found

    def problems(self, file: str) -> list[Problem]:
        """What is wrong with the rows left out since this was last asked."""
        fresh, self._reported = self.rows[self._reported :], len(self.rows)
        return [
            Problem("", "", "", f"expected {self.width} cell{'s' * (self.width != 1)} (got {count})", file, number)
            for number, count in fresh
            if count
        ]


def _options(headings: Sequence[str], above: int, marks: Marks, bad: _BadRows, block: int | None = None) -> Any:
    import pyarrow as pa
    from pyarrow import csv as arrow

    return (
        arrow.ReadOptions(
            encoding=marks.encoding,
            use_threads=False,
            column_names=headings,
            skip_rows=above,
            block_size=block,
        ),
        arrow.ParseOptions(
            delimiter=marks.separator, newlines_in_values=True, ignore_empty_lines=False, invalid_row_handler=bad.skip
        ),
        arrow.ConvertOptions(
            column_types=dict.fromkeys(headings, pa.string()),
            include_columns=_read_of(headings),
            null_values=[""],
            strings_can_be_null=True,
            quoted_strings_can_be_null=True,
        ),
    )


def _no_csv(path: Path, encoding: str, error: Exception) -> DocumentError:
    return DocumentError([Problem("", "", "", f"expected a CSV file in {encoding} ({error})", path.name)])


def _empty_lines(path: Path, marks: Marks) -> list[int]:
    """The numbers of the rows that are empty lines."""
    with _opened(path, marks) as file:
        rows = csv.reader(file, delimiter=marks.separator)
        return [number for number, row in enumerate(rows, start=1) if row in ([], [""])]


def _opened(path: Path, marks: Marks) -> Any:
    encoding = marks.encoding
    encoding = "utf-8-sig" if encoding.lower().replace("-", "") == "utf8" else encoding
    return regular(path).open(encoding=encoding, newline="")


def _headings(path: Path, marks: Marks) -> tuple[list[str], int]:
    """The headings, and the lines of text that they and what stands above them take: a heading may have several."""
    encoding, row = marks.encoding, marks.heading_row
    try:
        with _opened(path, marks) as file:
            rows = csv.reader(file, delimiter=marks.separator)
            headings, lines = next(islice(rows, row - 1, None), []), rows.line_num
    except OSError as error:
        raise DocumentError([Problem("", "", "", f"cannot be read: {error.strerror}", str(path))]) from None
    except (UnicodeDecodeError, LookupError) as error:
        raise DocumentError([Problem("", "", "", f"expected text in {encoding} ({error})", path.name)]) from None
    except csv.Error:  # the only thing that the reader refuses here
        message = f"expected headings of at most {CELL_CHARACTERS} characters"
        raise DocumentError([Problem("", "", "", message, path.name, row)]) from None
    if len(headings) > COLUMNS:
        message = f"expected at most {COLUMNS} columns (got {len(headings)})"
        raise DocumentError([Problem("", "", "", message, path.name, row)])
    if not any(heading.strip() for heading in headings):
        raise DocumentError([Problem("", "", "", f"expected headings in row {row} (the row is empty)", path.name, row)])
    # Spreadsheets write commas for columns that once were filled. A column without a heading is none, as in a workbook.
    named = [heading if heading.strip() else f"{_NAMELESS}{at}" for at, heading in enumerate(headings)]
    check_headings(named, path.name, row)
    return named, lines


def _read_of(headings: Sequence[str]) -> list[str]:
    """The columns that are read: those with a heading."""
    return [heading for heading in headings if not heading.startswith(_NAMELESS)]


def csv_text(rows: Iterable[Mapping[str, Any]], columns: Sequence[str] = (), *, raw: bool = False) -> str:
    """Rows as CSV with a heading (RFC 4180, lines ended with a line feed); a blank is an empty cell.

    Args:
        rows: The rows, values by heading.
        columns: Headings that stand first, whether or not there are rows.
        raw: Leave texts that a spreadsheet would take for a formula as they are, for programs.
    """
    rows = list(rows)
    known: dict[str, None] = dict.fromkeys(columns)
    for row in rows:
        known.update(dict.fromkeys(row))
    return csv_of_columns({name: [row.get(name) for row in rows] for name in known}, known, raw=raw)


def csv_of_columns(
    columns: Mapping[str, Sequence[Any]], texts: Collection[str], *, raw: bool = False, separator: str = ","
) -> str:
    """Columns as CSV, as `csv_text` gives rows.

    Args:
        columns: The cells of each column by its heading.
        texts: The columns whose cells may be texts that a spreadsheet would take for a formula.
        raw: Leave those as they are.
        separator: What stands between cells.
    """
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n", delimiter=separator)
    writer.writerow(columns)
    plain = {name: _flags_as_words(cells) for name, cells in columns.items()}
    guarded = [_guarded(cells) if name in texts and not raw else cells for name, cells in plain.items()]
    writer.writerows(zip(*guarded, strict=True))
    return out.getvalue()


def _flags_as_words(cells: Sequence[Any]) -> Sequence[Any]:
    """The cells of a column, flags written as a file of orders has them."""
    if bool not in set(map(type, cells)):
        return cells
    return [shown(each) if isinstance(each, bool) else each for each in cells]


def _guarded(cells: Sequence[Any]) -> Sequence[Any]:
    """The cells of a column, texts guarded; each distinct one is looked at once."""
    found = {each: neutral(each) for each in set(filter(_may_be_formula, cells))}
    return [found.get(each, each) for each in cells] if found else cells


def _may_be_formula(cell: Any) -> bool:
    return isinstance(cell, str) and cell[:1] in STARTS and cell != ""
