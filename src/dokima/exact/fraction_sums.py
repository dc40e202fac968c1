"""Sums of fractions with different denominators, group by group: exact, and worked out exactly only where it matters.

Few denominators differ in rates and price bases, and then fractions over one denominator are added as whole numbers. In
``sum(line.a / line.quantity)`` nearly all differ, and the least common denominator of a long order has hundreds of
digits. What is wanted of such a sum is nearly always its rounded value. So every fraction is cut to a few digits more
than that, and the error this can make is counted. Only the groups whose rounding the error leaves open are added
exactly.
"""

from __future__ import annotations

import math
from collections.abc import Iterator

import numpy as np

from dokima.exact.decimals import Decimals
from dokima.exact.grouping import Grouping
from dokima.exact.integers import LIMIT, Integers, Mask, add, either, measure, narrow, of_one_type, scale, widen
from dokima.exact.quotients import PLACES_KEPT, Number, Quotient, compare

_GUARD = 6
"""Digits kept beyond those wanted. With n inexact fractions, about n groups in a million are left open."""

_MANY = 1000
"""Terms up to which nothing is gained by looking how they stand."""


def summed_fractions(terms: Quotient, groups: Grouping, missing: Mask | None) -> Quotient:
    """The exact sum of each group.

    Args:
        terms: One fraction per line.
        groups: The lines in groups.
        missing: Groups whose sum is missing.
    """
    top, bottom = terms.top, terms.bottom
    if terms.missing is not None:
        top, bottom = np.where(terms.missing, 0, top), np.where(terms.missing, 1, bottom)
    first = groups.first(bottom, 1)
    if (bottom == first[groups.of]).all():
        sums, bound = added(top, terms.top_bound, groups)
        return Quotient(sums, bound, first, terms.bottom_bound, terms.places, missing, _all_plain(terms, groups))
    kept = Quotient(top, terms.top_bound, bottom, terms.bottom_bound, terms.places, None, terms.plain)
    return SumsOfFractions(kept, groups, np.arange(groups.count), missing)


