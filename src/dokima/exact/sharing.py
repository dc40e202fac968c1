"""Sharing an amount over lines so that the parts add up to it, to the last unit.

Both functions work for all groups (orders) at once. They truncate every part toward zero and give the units that are
left to the lines that lost most, ties to the earlier line.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from dokima.errors import ExactError
from dokima.exact.decimals import Decimals
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
    amounts: Decimals, weights: Number, places: int, groups: Integers, *, equal_if_weightless: bool = False
) -> Shares:
    """Share each group's amount over its lines in proportion to their weights.

    Args:
        amounts: One amount per group, with at most ``places`` decimal places.
        weights: One weight per line, all of one sign within a group.
        places: Decimal places of the parts.
        groups: For each line the number of its group.
        equal_if_weightless: Share equally where all weights are zero.

    Raises:
        ExactError: An amount has more places than the parts may have.
    """
    amounts = amounts.exactly(places, "an amount to share")
    count, n = len(amounts), len(groups)
    units = over_one_bottom(weights, groups, count) if isinstance(weights, Quotient) else weights.spread(n).units
    gone = weights.is_missing() if len(weights) == n else np.broadcast_to(weights.is_missing(), (n,))
    units = np.where(gone, 0, units)
    mixed = marked(units > 0, groups, count) & marked(units < 0, groups, count)
    weightless = ~marked(units != 0, groups, count)
    if equal_if_weightless:
        units = np.where(weightless[groups], 1, units)
        weightless = weightless & ~marked(np.ones(n, bool), groups, count)
    # Nothing is shared by any weights.
    something = (amounts.units != 0) & ~amounts.is_missing()
    mixed, weightless = mixed & something, weightless & something

    # The largest remainder method: each line gets the whole units of its exact part, and what is left goes out one unit
    # at a time to the largest remainders. Magnitudes are shared and the sign put back, so that a credit note mirrors
    # its invoice to the cent.
    weight = Decimals(np.abs(units))
    whole = group_sums(weight, groups, count)
    divisor = np.where(whole.units == 0, 1, whole.units)[groups]
    wanted = np.abs(amounts.units)
    product, bound = multiply(wanted[groups], amounts.bound, weight.units, weight.bound)
    product, divisor = of_one_type(product, divisor)
    part = product // divisor
    rest = product - part * divisor
    part, bound = narrow(part, min(bound, amounts.bound))
    left = wanted - group_sums(Decimals(part, 0, None, bound), groups, count).units
    part = part.copy()
    # Where all weights are zero more is left than there are lines; nothing is shared there.
    left = np.clip(left, 0, np.bincount(groups, minlength=count)).astype(np.int64)
    part[lowest_in_groups(groups, -rest, left)] += 1
    signed = np.where(amounts.units[groups] < 0, -part, part)
    missing = amounts.is_missing() | mixed | weightless
    wrong = any_in(gone, groups, count)
    if wrong is not None:
        missing = missing | wrong
    lines = missing[groups]
    return Shares(Decimals(signed, places, lines if lines.any() else None, bound + 1), mixed, weightless)


def apportion_groups(parts: Number, totals: Decimals, places: int, groups: Integers) -> Decimals:
    """Round exact parts so that each group's parts add up to its total; signs may be mixed.

    Args:
        parts: One exact part per line.
        totals: One total per group, less than one unit per line away from the sum of its exact parts.
        places: Decimal places of the result; totals have at most as many.
        groups: For each line the number of its group.

    Raises:
        ExactError: A total is further away from its parts than that, or has too many places.
    """
    totals = totals.exactly(places, "a total to apportion")
    count = len(totals)
    parts = parts.spread(len(groups))
    # Truncation never goes past a part, so that every unit still missing points the same way as the parts' rests.
    short = parts.round(places, "down").at(places)
    left = totals - group_sums(short, groups, count)
    missing = left.is_missing()
    residue = np.where(missing, 0, left.units)
    result = Decimals(short.units, places, missing[groups] if np.count_nonzero(missing) else None, short.bound + 1)
    if not np.count_nonzero(residue):
        return result
    wanted = np.abs(residue)
    beyond = wanted > np.bincount(groups, minlength=count)
    if np.count_nonzero(beyond):
        at = int(np.flatnonzero(beyond)[0])
        raise ExactError(
            f"a total to apportion must lie within one unit per line of its parts (one is {residue[at]} units off)"
        )
    touched, of = None, groups
    if isinstance(parts, Quotient) or 2 * np.count_nonzero(wanted) < count:
        touched = np.flatnonzero(wanted[groups])
        parts, short, of = parts.take(touched), short.take(touched), groups[touched]
    rests = _signed_rest(parts, short, of, count)
    step = np.where(residue < 0, -1, 1)
    # A unit goes to the lines that truncation took most from.
    receivers = lowest_in_groups(of, -rests if (step > 0).all() else -rests * step[of], wanted.astype(np.int64))
    receivers = receivers if touched is None else touched[receivers]
    units = result.units.copy()
    units[receivers] += step[groups[receivers]]
    result.units = units
    return result


def _signed_rest(parts: Number, short: Decimals, groups: Integers, count: int) -> Integers:
    """What truncation took from each part, comparable within a group."""
    if isinstance(parts, Decimals):
        return (parts - short).units
    whole, bound = multiply(short.units, short.bound, parts.bottom, parts.bottom_bound)
    lifted = scale(parts.top, parts.top_bound, max(0, short.places - parts.places))[0]
    whole = scale(whole, bound, max(0, parts.places - short.places))[0]
    rest = widen(lifted) - widen(whole)
    fractions = Quotient(rest, 0, parts.bottom, parts.bottom_bound, parts.places, None)
    return over_one_bottom(fractions, groups, count)


def share(amount: Decimals, weights: Number, places: int, *, equal_if_weightless: bool = False) -> Decimals:
    """Share one amount (a column of length 1) over all lines; see `share_groups`.

    Raises:
        ExactError: Weights of both signs, or only zero weights for an amount that is not zero.
    """
    groups = np.zeros(len(weights), np.intp)
    result = share_groups(amount, weights, places, groups, equal_if_weightless=equal_if_weightless)
    if result.mixed[0]:
        raise ExactError("weights to share by must all have one sign (got both)")
    if result.weightless[0]:
        raise ExactError("at least one weight to share by must differ from zero (all are zero)")
    return result.parts


def apportion(parts: Number, total: Decimals, places: int) -> Decimals:
    """Round exact parts so that they add up to one total (a column of length 1); see `apportion_groups`."""
    return apportion_groups(parts, total, places, np.zeros(len(parts), np.intp))
