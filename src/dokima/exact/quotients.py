"""`Quotient`: a column of exact fractions, kept until something has to be rounded or added."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from dokima.exact import rounding
from dokima.exact.decimals import Decimals
from dokima.exact.integers import Integers, Mask, either, mask_of, multiply, narrow, scale, widen

if TYPE_CHECKING:
    pass

PLACES_KEPT = 12
"""Decimal places of a quotient that is added to something or kept (with `rounding.STORING`)."""


class Quotient:
    """A column of exact fractions of two whole numbers, scaled by ten to the power of minus ``places``.

    Multiplying, dividing, comparing and rounding are exact. The denominator is always positive. A division by zero
    is a missing value.

    Attributes:
        top: Numerators.
        bottom: Denominators, 1 or more, of the same length or length 1.
        places: Decimal places of the fraction as a whole; may be negative.
        missing: True where the value is missing, None if none is.
    """

    __slots__ = ("bottom", "bottom_bound", "missing", "places", "top", "top_bound")

    def __init__(
        self, top: Integers, top_bound: int, bottom: Integers, bottom_bound: int, places: int, missing: Mask | None
    ) -> None:
        self.top = top
        self.top_bound = top_bound
        self.bottom = bottom
        self.bottom_bound = bottom_bound
        self.places = places
        self.missing = missing

    @classmethod
    def of(cls, value: Number) -> Quotient:
        """The value as a quotient."""
        if isinstance(value, Quotient):
            return value
        return cls(value.units, value.bound, np.ones(1, np.int64), 1, value.places, value.missing)

    def __len__(self) -> int:
        return max(len(self.top), len(self.bottom)) if len(self.top) and len(self.bottom) else 0

    def __repr__(self) -> str:
        return f"Quotient({self.stored()!r})"

    def take(self, positions: Integers) -> Quotient:
        """The values at the given positions, each 0 or more."""
        whole = self.spread(len(self))
        missing = None if whole.missing is None else whole.missing[positions]
        return Quotient(
            whole.top[positions], self.top_bound, whole.bottom[positions], self.bottom_bound, self.places, missing
        )

    def spread(self, length: int) -> Quotient:
        """A column of the given length; this one must have that length or length 1."""
        shape = (length,)
        missing = None if self.missing is None else np.broadcast_to(self.missing, shape)
        top, bottom = np.broadcast_to(self.top, shape), np.broadcast_to(self.bottom, shape)
        return Quotient(top, self.top_bound, bottom, self.bottom_bound, self.places, missing)

    def without(self, gone: Mask | None) -> Quotient:
        """The same column with more values missing."""
        missing = either(self.missing, gone)
        return Quotient(self.top, self.top_bound, self.bottom, self.bottom_bound, self.places, missing)

    def is_missing(self) -> Mask:
        """True where the value is missing, as an array of this column's length."""
        return mask_of(self.missing, len(self))

    # -- arithmetic -------------------------------------------------------------------------------------------

    def __mul__(self, other: Number) -> Quotient:
        other = Quotient.of(other)
        top, top_bound = multiply(self.top, self.top_bound, other.top, other.top_bound)
        bottom, bottom_bound = multiply(self.bottom, self.bottom_bound, other.bottom, other.bottom_bound)
        missing = either(self.missing, other.missing)
        return Quotient(top, top_bound, bottom, bottom_bound, self.places + other.places, missing)

    __rmul__ = __mul__

    def __truediv__(self, other: Number) -> Quotient:
        return self * Quotient.of(other).inverse()

    def __rtruediv__(self, other: Decimals) -> Quotient:
        return Quotient.of(other) / self

    def inverse(self) -> Quotient:
        """One over the value; missing where it is zero."""
        zero = self.top == 0
        top = np.where(self.top < 0, -self.bottom, self.bottom)
        bottom = np.where(zero, 1, np.abs(self.top))
        missing = either(self.missing, zero if zero.any() else None)
        return Quotient(top, self.bottom_bound, bottom, max(self.top_bound, 1), -self.places, missing)

    def __add__(self, other: Number) -> Decimals:
        return self.stored() + stored(other)

    def __sub__(self, other: Number) -> Decimals:
        return self.stored() - stored(other)

    def __radd__(self, other: Decimals) -> Decimals:
        return other + self.stored()

    def __rsub__(self, other: Decimals) -> Decimals:
        return other - self.stored()

    def __neg__(self) -> Quotient:
        return Quotient(-self.top, self.top_bound, self.bottom, self.bottom_bound, self.places, self.missing)

    def __abs__(self) -> Quotient:
        return Quotient(np.abs(self.top), self.top_bound, self.bottom, self.bottom_bound, self.places, self.missing)

    def shifted(self, places: int) -> Quotient:
        """The value divided by ten to the given power, exactly."""
        return Quotient(self.top, self.top_bound, self.bottom, self.bottom_bound, self.places + places, self.missing)

    # -- rounding ---------------------------------------------------------------------------------------------

    def round(self, places: int, mode: str = "half-up") -> Decimals:
        """Rounded to the given places in one integer division of the exact fraction."""
        top, top_bound, bottom, bottom_bound = self.top, self.top_bound, self.bottom, self.bottom_bound
        power = places - self.places
        if power >= 0:
            top, top_bound = scale(top, top_bound, power)
        else:
            bottom, bottom_bound = scale(bottom, bottom_bound, -power)
        if top.dtype != bottom.dtype:
            top, bottom = widen(top), widen(bottom)
        divisor = int(bottom[0]) if len(bottom) == 1 else bottom
        units, bound = narrow(rounding.divide(top, top_bound, divisor, mode), top_bound + 1)
        if len(units) < len(self):
            units = np.broadcast_to(units, (len(self),))
        result = Decimals(units, max(places, 0), self.missing, bound)
        if places < 0:
            result.units, result.bound = scale(units, bound, -places)
        return result

    def stored(self) -> Decimals:
        """Kept with 12 places, ROUND_05UP: rounding it once more gives what the exact fraction would have given."""
        return self.round(PLACES_KEPT, rounding.STORING).compact()

    # -- comparison -------------------------------------------------------------------------------------------

    def compare(self, other: Number) -> Integers:
        """-1, 0 or 1 for each pair, by cross-multiplication; pairs with a missing value mean nothing."""
        other = Quotient.of(other)
        return _crossed(self, other).compare(_crossed(other, self))


