"""A figure before and after, and the variance between: one value, and columns of many."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import partial
from typing import Any, NamedTuple

import numpy as np

from dokima.exact import Decimals
from dokima.exact.integers import Integers
from dokima.pricing.calculation.amounts import amounts_at


class Delta(NamedTuple):
    """A value before, after, and the variance between; None where it is unknown or does not apply."""

    before: Any
    after: Any
    variance: Any = None


def _deltas(parts: Iterable[Sequence[Any]]) -> list[Delta]:
    """Values before, after and between; made without `Delta`'s own constructor, which takes twice as long."""
    return list(map(partial(tuple.__new__, Delta), zip(*parts, strict=True)))


@dataclass(frozen=True, eq=False)
class Columns:
    """One figure of all lines: before, after, variance; whether it is an amount that adds up, or money at all."""

    before: Decimals
    after: Decimals
    variance: Decimals
    is_amount: bool = False
    is_money: bool = True

    def at(self, rows: Integers, places: Integers) -> list[Delta]:
        """The figure of some lines; amounts and prices with the places of each line's currency."""
        parts = (self.before, self.after, self.variance)
        wanted = places if self.is_money else np.zeros(len(rows), np.int64)
        return _deltas(amounts_at(part, rows, wanted) for part in parts)

    def between(self, before: Integers, after: Integers) -> list[Delta]:
        """All rows; each side with the places of its own currency at least, the variance with those of both."""
        rows = np.arange(len(before))
        places = (before, after, np.maximum(before, after))
        parts = zip((self.before, self.after, self.variance), places, strict=True)
        return _deltas(amounts_at(part, rows, least) for part, least in parts)
