"""`Column`: any column, and what is asked of it whatever its kind.

All columns share one small set of methods: ``len``, ``take``, ``spread``, ``is_missing``, ``without``, ``to_list``;
of one kind ``blanks``, ``concat``, ``choose``, ``replaced``; and the attributes ``missing`` and ``kind``. A column of
length 1 meets a column of any length by broadcast.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from functools import lru_cache
from typing import Any, Literal, TypeVar, cast

import numpy as np

from dokima.columns.dates import Dates
from dokima.columns.flags import Flags
from dokima.columns.texts import Texts
from dokima.exact import Decimals, Number, Quotient, decimal_of, from_pairs, stored
from dokima.exact import choose as choose_numbers
from dokima.exact.integers import SHORT, Integers, Mask

Kind = Literal["text", "decimal", "integer", "date", "flag"]
"""What a field or a column holds."""

Column = Decimals | Quotient | Texts | Dates | Flags
"""Any column."""


C = TypeVar("C", bound=Column)


def blanks(kind: Kind | Literal["blank"], length: int) -> Column:
    """A column of a kind in which everything is missing."""
    return _kept_blanks(kind, length) if length <= SHORT else _blanks(kind, length)


def _blanks(kind: Kind | Literal["blank"], length: int) -> Column:
    return _COLUMNS.get(kind, Decimals).blanks(length)


_COLUMNS: Mapping[str, type[Texts | Dates | Flags]] = {each.kind: each for each in (Texts, Dates, Flags)}
"""The kinds of columns that hold no numbers."""
_kept_blanks = lru_cache(maxsize=SHORT)(_blanks)


def kind_of(column: Column) -> Kind:
    """The kind of a column; whole numbers are not told apart from other decimals."""
    return column.kind


def concat(columns: Sequence[Column]) -> Column:
    """Columns of one kind, one after the other."""
    if len(columns) == 1:
        return columns[0]
    if columns[0].kind == "decimal":
        return Decimals.concat([stored(cast(Number, column)) for column in columns])
    return type(columns[0]).concat(columns)  # type: ignore[arg-type]  # all of one kind


def choose(condition: Mask, yes: Column, no: Column) -> Column:
    """``yes`` where the condition holds, ``no`` elsewhere; both of one kind."""
    if yes.kind == "decimal":
        return choose_numbers(condition, yes, cast(Number, no))
    return type(yes).choose(condition, yes, no)  # type: ignore[arg-type]  # both of one kind


def replaced(column: Column, at: Integers, values: Column) -> Column:
    """A column with other values, of a column of the same kind, at some positions."""
    if column.kind == "decimal":
        return stored(column).replaced(at, stored(cast(Number, values)))
    return column.replaced(at, values)  # type: ignore[arg-type]  # both of one kind


def column_of(kind: Kind, values: Sequence[Any]) -> Column:
    """A column out of values that `values.ValueReader` has read: None is missing."""
    made = _COLUMNS.get(kind)
    return from_pairs(values) if made is None else made.of(values)


def value_at(column: Column, position: int, least_places: int = 0) -> Any:
    """One value as Python sees it: `Decimal`, text, date, flag, or None where missing.

    Args:
        column: The column; one of length 1 answers for every position.
        position: Which value.
        least_places: A number has the fewest decimal places it needs, but at least these.
    """
    at = position if len(column) > 1 else 0
    if isinstance(column, Quotient):
        column, at = stored(column.take(np.array([at]))), 0
    if not isinstance(column, Decimals):
        return column.take(np.array([at])).to_list()[0]
    if column.missing is not None and column.missing[at]:
        return None
    return decimal_of(int(column.units[at]), column.places, least_places)


def values_of(column: Column) -> list[Any]:
    """All values as `value_at` gives them, each number with the fewest places it needs."""
    if not isinstance(column, Decimals | Quotient):
        return list(column.to_list())
    exact = stored(column)
    missing = exact.is_missing().tolist()
    known: dict[int, Any] = {}
    values = []
    for units, gone in zip(exact.units.tolist(), missing, strict=True):
        if not gone and units not in known:
            known[units] = decimal_of(units, exact.places)  # few values are all different; each is taken apart once
        values.append(None if gone else known[units])
    return values
