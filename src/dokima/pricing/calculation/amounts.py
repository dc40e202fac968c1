"""Amounts of money out of columns, each with at least the decimal places of its currency."""

from __future__ import annotations

from typing import Any

import numpy as np

from dokima.columns.column import Column, value_at
from dokima.exact import Decimals, Number, decimal_of, stored, text_array, texts, texts_with, to_decimals
from dokima.exact.arrow_buffers import interleaved
from dokima.exact.integers import Integers
from dokima.exact.ranking import distinct
from dokima.formulas.operators import numbers


def amount_at(column: Column, position: int, places: int) -> Any:
    """One value with at least the given decimal places; None if it is blank."""
    return value_at(column, position, places)


def amounts_at(column: Column, positions: Integers, places: Integers) -> list[Any]:
    """Several values of a column of numbers, each with at least its decimal places; None where it is blank."""
    exact = stored(numbers(column.take(positions)))
    if len(places) and bool((places == exact.places).all()):
        return list(to_decimals(exact))  # one currency, as in most batches
    rows = zip(exact.units.tolist(), exact.is_missing().tolist(), places.tolist(), strict=True)
    # A currency that is not known has -1 places, and so the fewest.
    return [None if gone else decimal_of(units, exact.places, least) for units, gone, least in rows]


def as_needed(column: Number, places: int) -> Decimals:
    """Numbers with the decimal places that they need, or the least ones where those are more."""
    exact = stored(column)
    return exact if exact.places <= places else exact.compact()


def amount_texts(column: Number, places: Integers | int) -> list[str | None]:
    """All values of a column of numbers as text; None where it is blank.

    Args:
        column: The numbers.
        places: The decimal places that each has at least, or one number for all.
    """
    exact = stored(column)
    if isinstance(places, int):
        return texts(exact, places)
    return texts_with(exact.spread(len(places)), places.tolist())


def amount_text_array(column: Number, places: Integers | int) -> Any:
    """The same as an Arrow array of large strings, null where a value is blank."""
    exact = stored(column)
    if isinstance(places, int):
        return text_array(exact, places)
    exact = exact.spread(len(places))
    kinds = distinct(places).tolist()
    if len(kinds) <= 1:
        return text_array(exact, kinds[0] if kinds else 0)
    rows = [np.flatnonzero(places == least) for least in kinds]
    found = [text_array(exact.take(mine), least) for least, mine in zip(kinds, rows, strict=True)]
    return interleaved(found, np.concatenate(rows))
