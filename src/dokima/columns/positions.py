"""`Positions`: places in columns, some of them none."""

from __future__ import annotations

import numpy as np

from dokima.columns.column import C, blanks, kind_of
from dokima.exact.integers import Integers, Mask


class Positions:
    """Places in columns, negative for none; looked through once for all columns that are read there.

    Attributes:
        at: The places.
        gone: True where there is none; None if there is one everywhere.
    """

    __slots__ = ("_held", "at", "gone")

    def __init__(self, at: Integers) -> None:
        self.at = at
        gone = at < 0
        count = np.count_nonzero(gone)
        self.gone: Mask | None = gone if count else None
        # Somewhere to read where there is no place; None where there is none at all.
        self._held = at if not count else at * ~gone if count < len(at) else None

    def of(self, column: C) -> C:
        """The values of a column there, blank where there is no place."""
        if self._held is None or not len(column):
            return blanks(kind_of(column), len(self.at))  # type: ignore[return-value]
        taken = column.take(self._held)
        return taken if self.gone is None else taken.without(self.gone)  # type: ignore[return-value]


def take_or_blank(column: C, positions: Integers) -> C:
    """The values at the given positions; missing where the position is negative."""
    return Positions(positions).of(column)
