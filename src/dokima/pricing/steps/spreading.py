"""Steps worked out once for the order: their figure, and each line's part of it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.exact import (
    Decimals,
    Grouping,
    Number,
    apportion_groups,
    choose,
    compare,
    group_sums,
    magnitude,
    share_groups,
)
from dokima.exact.integers import Integers, Mask, either, mask_of, some
from dokima.pricing.steps.limits import capped


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


def spread_exact(parts: Number, included: Mask, cap: Number | None, groups: Grouping, places: int, mode: str) -> Spread:
    """Parts known exactly (a percentage, so much a unit), rounded as one figure per order and apportioned.

    Args:
        parts: Exact part of each line.
        included: Lines that take part.
        cap: The most the figure of each order may be, before rounding; None for no limit.
        groups: The lines of each order together.
        places: Decimal places of the parts.
        mode: Rounding mode.
    """
    mine, inside, lines = _taking_part(parts, included, groups)
    exact: Number = group_sums(mine, inside)
    if cap is not None:
        limited = capped(exact, cap)
        over = compare(magnitude(exact), magnitude(cap)) > 0
        # Scaled so that they add up to the cap; an order under it keeps its parts as they are.
        factor = choose(over, limited / exact, Decimals.constant(1)).without(cap.missing)
        mine, exact = mine * factor.spread(groups.count).take(inside.of), limited
    total = exact.round(places, mode)
    apportioned = apportion_groups(mine, total.at(max(total.places, 0)), places, inside)
    nobody = np.zeros(groups.count, bool)
    blank = None if total.missing is None else mask_of(total.missing, groups.count)
    return Spread(_laid_out(apportioned, lines, blank, groups), nobody, nobody)


def spread_amount(
    amount: Number, weights: Number, included: Mask, groups: Grouping, places: int, mode: str, *, equal: bool
) -> Spread:
    """An amount per order, rounded and shared by weight.

    Args:
        amount: One amount per order, capped.
        weights: Weight of each line.
        included: Lines that take part.
        groups: The lines of each order together.
        places: Decimal places of the parts.
        mode: Rounding mode.
        equal: Share equally where all weights are zero.
    """
    mine, inside, lines = _taking_part(weights, included, groups)
    total = amount.round(places, mode)
    shares = share_groups(total, mine, places, inside, equal_if_weightless=equal)
    blank = either(total.missing, shares.mixed | shares.weightless)
    return Spread(_laid_out(shares.parts, lines, blank, groups), shares.mixed, shares.weightless)


def _taking_part(values: Number, included: Mask, groups: Grouping) -> tuple[Number, Grouping, Integers | None]:
    """Values and groups of the lines that take part, and where those stand; None if all do, as nearly always."""
    values = values.spread(len(groups))
    if included.all():
        return values, groups, None
    lines = np.flatnonzero(included)
    return values.take(lines), groups.at(lines), lines


def _laid_out(parts: Decimals, lines: Integers | None, blank: Mask | None, groups: Grouping) -> Decimals:
    """Parts at their lines, 0 at the others, blank on every line of a group whose figure is."""
    if lines is not None:
        units = np.zeros(len(groups), parts.units.dtype)
        units[lines] = parts.units
        missing = np.zeros(len(groups), bool)
        missing[lines] = parts.is_missing()
        parts = Decimals(units, parts.places, some(missing), parts.bound)
    return parts if blank is None or not blank.any() else parts.without(blank[groups.of])
