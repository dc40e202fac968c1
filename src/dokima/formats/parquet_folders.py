"""Folders of orders; and several Parquet files of flat rows as one, as most systems that write many rows leave them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

import numpy as np

from dokima.errors import DocumentError, Problem
from dokima.exact.integers import Integers
from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.layouts import Layout
from dokima.formats.orders_of_grids import flat_orders
from dokima.formats.parquet_files import read_table
from dokima.formats.pieces import number_heading
from dokima.formats.regular_files import files_in
from dokima.model.intake import RawOrders


def files_of_orders(folder: Path) -> list[Path]:
    """The files of a folder that hold orders, in the sequence of their names: JSON documents, or Parquet.

    Raises:
        DocumentError: There are none, or both, or more Parquet files in a folder below it, which would be left out.
    """
    documents, tables = files_in(folder, ".json"), parquet_files_in(folder)
    if tables:
        # What systems write beside Parquet begins with an underscore, as the manifest of a run does.
        documents = [file for file in documents if not file.name.startswith("_")]
    if bool(documents) == bool(tables):
        there = f"there are '{documents[0].name}' and '{tables[0].name}'" if tables else "there are none"
        message = f"expected JSON or Parquet files of orders in this folder ({there})"
        raise DocumentError([Problem("", "", "", message, str(folder))])
    return documents or tables


def parquet_files_in(folder: Path) -> list[Path]:
    """The Parquet files of a folder in the sequence of their names; none if there are none.

    Raises:
        DocumentError: There are more in a folder below it, which would be left out.
    """
    for below in files_in(folder):
        hidden = below.name.startswith(("_", "."))  # what a system has left of a run that it did not end
        if not hidden and below.is_dir() and any(below.rglob("*.parquet")):
            message = f"expected all Parquet files in the folder itself (there are more in '{below.name}')"
            raise DocumentError([Problem("", "", "", message, str(folder))])
    return files_in(folder, ".parquet")


def as_one_table(tables: Sequence[Any], place: Path) -> Any:
    """Tables of Arrow one after the other.

    Args:
        tables: The tables.
        place: Where they were read, for the message.

    Raises:
        DocumentError: Their columns do not go together.
    """
    import pyarrow as pa

    try:
        return pa.concat_tables(tables, promote_options="permissive")
    except pa.ArrowException as error:
        message = f"expected files with the same kinds of columns ({error})"
        raise DocumentError([Problem("", "", "", message, str(place))]) from None


def flat_orders_of_files(files: Sequence[Path], layout: Layout) -> RawOrders:
    """Orders out of several files of flat rows, each order in one of them.

    Raises:
        DocumentError: One of them cannot be read, their columns do not go together, or an order has lines in two.
    """
    tables, names = [read_table(file) for file in files], [file.name for file in files]
    place = files[0].parent
    whole = as_one_table(tables, place)
    starts = np.cumsum([0, *(table.num_rows for table in tables)])

    def file_at(rows: Integers) -> Integers:
        found: Integers = np.searchsorted(starts, rows - 2, "right") - 1  # rows are counted from 2
        return found

    raw = flat_orders(grid_of_table(whole).without_sums(layout.sums), layout, str(place))
    headers, lines = raw.origin.header_rows, raw.origin.line_rows
    assert headers is not None
    assert lines is not None
    of_order, of_line = file_at(headers), file_at(lines)
    for at in np.flatnonzero(of_line != of_order[raw.order_of]).tolist():
        order, here = int(raw.order_of[at]), int(of_line[at])
        column = raw.header["number"]
        number = str(column.values[column.place(order)])
        message = f"expected all lines of an order in one file (it begins in {names[int(of_order[order])]})"
        row = int(lines[at] - starts[here])
        raise DocumentError([Problem(number, "", number_heading(layout), message, names[here], row)])
    origin = replace(
        raw.origin,
        files=[names[at] for at in of_order.tolist()],
        header_rows=headers - starts[of_order],
        line_rows=lines - starts[of_line],
    )
    problems = []
    for problem in raw.problems:
        at = int(file_at(np.array([problem.row]))[0])
        problems.append(replace(problem, file=names[at], row=int(problem.row - starts[at])))
    return replace(raw, origin=origin, problems=problems)
