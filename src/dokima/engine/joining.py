"""Putting columns of parts together: the results of all pieces, and amounts that rise to parent lines."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from dokima.exact import Decimals, stored
from dokima.exact.integers import Integers
from dokima.formulas.operators import numbers
from dokima.model.columns import Column, LazyColumns, concat, take_or_blank
from dokima.model.orders import Orders


def joined(parts: Sequence[tuple[Integers, Mapping[str, Column]]], length: int) -> LazyColumns:
    """Columns of all parts by name, each part at its positions, blank where no part has one."""

    def join(name: str) -> Column:
        having = [(positions, columns[name]) for positions, columns in parts if name in columns]
        column = concat([column for _, column in having])
        positions = np.concatenate([positions for positions, _ in having])
        if len(positions) == length and bool((np.diff(positions) == 1).all()):
            return column
        place = np.full(length, -1, np.int64)
        place[positions] = np.arange(len(positions))
        return take_or_blank(column, place)

    return LazyColumns((name for _, columns in parts for name in columns), join)


def risen(column: Column, orders: Orders) -> Column:
    """Amounts of lines without sub-lines, and on each parent line the sum of those below it."""
    leaf = orders.leaf
    if leaf is None or orders.parent is None:
        return column
    amounts = stored(numbers(column)).filled()
    units = np.where(leaf, amounts.units, 0).astype(object)
    missing = column.is_missing() & leaf
    above, carried, unknown = orders.parent[leaf], units[leaf], missing[leaf]
    while (above >= 0).any():
        up = above >= 0
        np.add.at(units, above[up], carried[up])
        np.logical_or.at(missing, above[up], unknown[up])
        carried, unknown, above = carried[up], unknown[up], orders.parent[above[up]]
    return Decimals(units, amounts.places, missing if missing.any() else None).compact()
