"""A calculation as tables of Arrow: a row a line with its figures, or a row an order with its totals."""

from __future__ import annotations

from typing import Any

import numpy as np

from dokima.engine.running.calculation import HEADER_FIELDS, LINE_FIELDS, Calculation
from dokima.exact import Decimals, Quotient, stored, to_arrow
from dokima.exact.arrow_buffers import arrow_array, arrow_positions, arrow_texts
from dokima.model.columns import Column, Dates, Texts
from dokima.model.orders import texts


def line_table(calculation: Calculation) -> Any:
    """A `pyarrow.Table`, one row a line in the caller's sequence: order, line, item ... and all figures."""
    import pyarrow as pa

    orders = calculation.orders
    numbers = texts(orders.header("number"))
    columns: dict[str, Any] = {"order": _text(Texts(numbers.codes[orders.order_of], numbers.words))}
    for name in LINE_FIELDS:
        columns["line" if name == "number" else name] = _array(orders.line(name), name)
    for name, column in calculation.figures.items():
        columns[name] = _array(column, name, calculation.places_of(name))
    table = pa.Table.from_arrays(list(columns.values()), list(columns))
    given = orders.given
    if len(given) < 2 or bool((given[1:] > given[:-1]).all()):
        return table
    return table.take(arrow_positions(np.argsort(given, kind="stable")))


def header_table(calculation: Calculation) -> Any:
    """A `pyarrow.Table`, one row an order: number, kind, currency, totals and header figures."""
    import pyarrow as pa

    columns = {name: _array(calculation.orders.header(name), name) for name in HEADER_FIELDS}
    for name, column in {**calculation.totals, **calculation.order_figures}.items():
        columns[name] = _array(column, name, calculation.most_places)
    return pa.Table.from_arrays(list(columns.values()), list(columns))


def _array(column: Column, name: str, places: int = 0) -> Any:
    """An Arrow array; numbers as decimals with at least the given places, texts by their dictionary."""
    import pyarrow as pa

    if isinstance(column, Decimals | Quotient):
        return to_arrow(stored(column), places, name)
    if isinstance(column, Texts):
        return _text(column)
    if isinstance(column, Dates):
        return arrow_array(pa.date32(), column.days.astype(np.int32), column.missing)
    return arrow_array(pa.bool_(), column.values, column.missing)


def _text(column: Texts) -> Any:
    """Only the words that are used go along: a piece of many orders shares the dictionary of all of them."""
    import pyarrow as pa

    used = np.zeros(len(column.words) + 1, bool)
    used[column.codes] = True
    kept = np.flatnonzero(used[:-1])
    place = np.full(len(column.words) + 1, -1, np.int32)
    place[kept] = np.arange(len(kept), dtype=np.int32)
    codes = place[column.codes]
    gone = codes < 0
    indices = arrow_array(pa.int32(), np.where(gone, 0, codes), gone if gone.any() else None)
    if column.words.arrow is not None:
        # They came from Arrow, and need not become texts of Python on their way back.
        words = column.words.arrow()
        words = words if words.type == pa.string() else words.cast(pa.string())
        words = words if len(kept) == len(words) else words.take(arrow_positions(kept))
        return pa.DictionaryArray.from_arrays(indices, words)
    items = column.words.items
    return pa.DictionaryArray.from_arrays(indices, arrow_texts([items[at] for at in kept.tolist()]))
