"""Sums, extremes and counts of groups of lines, without a loop over the groups."""

from __future__ import annotations

from typing import overload

import numpy as np

from dokima.exact.decimals import Decimals
from dokima.exact.fraction_sums import added, summed_fractions
from dokima.exact.integers import Integers, Mask, mask_of, some
from dokima.exact.quotients import Number, Quotient
from dokima.exact.ranking import ranks


def total(column: Decimals) -> Decimals:
    """The sum of all values as a column of length 1: 0 over nothing, missing if one is missing."""
    return group_sums(column, np.zeros(len(column), np.intp), 1)


@overload
def group_sums(column: Decimals, groups: Integers, count: int) -> Decimals: ...


@overload
def group_sums(column: Number, groups: Integers, count: int) -> Number: ...


def group_sums(column: Number, groups: Integers, count: int) -> Number:
    """The sum of each group, exactly: 0 for an empty one, missing if one of its values is missing.

    Args:
        column: One value per line.
        groups: For each line the number of its group, 0 to ``count - 1``.
        count: Number of groups.
    """
    column = column.spread(len(groups))
    if isinstance(column, Quotient):
        return summed_fractions(column, groups, count, any_in(column.missing, groups, count))
    units = column.units if column.missing is None else np.where(column.missing, 0, column.units)
    sums, bound = added(units, column.bound, groups, count)
    return Decimals(sums, column.places, any_in(column.missing, groups, count), bound)


@overload
def group_extremes(column: Decimals, groups: Integers, count: int, highest: bool) -> Decimals: ...


@overload
def group_extremes(column: Number, groups: Integers, count: int, highest: bool) -> Number: ...


def group_extremes(column: Number, groups: Integers, count: int, highest: bool) -> Number:
    """The lowest or highest value of each group: missing for an empty one, or if one of its values is missing."""
    column = column.spread(len(groups))
    if isinstance(column, Quotient):
        rank = ranks(column)
        order = np.lexsort((rank if highest else -rank, groups))
        line = np.full(count, -1, np.int64)
        line[groups[order]] = order  # the last one written is the extreme
        empty = line < 0
        if not len(column):
            return Decimals.blanks(count)
        gone = any_in(column.missing, groups, count)
        return column.take(np.where(empty, 0, line)).without(some(empty if gone is None else empty | gone))
    empty = np.ones(count, bool)
    empty[groups] = False
    found = np.zeros(count, column.units.dtype)
    # Start from a value of the group itself, so that no invented extreme can survive.
    found[groups] = column.units
    (np.maximum if highest else np.minimum).at(found, groups, column.units)
    gone = any_in(column.missing, groups, count)
    missing = some(empty) if gone is None else empty | gone
    return Decimals(found, column.places, missing, column.bound)


def group_counts(groups: Integers, count: int) -> Decimals:
    """How many lines each group has."""
    sizes = np.bincount(groups, minlength=count).astype(np.int64)
    return Decimals(sizes, 0, None, len(groups))


def any_in(mask: Mask | None, groups: Integers, count: int) -> Mask | None:
    """For each group whether the mask marks one of its lines; None if it marks none at all."""
    return None if mask is None else some(marked(mask, groups, count))


def marked(mask: Mask, groups: Integers, count: int) -> Mask:
    """The same, also where it marks none."""
    found = np.zeros(count, bool)
    found[groups[mask_of(mask, len(groups)).nonzero()[0]]] = True  # a mask as an index takes four times as long
    return found
