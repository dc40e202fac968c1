"""What the orders of a variance come to together, before and after, each currency by itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from dokima.changes.deltas import Delta
from dokima.changes.variance import Variance
from dokima.columns.column import value_at
from dokima.exact import total
from dokima.model.orders import texts
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.steps.totals import TOTALS


@dataclass(frozen=True)
class Together:
    """The orders of one currency taken together.

    Attributes:
        currency: Their currency.
        orders: How many of them are in the sums.
        left_out: How many could not be priced before or after, and are in none.
        totals: Each total before, after, and the variance between.
    """

    currency: str
    orders: int
    left_out: int
    totals: Mapping[str, Delta]


def together(variance: Variance) -> list[Together]:
    """The totals of all orders of a variance; an order that is on one side only counts 0 on the other."""
    currency = [""] * len(variance.pairs)
    places = [0] * len(variance.pairs)
    for side, at in variance.both:  # what it is after the change counts
        codes = texts(side.orders.header("currency"))
        for pair in np.flatnonzero(at >= 0).tolist():
            currency[pair] = value_at(codes, int(at[pair])) or ""
            places[pair] = int(side.minor_units[at[pair]])
    before, after = variance.sums["payable"]
    known = ~(before.is_missing() | after.is_missing())
    found = []
    for each in dict.fromkeys(currency):
        mine = np.array([code == each for code in currency])
        kept = np.flatnonzero(mine & known)
        digits = places[int(np.flatnonzero(mine)[0])]
        totals = {}
        for name in TOTALS:
            one, other = (total(column.take(kept)) for column in variance.sums[name])
            totals[name] = Delta(*(amount_at(column, 0, digits) for column in (one, other, other - one)))
        found.append(Together(each, len(kept), int(mine.sum()) - len(kept), totals))
    return found
