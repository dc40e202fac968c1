"""Ranks: whole numbers that sort as the exact values do."""

from __future__ import annotations

import math
from collections.abc import Sequence
from fractions import Fraction

import numpy as np

from dokima.exact.decimals import Decimals
from dokima.exact.grouping import Grouping
from dokima.exact.integers import LIMIT, Integers, Mask, widen
from dokima.exact.quotients import Number, Quotient

FEW_BOTTOMS = 100
"""Denominators of which it is tried whether one common to all of them fits."""


def ranks(values: Number) -> Integers:
    """For each value its place among the distinct values, 0 for the lowest; equal values share a place.

    Missing values get some place; the caller knows where they are.
    """
    if isinstance(values, Decimals):
        return dense(values.units)
    length = len(values)
    if len(values.bottom) == 1:
        return dense(values.top)
    both = values.spread(length)
    top, bottom = both.top, both.bottom
    if len(set(bottom.tolist())) == 1:
        return dense(top)
    # Few fractions differ in a long table: sort only those that do, as Python fractions.
    pairs = list(zip(top.tolist(), bottom.tolist(), strict=True))
    fractions = {pair: Fraction(*pair) for pair in set(pairs)}
    place = {value: number for number, value in enumerate(sorted(set(fractions.values())))}
    return np.fromiter((place[fractions[pair]] for pair in pairs), np.int64, length)


def dense(keys: Integers) -> Integers:
    """For each whole number its place among the distinct ones."""
    if keys.dtype != object and len(keys):
        low = int(keys.min())
        span = int(keys.max()) - low + 1
        if span == 1:
            return np.zeros(len(keys), np.int64)
        if span <= 4 * len(keys) + 64:
            # Codes lie close together: count them off instead of sorting.
            at = keys - low if low else keys
            present, places = np.zeros(span, bool), np.empty(span, np.int64)
            present[at] = True
            there = present.nonzero()[0]
            places[there] = np.arange(len(there))
            found: Integers = places[at]
            return found
    return np.unique(keys, return_inverse=True)[1].reshape(-1).astype(np.int64)


def distinct(values: Integers) -> Integers:
    """The distinct values in ascending order: what NumPy's ``unique`` gives, in a tenth of the time."""
    if len(values) <= 1:
        return values
    low, high = int(values.min()), int(values.max())
    if low == high:
        return values[:1]  # one currency, one routine: as most orders have
    if values.dtype != object and high - low <= 4 * len(values):
        present = np.zeros(high - low + 1, bool)
        present[values - low] = True
        return np.flatnonzero(present) + low
    ordered = np.sort(values)
    found: Integers = ordered[begins(ordered)]
    return found


def classes_of(facts: Sequence[Mask]) -> Integers:
    """For each place a number, the same for places of which all the same holds.

    Args:
        facts: What holds of each place, one mask a fact, at least one.
    """
    numbers = np.zeros(len(facts[0]), np.int64)
    for fact in facts:
        if fact.any() and not fact.all():
            numbers = dense(numbers * 2 + fact)
    return numbers


def begins(values: Integers) -> Mask:
    """True where a value is not that of the one before it."""
    found = np.empty(len(values), bool)
    found[:1] = True
    found[1:] = values[1:] != values[:-1]
    return found


def lowest_in_groups(groups: Grouping, keys: Integers, wanted: Integers) -> Integers:
    """The lines with the lowest keys of each group, ties to the earlier line.

    Args:
        groups: The lines in groups.
        keys: For each line what it is sorted by.
        wanted: For each group how many of its lines are wanted, at most as many as it has.

    Returns:
        The places of these lines, group by group.
    """
    if groups.count == 1:
        lowest: Integers = keys.argsort(kind="stable")[: int(wanted[0])]
        return lowest
    after = np.cumsum(wanted)
    if not len(after) or not after[-1]:
        return np.zeros(0, np.int64)
    # Sorted by group, each group begins where those before it end, and so many of its first lines are wanted.
    chosen = np.repeat(groups.ranges[:-1] - (after - wanted), wanted) + np.arange(after[-1])
    if keys.dtype == object:
        keys = dense(keys)
    low = int(keys.min())
    width, bits = int(keys.max()) - low + 1, len(keys).bit_length()
    if groups.count * width << bits > LIMIT:
        sorted_whole: Integers = np.lexsort((keys, groups.of))[chosen]
        return sorted_whole
    # One number that holds all three sorts several times faster than three keys.
    packed = groups.of * width
    packed += keys
    packed -= low
    packed <<= bits
    packed += np.arange(len(keys))
    packed.sort()
    places: Integers = packed[chosen] & (1 << bits) - 1
    return places


def over_one_bottom(values: Quotient, groups: Grouping) -> Integers:
    """Numerators of the fractions once all fractions of a group stand over one denominator."""
    values = values.spread(len(groups))
    of = groups.of
    differs = values.bottom != groups.first(values.bottom, 1)[of]
    if not differs.any():
        return values.top
    if object not in (values.top.dtype, values.bottom.dtype):
        # Mostly there are few denominators, and one that all groups share does as well as one for each.
        known = distinct(values.bottom).tolist()
        common_to_all = math.lcm(*known) if len(known) <= FEW_BOTTOMS else 0
        if 0 < common_to_all * max(values.top_bound, 1) <= LIMIT:
            shared: Integers = values.top * (common_to_all // values.bottom)
            return shared
    tops = widen(values.top).copy()
    mixed = np.isin(of, of[differs])
    common: dict[int, int] = {}
    for group, bottom in zip(of[mixed].tolist(), values.bottom[mixed].tolist(), strict=True):
        common[group] = math.lcm(common.get(group, 1), bottom)
    for at in np.flatnonzero(mixed).tolist():
        tops[at] *= common[int(of[at])] // int(values.bottom[at])
    return tops