Number = Decimals | Quotient
"""A column of numbers as formulas pass it on."""


def stored(value: Number) -> Decimals:
    """The value as decimals; a quotient takes 12 places."""
    return value if isinstance(value, Decimals) else value.stored()


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
    missing = None
    if yes.missing is not None or no.missing is not None:
        missing = np.where(condition, yes.is_missing(), no.is_missing())
    return Quotient(
        np.where(condition, tops[0][0], tops[1][0]),
        max(tops[0][1], tops[1][1]),
        np.where(condition, yes.bottom, no.bottom),
        max(yes.bottom_bound, no.bottom_bound),
        places,
        missing,
    )


def whole_division(a: Number, b: Number) -> Decimals:
    """``//`` as Python's `decimal` does it: truncated toward zero; missing where b is zero."""
    return (Quotient.of(a) / b).round(0, "down")


def remainder(a: Number, b: Number) -> Number:
    """``%`` as Python's `decimal` does it: the rest of ``//``, with the sign of the dividend, exact."""
    whole = whole_division(a, b)
    if isinstance(a, Decimals) and isinstance(b, Decimals):
        return a - whole * b
    # Over one denominator: (a.top * b.bottom - whole * b.top * a.bottom) / (a.bottom * b.bottom)
    a, b = Quotient.of(a), Quotient.of(b)
    rest = _crossed(a, b) - _crossed(b, a) * whole
    bottom, bottom_bound = multiply(a.bottom, a.bottom_bound, b.bottom, b.bottom_bound)
    return Quotient(rest.units, rest.bound, bottom, bottom_bound, rest.places, rest.missing)


def _crossed(a: Quotient, b: Quotient) -> Decimals:
    """The numerator of ``a`` once both stand over one denominator."""
    units, bound = multiply(a.top, a.top_bound, b.bottom, b.bottom_bound)
    if a.places < 0:
        units, bound = scale(units, bound, -a.places)
    return Decimals(units, max(a.places, 0), a.missing, bound)
