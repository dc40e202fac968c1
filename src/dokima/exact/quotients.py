"""`Quotient`: a column of exact fractions, kept until something has to be rounded."""

from __future__ import annotations

from typing import ClassVar, Literal

import numpy as np

from dokima.exact import rounding
from dokima.exact.decimals import Decimals
from dokima.exact.integers import (
    Integers,
    Mask,
    add,
    either,
    mask_of,
    missing_of,
    multiply,
    narrow,
    of_one_type,
    power_of_ten,
    powers_beside,
    scale,
    some,
)

PLACES_KEPT = 12
"""Decimal places of a quotient that is kept as a figure without being rounded (with `rounding.STORING`)."""

_ONE, _PLAIN = np.ones(1, np.int64), np.ones(1, bool)
"""What a decimal is divided by, and that it is one: made once, because nothing is changed in place."""


class Quotient:
    """A column of exact fractions of two whole numbers, scaled by ten to the power of minus ``places``.

    All arithmetic, comparing and rounding are exact. The denominator is always positive. A division by zero is a
    missing value. A value that was only divided by powers of ten is no fraction but a decimal, whatever the others of
    its column are.

    Attributes:
        top: Numerators.
        bottom: Denominators, 1 or more, of the same length or length 1.
        places: Decimal places of the fraction as a whole; may be negative.
        missing: True where the value is missing, None if none is.
        plain: True where the value is a decimal, because it was only ever divided by powers of ten; of length 1 for
            all.
    """

    kind: ClassVar[Literal["decimal"]] = "decimal"
    __slots__ = ("bottom", "bottom_bound", "missing", "places", "plain", "top", "top_bound")

    def __init__(
        self,
        top: Integers,
        top_bound: int,
        bottom: Integers,
        bottom_bound: int,
        places: int,
        missing: Mask | None,
        plain: Mask | None = None,
    ) -> None:
        self.top = top
        self.top_bound = top_bound
        self.bottom = bottom
        self.bottom_bound = bottom_bound
        self.places = places
        self.missing = missing
        self.plain = np.zeros(1, bool) if plain is None else plain

    @classmethod
    def of(cls, value: Number) -> Quotient:
        """The value as a quotient."""
        if isinstance(value, Quotient):
            return value
        return cls(value.units, value.bound, _ONE, 1, value.places, value.missing, _PLAIN)

    def __len__(self) -> int:
        return max(len(self.top), len(self.bottom)) if len(self.top) and len(self.bottom) else 0

    def __repr__(self) -> str:
        return f"Quotient({self.stored()!r})"

    def take(self, positions: Integers) -> Quotient:
        """The values at the given positions, each 0 or more."""
        whole = self.spread(len(self))
        missing = None if whole.missing is None else whole.missing[positions]
        return Quotient(
            whole.top[positions],
            self.top_bound,
            whole.bottom[positions],
            self.bottom_bound,
            self.places,
            missing,
            whole.plain[positions],
        )

    def spread(self, length: int) -> Quotient:
        """A column of the given length; this one must have that length or length 1."""
        shape = (length,)
        missing = None if self.missing is None else np.broadcast_to(self.missing, shape)
        top, bottom = np.broadcast_to(self.top, shape), np.broadcast_to(self.bottom, shape)
        plain = np.broadcast_to(self.plain, shape)
        return Quotient(top, self.top_bound, bottom, self.bottom_bound, self.places, missing, plain)

    def without(self, gone: Mask | None) -> Quotient:
        """The same column with more values missing."""
        return self._as(self.top, self.places, either(self.missing, gone))

    def _as(self, top: Integers, places: int, missing: Mask | None) -> Quotient:
        """The same denominators with numerators of the same size."""
        return Quotient(top, self.top_bound, self.bottom, self.bottom_bound, places, missing, self.plain)

    def is_missing(self) -> Mask:
        """True where the value is missing, as an array of this column's length."""
        return mask_of(self.missing, len(self))

    # -- arithmetic -------------------------------------------------------------------------------------------

    def __mul__(self, other: Number) -> Quotient:
        other = Quotient.of(other)
        top, top_bound = multiply(self.top, self.top_bound, other.top, other.top_bound)
        bottom, bottom_bound = multiply(self.bottom, self.bottom_bound, other.bottom, other.bottom_bound)
        missing = either(self.missing, other.missing)
        plain = self.plain & other.plain
        return Quotient(top, top_bound, bottom, bottom_bound, self.places + other.places, missing, plain)

    __rmul__ = __mul__

    def __truediv__(self, other: Number) -> Quotient:
        return self * Quotient.of(other).inverse()

    def inverse(self) -> Quotient:
        """One over the value; missing where it is zero."""
        zero = self.top == 0
        top = np.where(self.top < 0, -self.bottom, self.bottom)
        bottom = np.where(zero, 1, np.abs(self.top))
        missing = either(self.missing, zero if zero.any() else None)
        plain = self.plain & _powers(bottom) & _powers(self.bottom)
        return Quotient(top, self.bottom_bound, bottom, max(self.top_bound, 1), -self.places, missing, plain)

    def __add__(self, other: Number) -> Quotient:
        return self._sum(Quotient.of(other), 1)

    def __sub__(self, other: Number) -> Quotient:
        return self._sum(Quotient.of(other), -1)

    def __radd__(self, other: Decimals) -> Quotient:
        return Quotient.of(other)._sum(self, 1)

    def __rsub__(self, other: Decimals) -> Quotient:
        return Quotient.of(other)._sum(self, -1)

    def _sum(self, other: Quotient, sign: int) -> Quotient:
        """Over the least common denominator, value by value."""
        places = max(self.places, other.places)
        a, a_bound = scale(self.top, self.top_bound, places - self.places)
        b, b_bound = scale(other.top, other.top_bound, places - other.places)
        bottom, bottom_bound = self.bottom, self.bottom_bound
        if not _same(self.bottom, other.bottom):
            ones, others = of_one_type(self.bottom, other.bottom)
            common = np.gcd(ones, others)
            for_a, for_b = others // common, ones // common
            a, a_bound = multiply(a, a_bound, for_a, other.bottom_bound)
            b, b_bound = multiply(b, b_bound, for_b, self.bottom_bound)
            bottom, bottom_bound = multiply(self.bottom, self.bottom_bound, for_a, other.bottom_bound)
        top, top_bound = add(a, a_bound, b, b_bound, sign)
        missing, plain = either(self.missing, other.missing), self.plain & other.plain
        return Quotient(top, top_bound, bottom, bottom_bound, places, missing, plain)

    def __neg__(self) -> Quotient:
        return self._as(-self.top, self.places, self.missing)

    def __abs__(self) -> Quotient:
        return self._as(np.abs(self.top), self.places, self.missing)

    def shifted(self, places: int) -> Quotient:
        """The value divided by ten to the given power, exactly."""
        return self._as(self.top, self.places + places, self.missing)

    # -- rounding ---------------------------------------------------------------------------------------------

    def round(self, places: int, mode: str = "half-up") -> Decimals:
        """Rounded to the given places in one integer division of the exact fraction."""
        top, top_bound, bottom, bottom_bound = self.top, self.top_bound, self.bottom, self.bottom_bound
        power = places - self.places
        if power >= 0:
            top, top_bound = scale(top, top_bound, power)
        else:
            bottom, bottom_bound = scale(bottom, bottom_bound, -power)
        top, bottom = of_one_type(top, bottom)
        divisor = int(bottom[0]) if len(bottom) == 1 else bottom
        units, bound = narrow(rounding.divide(top, top_bound, divisor, mode), top_bound + 1)
        if len(units) < len(self):
            units = np.broadcast_to(units, (len(self),))
        result = Decimals(units, max(places, 0), self.missing, bound)
        if places < 0:
            result.units, result.bound = scale(units, bound, -places)
        return result

    def stored(self) -> Decimals:
        """Kept with 12 places, ROUND_05UP: rounding it once more gives what the exact fraction would have given.

        Values that are decimals, because they were only divided by powers of ten, keep all their places.
        """
        if not self.plain.any():
            return self.round(PLACES_KEPT, rounding.STORING).compact()
        decimal = self._decimal()
        if self.plain.all():
            return decimal.compact()
        plain = np.broadcast_to(self.plain, (len(self),))
        return Decimals.choose(plain, decimal, self.round(PLACES_KEPT, rounding.STORING)).compact()

    def simplified(self) -> Number:
        """As decimals where every value is one; else as it is."""
        return self._decimal() if self.plain.all() else self

    def _decimal(self) -> Decimals:
        """The values as decimals; those that are none mean nothing."""
        powers = [power_of_ten(int(each)) or 0 for each in set(self.bottom.tolist())]
        most = max(powers, default=0)
        factor, bound = narrow(10**most // self.bottom.astype(object), 10**most)
        units, bound = multiply(self.top, self.top_bound, factor, bound)
        places = self.places + most
        if places < 0:
            units, bound = scale(units, bound, -places)
        units = np.broadcast_to(units, (len(self),))
        return Decimals(units, max(places, 0), self.missing, bound)

    # -- comparison -------------------------------------------------------------------------------------------

    def compare(self, other: Number) -> Integers:
        """-1, 0 or 1 for each pair, by cross-multiplication; pairs with a missing value mean nothing."""
        other = Quotient.of(other)
        return _crossed(self, other).compare(_crossed(other, self))


Number = Decimals | Quotient
"""A column of numbers as formulas pass it on."""


def stored(value: Number) -> Decimals:
    """The value as it is kept: as decimals, of which a fraction takes 12 places."""
    return value if isinstance(value, Decimals) else value.stored()


def simplified(value: Number) -> Number:
    """As decimals if every value is one, although some were divided by a power of ten."""
    return value if isinstance(value, Decimals) else value.simplified()


def magnitude(value: Number) -> Number:
    """The values without their signs."""
    return value.__abs__()


def compare(a: Number, b: Number) -> Integers:
    """-1, 0 or 1 for each pair; pairs with a missing value mean nothing."""
    if isinstance(a, Decimals) and isinstance(b, Decimals):
        return a.compare(b)
    return Quotient.of(a).compare(b)


def choose(condition: Mask, yes: Number, no: Number) -> Number:
    """``yes`` where the condition holds, ``no`` elsewhere; exact fractions stay exact."""
    if isinstance(yes, Decimals) and isinstance(no, Decimals):
        return Decimals.choose(condition, yes, no)
    yes, no = Quotient.of(yes), Quotient.of(no)
    places = max(yes.places, no.places)
    tops = [scale(part.top, part.top_bound, places - part.places) for part in (yes, no)]
    return Quotient(
        np.where(condition, tops[0][0], tops[1][0]),
        max(tops[0][1], tops[1][1]),
        np.where(condition, yes.bottom, no.bottom),
        max(yes.bottom_bound, no.bottom_bound),
        places,
        missing_of(condition, yes.missing, no.missing),
        np.where(condition, yes.plain, no.plain),
    )


def whole_division(a: Number, b: Number) -> Decimals:
    """``//`` as Python's `decimal` does it: truncated toward zero; missing where b is zero."""
    if not (isinstance(a, Decimals) and isinstance(b, Decimals)):
        return (Quotient.of(a) / b).round(0, "down")
    top, bottom = a.beside(b)
    zero, negative = some(bottom == 0), some(bottom < 0)
    divisor = bottom if negative is None else np.abs(bottom)
    divisor = divisor if zero is None else np.where(zero, 1, divisor)
    bound = a.bound * 10 ** max(b.places - a.places, 0)
    units = rounding.divide(top, bound, int(divisor[0]) if len(divisor) == 1 else divisor, "down")
    units, bound = narrow(units if negative is None else np.where(negative, -units, units), bound)
    return Decimals(units, 0, either(either(a.missing, b.missing), zero), bound)


def remainder(a: Number, b: Number) -> Number:
    """``%`` as Python's `decimal` does it: the rest of ``//``, with the sign of the dividend, exact."""
    whole = whole_division(a, b)
    if isinstance(a, Decimals) and isinstance(b, Decimals):
        return a - whole * b
    # Over one denominator: (a.top * b.bottom - whole * b.top * a.bottom) / (a.bottom * b.bottom)
    a, b = Quotient.of(a), Quotient.of(b)
    rest = _crossed(a, b) - _crossed(b, a) * whole
    bottom, bottom_bound = multiply(a.bottom, a.bottom_bound, b.bottom, b.bottom_bound)
    return Quotient(rest.units, rest.bound, bottom, bottom_bound, rest.places, rest.missing, a.plain & b.plain)


def _powers(denominators: Integers) -> Mask:
    """Which of some positive whole numbers are powers of ten."""
    if denominators.dtype == object:
        return np.fromiter((power_of_ten(int(each)) is not None for each in denominators), bool, len(denominators))
    return powers_beside(denominators)[1]


def _same(a: Integers, b: Integers) -> bool:
    """Whether two columns of denominators are the same throughout."""
    if a is b:
        return True
    return a.shape == b.shape and bool((a == b).all())


def _crossed(a: Quotient, b: Quotient) -> Decimals:
    """The numerator of ``a`` once both stand over one denominator."""
    units, bound = multiply(a.top, a.top_bound, b.bottom, b.bottom_bound)
    if a.places < 0:
        units, bound = scale(units, bound, -a.places)
    return Decimals(units, max(a.places, 0), a.missing, bound)
