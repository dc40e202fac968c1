"""Putting the columns of all pieces together."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np

from dokima.exact.integers import Integers
from dokima.model.columns import Column, LazyColumns, concat, take_or_blank


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
