"""Single values of results as text."""

from __future__ import annotations

from decimal import Decimal
from typing import Any

from dokima.columns.column import Column
from dokima.columns.shown import shown
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Quotient, stored, texts


def cell(value: Any, places: int | None = None) -> str | None:
    """A value as text: numbers in full, amounts with their places, a blank as None."""
    if value is None:
        return None
    if isinstance(value, Decimal) and places is not None:
        return format(value, "f")
    return shown(value)


def cells(column: Column) -> list[str | None]:
    """All values of a column as `cell` gives them, each number with the fewest places it needs."""
    if isinstance(column, Decimals | Quotient):
        return texts(stored(column))
    if isinstance(column, Texts):
        return column.to_list()
    values = column.to_list()
    known = {value: cell(value) for value in set(values)}
    return [known[value] for value in values]
