"""Whole-number arrays that never overflow: int64 while a bound proves it safe, Python integers from there on."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, TypeAlias

import numpy as np

from dokima.errors import ExactError

if TYPE_CHECKING:
    import numpy.typing as npt  # which takes a third as long to import as all of NumPy

Integers: TypeAlias = "npt.NDArray[Any]"
"""An array of int64, or of Python integers in an object array."""

Mask: TypeAlias = "npt.NDArray[np.bool_]"

LIMIT = 2**63 - 1
"""Largest magnitude an int64 array may hold here; the one value below it, -2**63, has no positive twin."""


def measure(units: Integers) -> int:
    """Largest magnitude in the array, 0 for an empty one."""
    if units.size == 0:
        return 0
    return max(abs(int(units.max())), abs(int(units.min())))


def widen(units: Integers) -> Integers:
    """The same numbers as Python integers."""
    return units if units.dtype == object else units.astype(object)


def of_one_type(a: Integers, b: Integers) -> tuple[Integers, Integers]:
    """Both as int64, or both as Python integers."""
    return (a, b) if a.dtype == b.dtype else (widen(a), widen(b))


def narrow(units: Integers, bound: int) -> tuple[Integers, int]:
    """Back to int64 where the numbers allow it, with the bound measured if it has to be."""
    if units.dtype != object:
        return units, bound
    if bound > LIMIT:
        bound = measure(units)
    return (units.astype(np.int64), bound) if bound <= LIMIT else (units, bound)


def multiply(a: Integers, a_bound: int, b: Integers, b_bound: int) -> tuple[Integers, int]:
    """Exact product and its bound. Bounds are measured again before anything is widened."""
    bound = a_bound * b_bound
    if bound > LIMIT:
        a_bound, b_bound = measure(a), measure(b)
        bound = a_bound * b_bound
    if bound > LIMIT:
        return widen(a) * widen(b), bound
    if a.dtype != b.dtype:
        a, b = narrow(a, a_bound)[0], narrow(b, b_bound)[0]
    return a * b, bound


def scale(units: Integers, bound: int, power: int) -> tuple[Integers, int]:
    """The numbers times ten to the given power (0 or more), and the bound."""
    if power <= 0:
        if power < 0:
            raise ExactError(f"whole numbers can only be scaled up (got ten to the power of {power})")
        return units, bound
    factor = 10**power
    # A factor beyond int64 does so even where every number is 0.
    if max(bound, 1) * factor > LIMIT:
        bound = measure(units)
        if max(bound, 1) * factor > LIMIT:
            return widen(units) * factor, bound * factor
    return units * factor, bound * factor


_POWERS = np.array([10**power for power in range(19)], np.int64)


def powers_of_ten(units: Integers) -> Integers | None:
    """Which power of ten each of some whole numbers is, or one power for all; None if one of them is none."""
    if not len(units) or units.dtype == object:
        return None
    first = power_of_ten(int(units[0]))
    if first is None:
        return None  # most columns are told by their first number
    if len(units) == 1 or not np.count_nonzero(units != units[0]):
        return np.array([first])
    powers, fits = powers_beside(units)
    return powers if bool(fits.all()) else None


def powers_beside(units: Integers) -> tuple[Integers, Mask]:
    """For each int64 a power of ten, and whether the number is it."""
    powers = np.minimum(np.searchsorted(_POWERS, units), len(_POWERS) - 1)
    return powers, _POWERS[powers] == units


def power_of_ten(value: int) -> int | None:
    """Which power of ten a whole number is, None if it is none."""
    digits = str(value)
    return len(digits) - 1 if digits[0] == "1" and not digits.strip("10") and digits.count("1") == 1 else None


def add(a: Integers, a_bound: int, b: Integers, b_bound: int, sign: int = 1) -> tuple[Integers, int]:
    """Exact sum, or difference with ``sign=-1``, and its bound."""
    bound = a_bound + b_bound
    if bound > LIMIT:
        bound = measure(a) + measure(b)
        if bound > LIMIT:
            a, b = widen(a), widen(b)
    return (a + b if sign > 0 else a - b), bound


SHORT = 256
"""Lengths up to which columns that say the same everywhere are made once and kept."""
_EVERY = np.ones(SHORT, bool)
_EVERY.flags.writeable = False


def everywhere(length: int) -> Mask:
    """A mask that marks everything, to be read only: to fill a short array takes ten times as long as to cut one."""
    return _EVERY[:length] if length <= SHORT else np.ones(length, bool)


def either(a: Mask | None, b: Mask | None) -> Mask | None:
    """Union of two missing masks, where None means that nothing is missing."""
    if a is None:
        return b
    return a if b is None else a | b


def common_length(a: int, b: int) -> int:
    """The length that columns of two lengths have where they meet: one of length 1 takes that of the other, even 0."""
    return b if a == 1 else a


def missing_of(condition: Mask, yes: Mask | None, no: Mask | None) -> Mask | None:
    """What is missing where one of two values is taken at each place: the first where the condition holds."""
    if yes is None and no is None:
        return None
    # A choice without a branch takes a tenth of the time of one that asks at each place.
    of_yes, of_no = (None if yes is None else condition & yes), (None if no is None else ~condition & no)
    found = either(of_yes, of_no)
    return None if found is None else some(found)


def some(mask: Mask) -> Mask | None:
    """The mask, or None if it marks nothing."""
    return mask if np.count_nonzero(mask) else None  # counting takes a tenth of the time of `any` on a short one


def mask_of(missing: Mask | None, length: int) -> Mask:
    """A missing mask as an array of the given length."""
    if missing is None:
        return np.zeros(length, bool)
    return missing if len(missing) == length else np.broadcast_to(missing, (length,))


def mask_of_column(missing: Mask, length: int) -> Mask:
    """The mask that a column of the given length keeps.

    A blank constant makes all of a column blank that it meets: its mask is still of length 1.
    """
    return missing if len(missing) > 1 else mask_of(missing, length)


def range_of(positions: Integers) -> slice | Integers:
    """Ascending positions, each there once, as a range where none is left out: read, written and sent much faster."""
    if not len(positions):
        return positions
    first, last = int(positions[0]), int(positions[-1])
    return slice(first, last + 1) if last - first + 1 == len(positions) else positions


def whole(values: object) -> Integers:
    """An integer array out of Python integers, int64 if they fit."""
    try:
        array = np.asarray(values, dtype=np.int64)
    except OverflowError:
        return np.asarray(values, dtype=object)
    # -2**63 fits int64 but its magnitude does not; keep it with the Python integers.
    if array.size and int(np.min(array)) < -LIMIT:
        return array.astype(object)
    return array


def put(array: Any, at: Integers, values: Any) -> Any:
    """An array with other values at some positions."""
    found = array.copy()
    found[at] = values
    return found
