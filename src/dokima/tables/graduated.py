"""Graduated tables: each band of a quantity at its own price, and the amount they make together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from dokima.columns.column import Column
from dokima.exact import Decimals, Number, Quotient, choose, compare, from_fractions, magnitude, simplified
from dokima.exact.integers import Integers, Mask, either
from dokima.exact.ranking import begins, dense
from dokima.formulas.aggregates import value_codes
from dokima.formulas.operators import numbers


@dataclass(frozen=True)
class Bands:
    """The rows of a graduated table as bands.

    Rows for the same terms and days are one scale; its rows, from the lowest break up, are bands. A row prices what
    lies between its break and the next. A scale without a band from 0 on has no answer.

    Attributes:
        first: For each row the place of its scale's first band in ``rows``, -1 if that does not start from 0.
        last: For each row the place of its scale's last band.
        rows: Row numbers, scale by scale, from the lowest break up.
        least: Break of each row, 0 for an empty one.
        price: Price of one unit in each row's band.
        below: What all bands below a row's come to when they are full.
        listed: Price of each row as it stands in the table.
        base: Per how many units that is; None if the table has no such column.
    """

    first: Integers
    last: Integers
    rows: Integers
    least: Decimals
    price: Number
    below: Number
    listed: Column
    base: Column | None

    @classmethod
    def of(cls, alike: Sequence[Column | Integers], least: Decimals, price: Column, base: Column | None) -> Bands:
        """Bands out of a table's columns: those that must be alike within a scale, breaks, prices and their bases."""
        size = len(least)
        scale: Integers = np.zeros(size, np.int64)
        for column in alike:
            codes = column if isinstance(column, np.ndarray) else value_codes(column) + 1
            scale = dense(scale * (int(codes.max(initial=0)) + 1) + dense(codes))
        breaks = least.filled()
        order = np.lexsort((np.arange(size), dense(breaks.units), scale))
        starts = np.flatnonzero(begins(scale[order]))
        ends = np.append(starts[1:], size) - 1 if size else starts
        of_scale = np.repeat(np.arange(len(starts)), ends - starts + 1)
        each = numbers(price) if base is None else numbers(price) / numbers(base)
        unit = simplified(each)
        below = _below(order, of_scale, starts, breaks, unit)
        first, last = np.full(size, -1, np.int64), np.full(size, -1, np.int64)
        from_zero = breaks.units[order[starts]] == 0 if size else np.zeros(0, bool)
        first[order] = np.where(from_zero, starts, -1)[of_scale]
        last[order] = ends[of_scale]
        return cls(first, last, order, breaks, unit, below, price, base)

    def find(self, chosen: Integers, value: Column) -> Integers:
        """For each line the row of the band its value lies in, given any row of its scale (-1 for none)."""
        magnitude = numbers(value).__abs__()
        place = np.where(chosen < 0, -1, self.first[chosen]) if len(self.first) else np.full(len(chosen), -1, np.int64)
        place = np.where(magnitude.is_missing(), -1, place)
        lines = np.flatnonzero(place >= 0)
        while len(lines):
            following = place[lines] + 1
            lines = lines[following <= self.last[chosen[lines]]]
            rows = self.rows[place[lines] + 1]
            reached = compare(magnitude.take(lines), self.least.take(rows)) >= 0
            lines = lines[reached]
            place[lines] += 1
        return np.where(place < 0, -1, self.rows[place]) if len(self.rows) else place

    def amount(self, rows: Integers, value: Column) -> Number:
        """What each value comes to, band by band; a negative one mirrors. Blank where there is no row."""
        exact = numbers(value)
        at = np.where(rows < 0, 0, rows)
        if not len(self.rows):
            return Decimals.blanks(len(rows))
        above = magnitude(exact) - self.least.take(at)
        # At a break nothing lies in its band, which then needs no price.
        inside = choose(compare(above, Decimals.zeros(1)) == 0, Decimals.zeros(1), above * self.price.take(at))
        whole = self.below.take(at) + inside
        negative = compare(exact, Decimals.zeros(1)) < 0
        return choose(negative, -whole, whole).without(either(rows < 0, exact.missing))


def _below(order: Integers, of_scale: Integers, starts: Integers, breaks: Decimals, unit: Number) -> Number:
    """For each row what the bands below it come to: a running sum that starts anew with each scale."""
    if not len(order):
        return Decimals.zeros(0)
    sorted_breaks, sorted_units = breaks.take(order), unit.take(order)
    previous = np.maximum(np.arange(len(order)) - 1, 0)
    full = (sorted_breaks - sorted_breaks.take(previous)) * sorted_units.take(previous)
    first = np.zeros(len(order), bool)
    first[starts] = True
    if isinstance(full, Quotient):
        return _below_of_fractions(order, first, full)
    steps = np.where(first | full.is_missing(), 0, full.units).astype(object)
    running = np.cumsum(steps)
    sums = running - running[starts][of_scale] + steps[starts][of_scale]
    result = np.zeros(len(order), object)
    result[order] = sums
    blank = np.zeros(len(order), bool)
    blank[order] = _any_before(full.is_missing() & ~first, starts, of_scale)
    return Decimals(result, full.places, blank if blank.any() else None).compact()


def _below_of_fractions(order: Integers, first: Mask, full: Quotient) -> Number:
    """The same running sum of fractions, added one by one: a price list is read once."""
    sums: list[Fraction | None] = [None] * len(order)
    running: Fraction | None = Fraction(0)
    tops = zip(full.top.tolist(), full.spread(len(order)).bottom.tolist(), full.is_missing().tolist(), strict=True)
    for row, starts, (top, bottom, gone) in zip(order.tolist(), first.tolist(), tops, strict=True):
        if starts:
            running = Fraction(0)
        else:
            running = None if gone or running is None else running + Fraction(top, bottom) / 10**full.places
        sums[row] = running
    return from_fractions(sums)


def _any_before(marked: Integers, starts: Integers, of_scale: Integers) -> Integers:
    """For each band whether it or one below it in its scale is marked."""
    counts = np.cumsum(marked.astype(np.int64))
    before = np.where(starts > 0, counts[np.maximum(starts - 1, 0)], 0)
    found: Integers = counts - before[of_scale] > 0
    return found
