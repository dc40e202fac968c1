"""Why a row lost: the first of match, window, break, choose and file order."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.columns.dates import Dates
from dokima.columns.texts import Texts
from dokima.exact.integers import Mask
from dokima.formulas import Frame
from dokima.model.said import Said, listing
from dokima.tables.index import SEPARATOR
from dokima.tables.table import Table

Reason = Literal["won", "match", "window", "break", "choose", "file order"]
MOST_SHOWN = 50


@dataclass(frozen=True)
class Candidate:
    """One row that was looked at for a line.

    Attributes:
        row: Its place in the table.
        number: Its row number in the source.
        reason: "won", or the one reason it lost.
        detail: That reason in words.
        cells: Its cells as they stand in the source.
    """

    row: int
    number: int
    reason: Reason
    detail: str
    cells: Mapping[str, object]


def candidates(table: Table, frame: Frame, position: int, winner: int) -> list[Candidate]:
    """The winner and the rows it beat, in file order, at most 50.

    Rows about something else are left out: a row must fit in the column with the most different values (usually the
    item), and may fail in one other column at most.

    Args:
        table: The table.
        frame: The columns its formulas read.
        position: Position of the order or line, by the table's level.
        winner: Row that answered, -1 for none.
    """
    values = [_one(formula.evaluate(frame, table.level), position) for formula in table.conditions.values()]
    fits = [fits_cell(table.cells[name], value) for name, value in zip(table.conditions, values, strict=True)]
    near = _near(table, fits)
    date = None if table.window is None else _one(table.window.on.evaluate(frame, table.level), position)
    reached = [_one(each.value.evaluate(frame, table.level), position) for each in table.breaks]
    rows = np.flatnonzero(near)
    if winner >= 0 and len(rows) > MOST_SHOWN:
        rows = np.unique(np.r_[winner, rows[: MOST_SHOWN - 1]])
    return [
        Candidate(
            row,
            table.source.row_number(row),
            *_reason(table, row, winner, fits, values, date, reached),
            row_values(table, row),
        )
        for row in rows[:MOST_SHOWN].tolist()
    ]


def matching(table: Table, frame: Frame, position: int, ignoring: Collection[str] = ()) -> list[int]:
    """The rows that match a line and are valid on its date, whatever their breaks and whichever wins, in file order.

    Args:
        table: The table.
        frame: The columns its formulas read.
        position: Position of the order or line, by the table's level.
        ignoring: Columns of which it does not matter whether they match.
    """
    kept = np.ones(table.size, bool)
    for name, formula in table.conditions.items():
        if name not in ignoring:
            kept &= fits_cell(table.cells[name], _one(formula.evaluate(frame, table.level), position))
    if table.window is not None:
        date = _one(table.window.on.evaluate(frame, table.level), position)
        rows = np.arange(table.size)
        if isinstance(date, Dates):
            kept &= table.window.fits(date.take(np.zeros(table.size, np.int64)), rows)
    return np.flatnonzero(kept).tolist()


def _one(column: Column, position: int) -> Column:
    return column.take(np.array([position]))


def fits_cell(cell: Column, value: Column) -> Mask:
    """For each row whether its cell is empty or equals the value."""
    from dokima.formulas.operators import alike, compared

    if isinstance(cell, Texts):
        wanted = value.to_list()[0] if isinstance(value, Texts) else None
        same = [wanted is not None and wanted in word.split(SEPARATOR) for word in cell.words.items]
        return np.array([*same, True], bool)[cell.codes]
    return cell.is_missing() | compared(*alike(cell, value), "==").is_true()


def _near(table: Table, fits: Sequence[Mask]) -> Mask:
    if not fits:
        return np.ones(table.size, bool)
    # Of two equally varied columns the later one: match columns are usually written from whom to what.
    widest = max(range(len(fits)), key=lambda at: (table.coders[at].size, at))
    misses = sum((~fit).astype(np.int64) for fit in fits)
    near: Mask = fits[widest] & (misses <= 1)
    return near


def _reason(
    table: Table,
    row: int,
    winner: int,
    fits: Sequence[Mask],
    values: Sequence[Column],
    date: Column | None,
    reached: Sequence[Column],
) -> tuple[Reason, str]:
    if row == winner:
        return "won", ""
    at = np.array([row])
    for name, fit, value in zip(table.conditions, fits, values, strict=True):
        if not fit[row]:
            facts = {"cell": value_at(table.cells[name], row), "asked": value_at(value, 0)}
            return "match", Said("for {column} {cell}, not {asked}", column=_label(table, name), **facts)
    if table.window is not None and isinstance(date, Dates) and not table.window.fits(date, at)[0]:
        return "window", _outside(table, row, date)
    for each, value in zip(table.breaks, reached, strict=True):
        if not each.fits(value, at)[0]:
            facts = {"least": value_at(each.least, row), "asked": value_at(value, 0)}
            if each.above:
                said = Said("above {column} {least}, not {asked}", column=_label(table, each.column), **facts)
                return "break", said
            return "break", Said("from {column} {least} on, not {asked}", column=_label(table, each.column), **facts)
    for criterion in table.criteria:
        if criterion.rank[row] != criterion.rank[winner]:
            better = table.source.row_number(winner)
            return "choose", Said("{criterion}: row {row} is better", criterion=criterion.text, row=better)
    return "file order", Said("equal to row {row}, which stands above it", row=table.source.row_number(winner))


def _outside(table: Table, row: int, date: Dates) -> Said:
    bounds = _bounds(table, row_values(table, row))
    return Said("valid {bounds}, not on {day}", bounds=listing(bounds, " "), day=date.to_list()[0])


def _bounds(table: Table, cells: Mapping[str, object]) -> list[Said]:
    """Since when and until when a row is valid, as far as it says."""
    since, until = ("", "") if table.window is None else table.window.names
    bounds = [Said("from {day}", day=cells[since])] if since and cells[since] is not None else []
    return bounds + ([Said("until {day}", day=cells[until])] if until and cells[until] is not None else [])


def _label(table: Table, name: str) -> str:
    return table.fields[name].shown


def row_terms(table: Table, row: int) -> Said:
    """What a row is for, in words: its filled match cells, its window, its breaks."""
    cells = row_values(table, row)
    given = [name for name in table.conditions if cells[name] is not None]
    parts = [Said("{name} {value}", name=_label(table, name), value=cells[name]) for name in given]
    parts += _bounds(table, cells)
    for each in table.breaks:
        if cells[each.column] is not None:
            facts = {"name": _label(table, each.column), "value": cells[each.column]}
            parts.append(Said("above {name} {value}", **facts) if each.above else Said("from {name} {value}", **facts))
    return Said("for {terms}", terms=listing(parts)) if parts else Said("for everyone")


def row_values(table: Table, row: int) -> dict[str, object]:
    """The cells of a row as they stand in the source."""
    return {name: value_at(column, row) for name, column in table.cells.items()}
