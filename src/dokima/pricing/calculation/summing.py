"""Orders taken together: one sum for each kind of order and currency, and the orders that are in none."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from dokima.columns.column import value_at
from dokima.exact import total
from dokima.exact.integers import Mask
from dokima.model.orders import texts
from dokima.model.said import Said
from dokima.pricing.calculation.amounts import amount_at
from dokima.pricing.calculation.calculation import Calculation
from dokima.pricing.steps.totals import TOTALS


@dataclass(frozen=True)
class LeftOut:
    """An order that is in no sum, and why: it was set aside, or it could not be priced."""

    order: str
    reason: str


@dataclass(frozen=True)
class TotalsSum:
    """Orders of one kind and currency taken together.

    Attributes:
        kind: Kind of the orders, blank for orders that name none.
        currency: Their currency.
        orders: How many of them are in the sum.
        left_out: How many of them could not be priced, and are not.
        totals: The sum of each total.
    """

    kind: str
    currency: str
    orders: int
    left_out: int
    totals: Mapping[str, Decimal | None]


def unpriced(calculation: Calculation) -> Mask:
    """True for orders whose total is unknown."""
    return calculation.totals["payable"].spread(len(calculation)).is_missing()


def left_out(calculation: Calculation) -> list[LeftOut]:
    """The orders that are in no sum: those that were set aside first, then those that could not be priced."""
    aside: dict[str, list[str]] = {}
    for problem in calculation.problems:
        aside.setdefault(problem.order, []).append(str(problem))
    found = [LeftOut(order, Said("set aside: {why}", why=_first(reasons))) for order, reasons in aside.items()]
    numbers = calculation.orders.numbers
    return found + [
        LeftOut(numbers[at], reason_of(calculation, numbers[at]))
        for at in np.flatnonzero(unpriced(calculation)).tolist()
    ]


def reason_of(calculation: Calculation, order: str) -> str:
    """Why an order could not be priced: its first error, and how many more there are."""
    errors = calculation.findings.of(order).errors
    said = [Said("line {line}: {why}", line=e.line, why=e.message) if e.line else e.message for e in errors]
    return _first(said)


def _first(reasons: Iterable[str]) -> str:
    first, *others = [*reasons] or [Said("it could not be priced")]
    return Said("{why} (and {count} more)", why=first, count=len(others)) if others else first


def sums_of(calculation: Calculation) -> list[TotalsSum]:
    """What orders come to together, each kind and currency by itself."""
    kinds, currencies = (texts(calculation.orders.header(name)) for name in ("kind", "currency"))
    keys = (kinds.codes + 1) * (len(currencies.words) + 1) + currencies.codes + 1
    _, first, group = np.unique(keys, return_index=True, return_inverse=True)
    missing = unpriced(calculation)
    found: list[TotalsSum] = []
    for at in np.argsort(first).tolist():  # as they come
        positions = np.flatnonzero(group.reshape(-1) == at)
        known = positions[~missing[positions]]
        kind, currency = (value_at(column, int(first[at])) or "" for column in (kinds, currencies))
        places = int(calculation.minor_units[positions[0]])
        totals = {name: amount_at(total(calculation.totals[name].take(known)), 0, places) for name in TOTALS}
        found.append(TotalsSum(kind, currency, len(known), len(positions) - len(known), totals))
    return found
