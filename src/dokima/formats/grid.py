"""`Grid`: a file or frame of rows under headings, whatever it came from."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from dokima.errors import Problem
from dokima.exact.integers import Integers
from dokima.model.raw import RawColumn


@dataclass(frozen=True)
class Grid:
    """A file of rows.

    Attributes:
        columns: Cells by heading; an empty cell is None.
        size: Number of rows.
        rows: For each row its number in the file, counted from 1 with the heading as row 1.
        problems: Rows that could not be read, which are left out.
    """

    columns: dict[str, RawColumn]
    size: int
    rows: Integers
    problems: list[Problem] = field(default_factory=list)


@dataclass(frozen=True)
class Batch:
    """Rows of a file that is read piece by piece.

    Attributes:
        table: The rows, as a `pyarrow.Table`.
        rows: For each row its number in the file.
        problems: Rows that could not be read since the batch before, which are left out.
    """

    table: Any
    rows: Integers
    problems: list[Problem] = field(default_factory=list)


def coded(cells: Sequence[Any]) -> RawColumn:
    """Cells as a column that holds each distinct one once; a blank is None."""
    places: dict[Any, int] = {}
    codes = np.full(len(cells), -1, np.int64)
    for row, cell in enumerate(cells):
        if cell is not None:
            # 1, 1.0 and True are equal to Python, and are not the same to a field.
            codes[row] = places.setdefault((type(cell), cell), len(places))
    return RawColumn([cell for _, cell in places], codes)
