"""`Decimals`: a column of exact decimal numbers, some of them missing."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any, ClassVar, Literal

import numpy as np

from dokima.errors import ExactError
from dokima.exact import rounding
from dokima.exact.integers import (
    LIMIT,
    Integers,
    Mask,
    add,
    either,
    everywhere,
    mask_of,
    mask_of_column,
    measure,
    missing_of,
    multiply,
    narrow,
    of_one_type,
    powers_of_ten,
    scale,
    some,
)

if TYPE_CHECKING:
    from dokima.exact.quotients import Quotient


_DTYPES = (np.dtype(np.int64), np.dtype(object))
"""What units may be kept as: made once, because every column that is made asks."""


class Decimals:
    """A column of exact decimals: whole ``units`` of ten to the power of minus ``places``.

    A column of length 1 meets a column of any length by broadcast. Columns are never changed in place.

    Attributes:
        units: Whole numbers, int64 or Python integers; whatever stands at a missing place means nothing.
        places: Number of decimal places, 0 or more.
        missing: True where the value is missing, None if none is.
        bound: At least the largest magnitude in ``units``; carried through arithmetic without looking again.
    """

    kind: ClassVar[Literal["decimal"]] = "decimal"
    __slots__ = ("bound", "missing", "places", "units")

    def __init__(self, units: Integers, places: int = 0, missing: Mask | None = None, bound: int | None = None) -> None:
        if units.dtype not in _DTYPES:
            raise ExactError(f"a column holds whole numbers, as int64 or Python integers (got {units.dtype})")
        self.units = units
        self.places = places
        self.missing = None if missing is None else mask_of_column(missing, len(units))
        self.bound = measure(units) if bound is None else bound

    # -- making and taking apart ------------------------------------------------------------------------------

    @classmethod
    def constant(cls, units: int, places: int = 0) -> Decimals:
        """One number as a column of length 1."""
        dtype: Any = np.int64 if abs(units) <= LIMIT else object
        return cls(np.array([units], dtype=dtype), places, None, abs(units))

    @classmethod
    def blanks(cls, length: int) -> Decimals:
        """A column in which everything is missing."""
        return cls(np.zeros(length, np.int64), 0, everywhere(length), 0)

    @classmethod
    def zeros(cls, length: int, places: int = 0) -> Decimals:
        """A column of zeros."""
        return cls(np.zeros(length, np.int64), places, None, 0)

    def __len__(self) -> int:
        return len(self.units)

    def __repr__(self) -> str:
        from dokima.exact.conversion import to_decimals

        return f"Decimals({[None if d is None else str(d) for d in to_decimals(self)]})"

    def take(self, positions: Integers) -> Decimals:
        """The values at the given positions, each 0 or more."""
        missing = None if self.missing is None else self.missing[positions]
        return Decimals(self.units[positions], self.places, missing, self.bound)

    def spread(self, length: int) -> Decimals:
        """A column of the given length; this one must have that length or length 1."""
        if len(self.units) == length:
            return self
        return self.take(np.zeros(length, np.intp))

    def without(self, gone: Mask | None) -> Decimals:
        """The same column with more values missing."""
        return self if gone is None else Decimals(self.units, self.places, either(self.missing, gone), self.bound)

    def is_missing(self) -> Mask:
        """True where the value is missing, as an array of this column's length."""
        return mask_of(self.missing, len(self.units))

    def filled(self, units: int = 0) -> Decimals:
        """The same column with the given units (at this column's places) where a value is missing."""
        if self.missing is None:
            return self
        return Decimals(np.where(self.missing, units, self.units), self.places, None, max(self.bound, abs(units)))

    def compact(self) -> Decimals:
        """The same values with the fewest places they need, as int64 if they fit."""
        units, places, bound = self.units, self.places, self.bound
        if self.missing is not None:
            units = np.where(self.missing, 0, units)
        step = 8
        while places and step:
            if step <= places and not (units % 10**step).any():
                units, places, bound = units // 10**step, places - step, bound // 10**step
            else:
                step //= 2
        units, bound = narrow(units, bound)
        return Decimals(units, places, self.missing, bound)

    @staticmethod
    def align(columns: Sequence[Decimals]) -> list[Decimals]:
        """The columns, all with the most places that one of them has."""
        places = max([column.places for column in columns])
        return [column.at(places) for column in columns]

    def at(self, places: int) -> Decimals:
        """The same values written with more places.

        Raises:
            ExactError: Fewer places than the column has; that is rounding, or `exactly` where nothing is lost by it.
        """
        if places == self.places:
            return self
        if places < self.places:
            raise ExactError(
                f"a column of {self.places} decimal places cannot be written with {places} decimal places: round it"
            )
        units, bound = scale(self.units, self.bound, places - self.places)
        return Decimals(units, places, self.missing, bound)

    @staticmethod
    def concat(columns: Sequence[Decimals]) -> Decimals:
        """The columns one after the other."""
        parts = Decimals.align(columns)
        masks = None
        if any(part.missing is not None for part in parts):
            masks = np.concatenate([part.is_missing() for part in parts])
        units = np.concatenate([part.units for part in parts])
        return Decimals(units, parts[0].places, masks, max(part.bound for part in parts))

    @staticmethod
    def choose(condition: Mask, yes: Decimals, no: Decimals) -> Decimals:
        """``yes`` where the condition holds, ``no`` elsewhere."""
        yes, no = Decimals.align((yes, no))
        missing = missing_of(condition, yes.missing, no.missing)
        return Decimals(np.where(condition, yes.units, no.units), yes.places, missing, max(yes.bound, no.bound))

    def replaced(self, positions: Integers, values: Decimals) -> Decimals:
        """The same column with other values at some positions, each 0 or more and there once."""
        a, b = Decimals.align((self, values))
        units, others = of_one_type(a.units, b.units)
        units = units.copy()
        units[positions] = others
        missing = None
        if a.missing is not None or b.missing is not None:
            missing = a.is_missing().copy()
            missing[positions] = b.is_missing()
        return Decimals(units, a.places, None if missing is None else some(missing), max(a.bound, b.bound))

    # -- arithmetic -------------------------------------------------------------------------------------------

    def __add__(self, other: Decimals) -> Decimals:
        return self._sum(other, 1) if isinstance(other, Decimals) else NotImplemented

    def __sub__(self, other: Decimals) -> Decimals:
        return self._sum(other, -1) if isinstance(other, Decimals) else NotImplemented

    def _sum(self, other: Decimals, sign: int) -> Decimals:
        a, b = (self, other) if self.places == other.places else Decimals.align((self, other))
        units, bound = add(a.units, a.bound, b.units, b.bound, sign)
        return Decimals(units, a.places, either(a.missing, b.missing), bound)

    def __mul__(self, other: Decimals) -> Decimals:
        if not isinstance(other, Decimals):
            return NotImplemented
        units, bound = multiply(self.units, self.bound, other.units, other.bound)
        return Decimals(units, self.places + other.places, either(self.missing, other.missing), bound)

    def __truediv__(self, other: Decimals | Quotient) -> Decimals | Quotient:
        from dokima.exact.quotients import Quotient

        if not isinstance(other, Decimals) or other.missing is not None:
            return Quotient.of(self) / other
        powers = powers_of_ten(other.units)
        if powers is None:
            return Quotient.of(self) / other
        # Division by 1 or another power of ten only moves the point, of each value as far as it has to.
        most = int(powers.max())
        units, bound, places = self.units, self.bound, self.places - other.places + most
        if len(powers) > 1:
            units, bound = multiply(units, bound, 10 ** (most - powers), 10**most)
        elif len(units) == 1:
            units = np.broadcast_to(units, other.units.shape)
        if places < 0:
            units, bound = scale(units, bound, -places)
        return Decimals(units, max(places, 0), self.missing, bound)

    def __neg__(self) -> Decimals:
        return Decimals(-self.units, self.places, self.missing, self.bound)

    def __abs__(self) -> Decimals:
        return Decimals(np.abs(self.units), self.places, self.missing, self.bound)

    def shifted(self, places: int) -> Decimals:
        """The value divided by ten to the given power, exactly: ``percent.shifted(2)`` is the rate."""
        return Decimals(self.units, self.places + places, self.missing, self.bound)

    def round(self, places: int, mode: str = "half-up") -> Decimals:
        """Rounded to the given places (negative ones round to tens, hundreds ...) in the given mode."""
        if places >= self.places:
            return self
        gone = self.places - places
        units = rounding.divide(self.units, self.bound, 10**gone, mode)
        units, bound = narrow(units, self.bound // 10**gone + 1)
        result = Decimals(units, max(places, 0), self.missing, bound)
        if places < 0:
            result.units, result.bound = scale(units, bound, -places)
        return result

    def exactly(self, places: int, what: str = "value") -> Decimals:
        """The same values written with exactly these places.

        Raises:
            ExactError: A digit that is not zero stands beyond them.
        """
        if places >= self.places:
            return self.at(places)
        short = self.round(places, "down")
        lost = (short.at(self.places).units != self.units) & ~self.is_missing()
        if lost.any():
            raise ExactError(
                f"{what} must have at most {places} decimal places (got {self.take(np.flatnonzero(lost)[:1])})"
            )
        return short

    # -- comparison -------------------------------------------------------------------------------------------

    def beside(self, other: Decimals) -> tuple[Integers, Integers]:
        """Whole numbers that compare as the values of both columns do."""
        a, b = (self, other) if self.places == other.places else Decimals.align((self, other))
        return of_one_type(a.units, b.units)

    def compare(self, other: Decimals) -> Integers:
        """-1, 0 or 1 for each pair; pairs with a missing value mean nothing."""
        x, y = self.beside(other)
        greater: Integers = (x > y).astype(np.int8)
        return greater - (x < y)
