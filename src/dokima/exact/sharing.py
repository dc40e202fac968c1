"""Sharing an amount over lines so that the parts add up to it, to the last unit.

Both functions work for all groups (orders) at once. They truncate every part toward zero and give the units that are
left to the lines that lost most, ties to the earlier line.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.errors import ExactError
from dokima.exact.decimals import Decimals
from dokima.exact.grouping import Grouping
from dokima.exact.integers import Integers, Mask, multiply, narrow, of_one_type, scale, widen
from dokima.exact.quotients import Number, Quotient
from dokima.exact.ranking import lowest_in_groups, over_one_bottom
from dokima.exact.sums import any_in, group_sums, marked


@dataclass(frozen=True)
class Shares:
    """Parts of the amounts, and the groups that could not be shared (their parts are missing).

    Attributes:
        parts: One part per line.
        mixed: Per group, True if its weights have both signs, and its amount is not zero.
        weightless: Per group, True if it has no line or only zero weights, and its amount is not zero.
    """

    parts: Decimals
    mixed: Mask
    weightless: Mask


def share_groups(
    amounts: Decimals, weights: Number, places: int, groups: Grouping, *, equal_if_weightless: bool = False
) -> Shares:
    """Share each group's amount over its lines in proportion to their weights.

    Args:
        amounts: One amount per group, with at most ``places`` decimal places.
        weights: One weight per line, all of one sign within a group.
        places: Decimal places of the parts.
        groups: The lines in groups.
        equal_if_weightless: Share equally where all weights are zero.

    Raises:
        ExactError: An amount has more places than the parts may have.
    """
    amounts = amounts.exactly(places, "an amount to share")
    of, n = groups.of, len(groups)
    units = over_one_bottom(weights, groups) if isinstance(weights, Quotient) else weights.spread(n).units
    gone = weights.is_missing() if len(weights) == n else np.broadcast_to(weights.is_missing(), (n,))
    units = np.where(gone, 0, units)
    mixed = marked(units > 0, groups) & marked(units < 0, groups)
    weightless = ~marked(units != 0, groups)
    if equal_if_weightless:
        units = np.where(weightless[of], 1, units)
        weightless = weightless & (groups.sizes == 0)
    # Nothing is shared by any weights.
    something = (amounts.units != 0) & ~amounts.is_missing()
    mixed, weightless = mixed & something, weightless & something

    # The largest remainder method: each line gets the whole units of its exact part, and what is left goes out one unit
    # at a time to the largest remainders. Magnitudes are shared and the sign put back, so that a credit note mirrors
    # its invoice to the cent.
    weight = Decimals(np.abs(units))
    whole = group_sums(weight, groups)
    divisor = np.where(whole.units == 0, 1, whole.units)[of]
    wanted = np.abs(amounts.units)
    product, bound = multiply(wanted[of], amounts.bound, weight.units, weight.bound)
    product, divisor = of_one_type(product, divisor)
    part = product // divisor
    rest = product - part * divisor
    part, bound = narrow(part, min(bound, amounts.bound))
    left = wanted - group_sums(Decimals(part, 0, None, bound), groups).units
    part = part.copy()
    # Where all weights are zero more is left than there are lines; nothing is shared there.
    left = np.clip(left, 0, groups.sizes).astype(np.int64)
    part[lowest_in_groups(groups, -rest, left)] += 1
    signed = np.where(amounts.units[of] < 0, -part, part)
    missing = amounts.is_missing() | mixed | weightless
    wrong = any_in(gone, groups)
    if wrong is not None:
        missing = missing | wrong
    lines = missing[of]
    return Shares(Decimals(signed, places, lines if lines.any() else None, bound + 1), mixed, weightless)


def apportion_groups(parts: Number, totals: Decimals, places: int, groups: Grouping) -> Decimals:
    """Round exact parts so that each group's parts add up to its total; signs may be mixed.

    Args:
        parts: One exact part per line.
        totals: One total per group, less than one unit per line away from the sum of its exact parts.
        places: Decimal places of the result; totals have at most as many.
        groups: The lines in groups.

    Raises:
        ExactError: A total is further away from its parts than that, or has too many places.
    """
    totals = totals.exactly(places, "a total to apportion")
    parts = parts.spread(len(groups))
    # Truncation never goes past a part, so that every unit still missing points the same way as the parts' rests.
    short = parts.round(places, "down").at(places)
    left = totals - group_sums(short, groups)
    missing = left.is_missing()
    residue = np.where(missing, 0, left.units)
    result = Decimals(short.units, places, missing[groups.of] if np.count_nonzero(missing) else None, short.bound + 1)
    if not np.count_nonzero(residue):
        return result
    wanted = np.abs(residue)
    beyond = wanted > groups.sizes
    if np.count_nonzero(beyond):
        at = int(np.flatnonzero(beyond)[0])
        raise ExactError(
            f"a total to apportion must lie within one unit per line of its parts (one is {residue[at]} units off)"
        )
    touched = None
    if isinstance(parts, Quotient) or 2 * np.count_nonzero(wanted) < groups.count:
        touched = np.flatnonzero(wanted[groups.of])
        parts, short, groups = parts.take(touched), short.take(touched), groups.at(touched)
    # A unit goes to the lines that truncation took most from.
    lost, wanted = _signed_loss(parts, short, groups), wanted.astype(np.int64)
    step: int | Integers = 1
    if (residue < 0).any():
        of_group = np.where(residue < 0, -1, 1)
        lost, step = lost * of_group[groups.of], np.repeat(of_group, wanted)
    receivers = lowest_in_groups(groups, lost, wanted)
    units = result.units.copy()
    units[receivers if touched is None else touched[receivers]] += step
    result.units = units
    return result


def _signed_loss(parts: Number, short: Decimals, groups: Grouping) -> Integers:
    """By how much truncation moved each part, comparable within a group: negative where it is less now."""
    if isinstance(parts, Decimals):
        return (short - parts).units
    whole, bound = multiply(short.units, short.bound, parts.bottom, parts.bottom_bound)
    lifted = scale(parts.top, parts.top_bound, max(0, short.places - parts.places))[0]
    whole = scale(whole, bound, max(0, parts.places - short.places))[0]
    fractions = Quotient(widen(whole) - widen(lifted), 0, parts.bottom, parts.bottom_bound, parts.places, None)
    return over_one_bottom(fractions, groups)


def share(amount: Decimals, weights: Number, places: int, *, equal_if_weightless: bool = False) -> Decimals:
    """Share one amount (a column of length 1) over all lines; see `share_groups`.

    Raises:
        ExactError: Weights of both signs, or only zero weights for an amount that is not zero.
    """
    groups = Grouping.one(len(weights))
    result = share_groups(amount, weights, places, groups, equal_if_weightless=equal_if_weightless)
    if result.mixed[0]:
        raise ExactError("weights to share by must all have one sign (got both)")
    if result.weightless[0]:
        raise ExactError("at least one weight to share by must differ from zero (all are zero)")
    return result.parts


def apportion(parts: Number, total: Decimals, places: int) -> Decimals:
    """Round exact parts so that they add up to one total (a column of length 1); see `apportion_groups`."""
    return apportion_groups(parts, total, places, Grouping.one(len(parts)))
