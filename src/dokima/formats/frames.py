"""DataFrames, tables of Arrow and lists of rows as raw columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.errors import DokimaError
from dokima.formats.arrow_columns import grid_of_table
from dokima.formats.grid import Grid, check_headings
from dokima.model.raw import RawColumn

if TYPE_CHECKING:
    import pandas as pd


def is_frame(data: object) -> bool:
    """Whether this is a pandas DataFrame, found out without importing pandas."""
    return type(data).__module__.partition(".")[0] == "pandas" and hasattr(data, "columns")


def is_arrow(data: object) -> bool:
    """Whether this is a table, a stream or a dataset of Arrow, found out without importing pyarrow."""
    return not is_frame(data) and (
        hasattr(data, "__arrow_c_stream__") or (hasattr(data, "scanner") and hasattr(data, "schema"))
    )


def _arrow_table(data: Any) -> Any:
    """A `pyarrow.Table` of whatever Arrow can read."""
    import pyarrow as pa

    return data.to_table() if hasattr(data, "scanner") else pa.table(data)


def grid_of(data: Any, what: str = "rows") -> Grid:
    """A DataFrame, whatever Arrow can read, or a list of mappings, as a grid; rows count from 2, as below a heading.

    Raises:
        DokimaError: It is none of these, two columns have the same name, or one holds what is no value of a field.
    """
    if is_arrow(data):
        return grid_of_table(_arrow_table(data))
    if is_frame(data):
        headings = [str(name) for name in data.columns]
        check_headings(headings)
        columns = {name: _of_series(data.iloc[:, at]) for at, name in enumerate(headings)}
        return Grid(columns, len(data), np.arange(len(data)) + 2)
    if isinstance(data, Sequence) and all(isinstance(row, Mapping) for row in data):
        names = dict.fromkeys(str(name) for row in data for name in row)
        rows = {name: RawColumn([row.get(name) for row in data]) for name in names}
        return Grid(rows, len(data), np.arange(len(data)) + 2)
    wanted = "a DataFrame, a table of Arrow or a list of mappings"
    raise DokimaError(f"expected {what} as {wanted} (got {type(data).__name__})")


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
