"""DataFrames and lists of rows as raw columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.errors import DokimaError
from dokima.formats.grid import Grid
from dokima.model.raw import RawColumn

if TYPE_CHECKING:
    import pandas as pd


def is_frame(data: object) -> bool:
    """Whether this is a pandas DataFrame, found out without importing pandas."""
    return type(data).__module__.partition(".")[0] == "pandas" and hasattr(data, "columns")


def grid_of(data: Any, what: str = "rows") -> Grid:
    """A pandas DataFrame, or a list of mappings, as a grid. Rows count from 2, as in a file with a heading.

    Raises:
        DokimaError: It is neither.
    """
    if is_frame(data):
        columns = {str(name): _of_series(data[name]) for name in data.columns}
        return Grid(columns, len(data), np.arange(len(data)) + 2)
    if isinstance(data, Sequence) and all(isinstance(row, Mapping) for row in data):
        names = dict.fromkeys(str(name) for row in data for name in row)
        rows = {name: RawColumn([row.get(name) for row in data]) for name in names}
        return Grid(rows, len(data), np.arange(len(data)) + 2)
    raise DokimaError(f"expected {what} as a pandas DataFrame or a list of mappings (got {type(data).__name__})")


def _of_series(series: pd.Series[Any]) -> RawColumn:
    import pandas as pd

    try:
        codes, values = pd.factorize(series, use_na_sentinel=True)
    except TypeError:  # a list or a mapping in a cell: its reader says where, and what was expected
        return RawColumn([_plain(value) for value in series.tolist()])
    plain = values.tolist() if hasattr(values, "tolist") else list(values)
    if set(map(type, plain)) - {str, int}:
        plain = [_plain(value) for value in plain]
    return RawColumn(plain, np.asarray(codes, np.int64))


def _plain(value: Any) -> Any:
    """Timestamps at midnight are dates; all else stays what it is."""
    import pandas as pd

    return value.to_pydatetime(warn=False) if isinstance(value, pd.Timestamp) else value
