"""Steps worked out once for the order: their figure, and each line's part of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.exact import (
    Decimals,
    Number,
    any_in,
    apportion_groups,
    choose,
    compare,
    group_sums,
    magnitude,
    share_groups,
)
from dokima.exact.integers import Integers, Mask, either
from dokima.routines.limits import capped


@dataclass(frozen=True)
class Spread:
    """Each line's part of an order's figure, and the orders whose figure could not be shared.

    Attributes:
        parts: One part per line; 0 for lines left out.
        mixed: Per order, True if its weights have both signs.
        weightless: Per order, True if it has no line to share over, or only zero weights.
        reached: Lines that the step meets; None for all that were included.
        blank: Per order, True if a formula that is worked out once for it is blank; None if that is so for none.
    """

    parts: Decimals
    mixed: Mask
    weightless: Mask
    reached: Mask | None = None
    blank: Mask | None = None


def spread_exact(
    parts: Number, included: Mask, cap: Number | None, order_of: Integers, orders: int, places: int, mode: str
) -> Spread:
    """Parts known exactly (a percentage, so much a unit), rounded as one figure per order and apportioned.

    Args:
        parts: Exact part of each line.
        included: Lines that take part.
        cap: The most the figure of each order may be, before rounding; None for no limit.
        order_of: For each line the position of its order.
        orders: Number of orders.
        places: Decimal places of the parts.
        mode: Rounding mode.
    """
    lines = np.flatnonzero(included)
    mine, groups = parts.spread(len(order_of)).take(lines), order_of[lines]
    exact: Number = group_sums(mine, groups, orders)
    if cap is not None:
        limited = capped(exact, cap)
        over = compare(magnitude(exact), magnitude(cap)) > 0
        # Scaled so that they add up to the cap; an order under it keeps its parts as they are.
        factor = choose(over, limited / exact, Decimals.constant(1)).without(cap.missing)
        mine, exact = mine * factor.spread(orders).take(groups), limited
    total = exact.round(places, mode)
    apportioned = apportion_groups(mine, total.at(max(total.places, 0)), places, groups)
    nobody = np.zeros(orders, bool)
    return Spread(
        _laid_out(apportioned, lines, len(order_of), any_in(total.missing, np.arange(orders), orders), order_of),
        nobody,
        nobody,
    )


def spread_amount(
    amount: Number, weights: Number, included: Mask, order_of: Integers, places: int, mode: str, *, equal: bool
) -> Spread:
    """An amount per order, rounded and shared by weight.

    Args:
        amount: One amount per order, capped.
        weights: Weight of each line.
        included: Lines that take part.
        order_of: For each line the position of its order.
        places: Decimal places of the parts.
        mode: Rounding mode.
        equal: Share equally where all weights are zero.
    """
    lines = np.flatnonzero(included)
    total = amount.round(places, mode)
    mine = weights.spread(len(order_of)).take(lines)
    shares = share_groups(total, mine, places, order_of[lines], equal_if_weightless=equal)
    blank = either(total.missing, shares.mixed | shares.weightless)
    return Spread(_laid_out(shares.parts, lines, len(order_of), blank, order_of), shares.mixed, shares.weightless)


def _laid_out(parts: Decimals, lines: Integers, length: int, blank: Mask | None, order_of: Integers) -> Decimals:
    """Parts at their lines, 0 at the others, blank on every line of an order whose figure is."""
    units = np.zeros(length, parts.units.dtype)
    units[lines] = parts.units
    missing = np.zeros(length, bool)
    missing[lines] = parts.is_missing()
    if blank is not None:
        missing |= blank[order_of]
    return Decimals(units, parts.places, missing if missing.any() else None, parts.bound)