class SumsOfFractions(Quotient):
    """Sums of fractions that are added exactly only when somebody needs more of them than a rounded value.

    Args:
        terms: One fraction per line, none of them missing.
        groups: The lines in groups.
        of: For each value of this column the group whose sum it is.
        missing: True where the value is missing, None if none is.
    """

    __slots__ = ("_groups", "_of", "_terms")

    def __init__(self, terms: Quotient, groups: Grouping, of: Integers, missing: Mask | None) -> None:
        # top and bottom are filled in by __getattr__ when something reads them.
        self.places = terms.places
        self.missing = missing
        self.plain = _all_plain(terms, groups)[of]
        self._terms = terms
        self._groups = groups
        self._of = of

    def __getattr__(self, name: str) -> Integers | int:
        if name not in ("top", "bottom", "top_bound", "bottom_bound"):
            raise AttributeError(name)
        top, bottom = (part[self._of] for part in self._exact(np.ones(self._groups.count, bool)))
        self.top, self.top_bound = narrow(top, measure(top))
        self.bottom, self.bottom_bound = narrow(bottom, measure(bottom))
        found: Integers | int = object.__getattribute__(self, name)
        return found

    def __len__(self) -> int:
        return len(self._of)

    def take(self, positions: Integers) -> Quotient:
        """The values at the given positions, each 0 or more."""
        missing = None if self.missing is None else self.missing[positions]
        return SumsOfFractions(self._terms, self._groups, self._of[positions], missing)

    def spread(self, length: int) -> Quotient:
        """A column of the given length; this one must have that length or length 1."""
        return self if len(self) == length else self.take(np.zeros(length, np.intp))

    def without(self, gone: Mask | None) -> Quotient:
        """The same column with more values missing."""
        missing = either(self.missing, gone)
        return SumsOfFractions(self._terms, self._groups, self._of, missing)

    def round(self, places: int, mode: str = "half-up") -> Decimals:
        """Rounded to the given places, exactly."""
        low, high = self._between(max(places, 0) + _GUARD)
        rounded, other = low.round(places, mode), high.round(places, mode)
        open_ = np.flatnonzero(rounded.compare(other) != 0)
        if len(open_):
            rounded = rounded.replaced(open_, self._exactly(open_).round(places, mode))
        return rounded.take(self._of).without(self.missing)

    def compare(self, other: Number) -> Integers:
        """-1, 0 or 1 for each pair; pairs with a missing value mean nothing."""
        low, high = (side.take(self._of) for side in self._between(PLACES_KEPT + _GUARD))
        sign, other_sign = compare(low, other), compare(high, other)
        open_ = (sign != other_sign) | ((sign == 0) & (low.compare(high) != 0))
        return Quotient.compare(self, other) if open_.any() else sign

    def _between(self, places: int) -> tuple[Decimals, Decimals]:
        """For each group two numbers of the given places with its sum from the first on and below the second.

        They are the same number where all of its fractions end within these places.
        """
        terms = self._terms
        top, bottom, power = terms.top, terms.bottom, places - terms.places
        bound = terms.top_bound
        if power >= 0:
            top, bound = scale(top, bound, power)
        else:
            bottom = scale(bottom, terms.bottom_bound, -power)[0]
        top, bottom = of_one_type(top, bottom)
        floor = top // bottom
        inexact = floor * bottom != top
        sums, bound = added(floor, bound, self._groups)
        errors = added(inexact.astype(np.int64), 1, self._groups)[0]
        high, high_bound = add(sums, bound, errors, len(self._groups))
        return Decimals(sums, places, None, bound), Decimals(high, places, None, high_bound)

    def _exactly(self, groups: Integers) -> Quotient:
        """The exact sums of some groups."""
        wanted = np.zeros(self._groups.count, bool)
        wanted[groups] = True
        top, bottom = (part[groups] for part in self._exact(wanted))
        return Quotient(top, measure(top), bottom, measure(bottom), self.places, None)

    def _exact(self, wanted: Mask) -> tuple[Integers, Integers]:
        """Numerators and least common denominators of the sums of some groups, as Python integers."""
        tops, bottoms = np.zeros(self._groups.count, object), np.ones(self._groups.count, object)
        for group, top, bottom in self._lines(wanted):
            common = math.lcm(bottoms[group], bottom)
            tops[group] = tops[group] * (common // bottoms[group]) + top * (common // bottom)
            bottoms[group] = common
        return tops, bottoms

    def _lines(self, wanted: Mask) -> Iterator[tuple[int, int, int]]:
        lines = np.flatnonzero(wanted[self._groups.of])
        parts = self._groups.of[lines], self._terms.top[lines], self._terms.bottom[lines]
        return zip(*(part.tolist() for part in parts), strict=True)


def _all_plain(terms: Quotient, groups: Grouping) -> Mask:
    """The groups of which every term is a decimal."""
    plain = np.ones(groups.count, bool)
    plain[groups.of[~np.broadcast_to(terms.plain, groups.of.shape)]] = False
    return plain


def added(units: Integers, bound: int, groups: Grouping) -> tuple[Integers, int]:
    """Whole numbers added group by group, and the bound of the sums."""
    if len(groups) <= _MANY and bound * len(groups) <= LIMIT and units.dtype != object:
        sums = np.zeros(groups.count, np.int64)
        np.add.at(sums, groups.of, units)
        return sums, bound * len(groups)
    most = groups.largest or 1
    if bound * most > LIMIT:
        bound = measure(units)
    if bound * most > LIMIT:
        units = widen(units)
    if units.dtype != object and groups.in_sequence:
        # Groups one after the other are what the running total grew by. It may pass the limit of int64 and come out on
        # the other side; its differences are right all the same, because they do not pass it.
        totals = np.zeros(len(units) + 1, np.int64)
        np.cumsum(units, out=totals[1:])
        totals = totals[groups.ranges]
        return totals[1:] - totals[:-1], bound * most
    sums = np.zeros(groups.count, units.dtype)
    np.add.at(sums, groups.of, units)
    return narrow(sums, bound * most)
