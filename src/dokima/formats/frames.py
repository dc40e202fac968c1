"""DataFrames, tables of Arrow and lists of rows as raw columns."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from dokima.errors import DokimaError
from dokima.formats.arrow_columns import grid_of_table, raw_column
from dokima.formats.grid import Grid, check_headings
from dokima.model.raw import RawColumn

if TYPE_CHECKING:
    import pandas as pd


_OBJECTS = {"string": "string", "date": "date32"}
"""Kinds of Python values that Arrow takes sooner than pandas tells them apart, by what pandas calls them."""


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
    """A column of a frame: as Arrow has it or would have it, where that says the same; else value by value."""
    array = _as_arrow(series)
    return _by_values(series) if array is None else raw_column(array)


def _as_arrow(series: pd.Series[Any]) -> Any:
    """The array of Arrow in a column, or one made of it at once; None for what has to be looked at value by value."""
    import pandas as pd
    import pyarrow as pa

    values = series.array
    if hasattr(values, "__arrow_array__") and isinstance(series.dtype, pd.ArrowDtype | pd.StringDtype):
        found = values.__arrow_array__()
    elif series.dtype.kind in "iub" and isinstance(series.dtype, np.dtype):
        found = pa.array(series.to_numpy())
    elif series.dtype == object:
        known = _OBJECTS.get(pd.api.types.infer_dtype(series, skipna=True))
        if known is None:
            return None
        try:
            found = pa.array(series, getattr(pa, known)(), from_pandas=True)
        except (pa.ArrowException, OverflowError, UnicodeError):
            return None  # a text that is not UTF-8: its reader says where
    else:
        return None
    kinds = pa.types
    straight = (kinds.is_string, kinds.is_large_string, kinds.is_integer, kinds.is_decimal, kinds.is_boolean,
                kinds.is_date32)  # fmt: skip
    if not any(is_kind(found.type) for is_kind in straight):
        return None
    return found if isinstance(found, pa.ChunkedArray) else pa.chunked_array([found])


def _by_values(series: pd.Series[Any]) -> RawColumn:
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
