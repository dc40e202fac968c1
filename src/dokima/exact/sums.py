"""Sums, extremes and counts of groups of lines, without a loop over the groups."""

from __future__ import annotations

from typing import overload

import numpy as np

from dokima.exact.decimals import Decimals
from dokima.exact.fraction_sums import added, summed_fractions
from dokima.exact.grouping import Grouping
from dokima.exact.integers import Mask, mask_of, some
from dokima.exact.quotients import Number, Quotient
from dokima.exact.ranking import ranks


def total(column: Decimals) -> Decimals:
    """The sum of all values as a column of length 1: 0 over nothing, missing if one is missing."""
    return group_sums(column, Grouping.one(len(column)))


@overload
def group_sums(column: Decimals, groups: Grouping) -> Decimals: ...


@overload
def group_sums(column: Number, groups: Grouping) -> Number: ...


def group_sums(column: Number, groups: Grouping) -> Number:
    """The sum of each group, exactly: 0 for an empty one, missing if one of its values is missing.

    Args:
        column: One value per line.
        groups: The lines in groups.
    """
    column = column.spread(len(groups))
    if isinstance(column, Quotient):
        return summed_fractions(column, groups, any_in(column.missing, groups))
    units = column.units if column.missing is None else column.units * ~column.missing
    sums, bound = added(units, column.bound, groups)
    return Decimals(sums, column.places, any_in(column.missing, groups), bound)


@overload
def group_extremes(column: Decimals, groups: Grouping, highest: bool) -> Decimals: ...


@overload
def group_extremes(column: Number, groups: Grouping, highest: bool) -> Number: ...


def group_extremes(column: Number, groups: Grouping, highest: bool) -> Number:
    """The lowest or highest value of each group: missing for an empty one, or if one of its values is missing."""
    column = column.spread(len(groups))
    if isinstance(column, Quotient):
        rank = ranks(column)
        order = np.lexsort((rank if highest else -rank, groups.of))
        line = np.full(groups.count, -1, np.int64)
        line[groups.of[order]] = order  # the last one written is the extreme
        empty = line < 0
        if not len(column):
            return Decimals.blanks(groups.count)
        gone = any_in(column.missing, groups)
        return column.take(np.where(empty, 0, line)).without(some(empty if gone is None else empty | gone))
    empty = np.ones(groups.count, bool)
    empty[groups.of] = False
    found = np.zeros(groups.count, column.units.dtype)
    # Start from a value of the group itself, so that no invented extreme can survive.
    found[groups.of] = column.units
    (np.maximum if highest else np.minimum).at(found, groups.of, column.units)
    gone = any_in(column.missing, groups)
    missing = some(empty) if gone is None else empty | gone
    return Decimals(found, column.places, missing, column.bound)


def group_counts(groups: Grouping) -> Decimals:
    """How many lines each group has."""
    return Decimals(groups.sizes, 0, None, len(groups))


def any_in(mask: Mask | None, groups: Grouping) -> Mask | None:
    """For each group whether the mask marks one of its lines; None if it marks none at all."""
    return None if mask is None else some(marked(mask, groups))


def marked(mask: Mask, groups: Grouping) -> Mask:
    """The same, also where it marks none."""
    found = np.zeros(groups.count, bool)
    found[groups.of[mask_of(mask, len(groups)).nonzero()[0]]] = True  # a mask as an index takes four times as long
    return found
