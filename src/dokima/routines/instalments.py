"""Instalments: an amount of an order split exactly, each part with the day it is due."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from dokima.exact import Decimals, Grouping, group_sums, share_groups, stored
from dokima.exact.integers import Integers
from dokima.formulas import Formula, Frame, Level
from dokima.formulas.operators import numbers
from dokima.model.columns import Column


@dataclass(frozen=True)
class Instalment:
    """One instalment of a routine: what it is called, its share of the whole, and when it is due."""

    label: str
    share: Formula
    due: Formula | None


@dataclass(frozen=True)
class InstalmentPlan:
    """Instalments of orders.

    Attributes:
        orders: Positions of the orders.
        labels: What each instalment is called.
        due: For each instalment the day it is due, one value per order; None for one without a day.
        amounts: For each instalment its amount, one value per order.
    """

    orders: Integers
    labels: Sequence[str]
    due: Sequence[Column | None]
    amounts: Sequence[Decimals]


def split(
    instalments: Sequence[Instalment],
    of: str,
    frame: Frame,
    totals: Mapping[str, Decimals],
    figures: Mapping[str, Column],
) -> InstalmentPlan:
    """Split an amount of each order by shares, so that the parts add up to it exactly.

    Args:
        instalments: The instalments.
        of: Amount figure that is split; ``with_tax`` with the rounding of cash, so that it is what is to be paid.
        frame: The orders.
        totals: Their totals.
        figures: Their line figures.
    """
    orders, count = frame.order_count, len(instalments)
    if of == "with_tax":
        amount = totals["with_tax"] + totals["rounding"]
    else:
        amount = group_sums(stored(numbers(figures[of])), frame.by_order) + Decimals.zeros(1, totals["with_tax"].places)
    shares = [numbers(each.share.evaluate(frame, Level.HEADER)).spread(orders) for each in instalments]
    weights = Decimals.concat([stored(share) for share in shares])
    parts = share_groups(amount, weights, amount.places, Grouping(np.tile(np.arange(orders), count), orders)).parts
    return InstalmentPlan(
        orders=np.arange(orders),
        labels=[each.label for each in instalments],
        due=[
            None if each.due is None else each.due.evaluate(frame, Level.HEADER).spread(orders) for each in instalments
        ],
        amounts=[parts.take(np.arange(orders) + at * orders) for at in range(count)],
    )
