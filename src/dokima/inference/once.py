"""Exports whose header cells stand on the first row of each order only."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from dokima.inference.words import suggests

Columns = Mapping[str, Sequence[Any]]
"""Cells by heading; a blank is None."""


def said_once(columns: Columns) -> list[str]:
    """The headings of columns that are empty below the first row of each order; none if rows repeat what they are of.

    One of them is called as order numbers are, and no number comes back; at least one other is filled in the same rows.
    """
    filled = {heading: tuple(cell is not None for cell in cells) for heading, cells in columns.items()}
    for number, cells in columns.items():
        there = [cell for cell in cells if cell is not None]
        if suggests(number, "header.number") < 2 or len(there) == len(cells) or len(set(map(str, there))) < len(there):
            continue
        same = [heading for heading, mine in filled.items() if mine == filled[number]]
        if len(same) > 1 and len(there) > 1 and filled[number][0]:
            return same
    return []


def continued(columns: Columns, headings: Sequence[str]) -> dict[str, list[Any]]:
    """The columns with the cells of the first row of an order on all its rows."""
    return {heading: _filled(cells) if heading in headings else list(cells) for heading, cells in columns.items()}


def _filled(cells: Sequence[Any]) -> list[Any]:
    found: list[Any] = []
    for cell in cells:
        found.append(found[-1] if cell is None else cell)  # the first is there
    return found
