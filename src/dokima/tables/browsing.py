"""Browsing a table without an order: the rows that can still win where some of its columns are asked for."""

from __future__ import annotations

import datetime
from collections.abc import Mapping

import numpy as np

from dokima.columns.column import Column, column_of
from dokima.columns.dates import Dates
from dokima.columns.texts import Texts
from dokima.errors import DokimaError, NotFound, nearest
from dokima.exact import Decimals
from dokima.exact.integers import Integers, Mask
from dokima.model.values import BadValue, ValueReader
from dokima.tables.candidates import fits_cell
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Table


def rows_that_can_win(table: Table, asked: Mapping[str, object], date: datetime.date | None) -> list[int]:
    """The rows that answer somebody who asks with these values, the most preferred first.

    What is not asked for is open: a row is left out only where another one is preferred to it whatever that may be.

    Args:
        table: The table.
        asked: Values by column: of a key or match column what a row is for, of a break what it is reached with, of any
            other column what stands in the row. An empty text asks with a blank.
        date: The day on which a row must be valid; open if None.

    Raises:
        NotFound: The table has no such column.
        DokimaError: A column does not hold such a value.
    """
    values = {name: _read(table, name, value) for name, value in asked.items()}
    fits: Mask = np.ones(table.size, bool)
    for name in table.conditions:
        if name in values:
            fits &= fits_cell(table.cells[name], values[name])
    every = np.arange(table.size)
    if table.window is not None and date is not None:
        fits &= table.window.fits(Dates.of([date]).take(np.zeros(table.size, np.int64)), every)
    for each in table.breaks:
        if each.column in values and table.bands is None:
            fits &= each.fits(values[each.column].take(np.zeros(table.size, np.int64)), every)
    if table.bands is not None:
        fits &= table.bands.first >= 0  # a scale without a band from 0 on has no answer
    rows = np.flatnonzero(fits)
    rows = rows[np.argsort(table.preference[rows], kind="stable")]
    left = [row for at, row in enumerate(rows.tolist()) if not _is_beaten(table, row, rows[:at], values, date)]
    others = [name for name in values if name not in table.conditions and name not in {b.column for b in table.breaks}]
    return [row for row in left if all(_holds(table.cells[name], row, values[name]) for name in others)]


def _read(table: Table, name: str, value: object) -> Column:
    if name not in table.cells:
        raise NotFound(f"table '{table.name}' has no column '{name}'{nearest(name, table.cells)}")
    field = table.fields[name].with_changes(choices=(), places=None)
    try:
        return column_of(field.kind, [ValueReader().read(field, value)])
    except BadValue as error:
        raise DokimaError(f"{table.name}.{name}: {error}") from None


def _holds(cells: Column, row: int, value: Column) -> bool:
    cell = cells.take(np.array([row]))
    if value.is_missing()[0]:
        return bool(cell.is_missing()[0])
    return bool(fits_cell(cell, value)[0] and not cell.is_missing()[0])


def _is_beaten(
    table: Table, row: int, better: Integers, values: Mapping[str, Column], date: datetime.date | None
) -> bool:
    """Whether one of the rows that are preferred answers wherever this one would."""
    kept = better[table.preference[better] < table.preference[row]]
    for name in table.conditions:
        if name not in values and len(kept):
            kept = kept[_covers(table.cells[name], row, kept)]
    if table.window is not None and date is None and len(kept):
        start, end = table.window.start, table.window.end
        kept = kept[(start[kept] <= start[row]) & (end[kept] >= end[row])]
    if table.bands is not None:
        # The bands of one scale stand side by side: none of them takes the place of another.
        scales = table.bands.first
        return bool((scales[kept] >= 0).any() and (scales[kept[scales[kept] >= 0]] != scales[row]).any())
    for each in table.breaks:
        if each.column not in values and len(kept):
            kept = kept[_reached_before(each.least, row, kept)]
    return bool(len(kept))


def _covers(cells: Column, row: int, others: Integers) -> Mask:
    """Of some rows those that fit whatever a row fits in one column: they are empty there, or say the same."""
    empty = cells.is_missing()
    if empty[row]:
        return empty[others]
    if isinstance(cells, Texts):
        words = [set(word.split(SEPARATOR)) for word in cells.words.items]
        mine = words[int(cells.codes[row])]
        return np.array([code < 0 or mine <= words[code] for code in cells.codes[others].tolist()], bool)
    same = fits_cell(cells.take(others), cells.take(np.array([row])))
    return empty[others] | same


def _reached_before(least: Decimals, row: int, others: Integers) -> Mask:
    """Of some rows those that are reached wherever a row is."""
    none = least.is_missing()
    if none[row]:
        return none[others]
    reached: Mask = none[others] | (least.units[others] <= least.units[row])
    return reached
