"""Into columns and out again: text, int, `Decimal` and Arrow decimal128. Never a float."""

from __future__ import annotations

import decimal
import math
import re
from collections.abc import Iterable, Sequence
from decimal import Decimal
from fractions import Fraction
from functools import lru_cache
from typing import Any

import numpy as np

from dokima.errors import ExactError
from dokima.exact.arrow_buffers import arrow_array, arrow_texts, nulls_of, values_of
from dokima.exact.decimals import Decimals
from dokima.exact.integers import LIMIT, Mask, measure, power_of_ten, some, whole, widen
from dokima.exact.integers import scale as scaled
from dokima.exact.quotients import Number, Quotient
from dokima.limits import NUMBER_DIGITS

ARROW_DIGITS = 38
MANY = 5_000
"""Values from which on it is worth importing Arrow to write them."""
PLAIN_PLACES = 6
"""Decimal places up to which Arrow writes every number without an exponent."""

_COUNTED = 4
"""Decimal places of which everything that may stand behind the point is kept as texts."""

_WIDE = decimal.Context(prec=decimal.MAX_PREC)  # no operation rounds

_NUMBER = re.compile(r"([+-]?)(\d+(?:\.\d*)?|\.\d+)(?:[eE]([+-]?\d{1,4}))?", re.ASCII)

BEYOND = 10**9
"""An exponent that no number of ours has; what reads texts gives it to numbers that are beyond even that."""


def parse(value: object) -> tuple[int, int]:
    """One number as units and places: ``"44.250"`` is (4425, 2).

    Raises:
        ExactError: Not a number, a float, not finite, or longer than 100 digits.
    """
    if isinstance(value, str):
        found = _NUMBER.fullmatch(value.strip())
        if found is None:
            raise ExactError(f"expected a number such as 44.25 (got {value!r})")
        sign, digits, exponent = found.groups()
        before, _, after = digits.partition(".")
        units, more = _whole(before + after, value)
        places = len(after) - _exponent(exponent or "0", value) - more
        if sign == "-":
            units = -units
    elif isinstance(value, bool | float | np.floating):
        kind = "flag" if isinstance(value, bool) else "binary float"
        raise ExactError(f"expected an exact number (got the {kind} {value!r}); pass it as text or Decimal")
    elif isinstance(value, int | np.integer):
        units, places = int(value), 0
    elif isinstance(value, Decimal):
        if not value.is_finite():
            raise ExactError(f"expected a finite number (got {value})")
        sign_bit, digit_tuple, exponent_int = value.as_tuple()
        if abs(int(exponent_int)) >= BEYOND:  # of a zero too: whoever wrote that meant something else
            raise ExactError(_too_long(value))
        units, more = _whole("".join(map(str, digit_tuple)), value)
        units, places = -units if sign_bit else units, -int(exponent_int) - more
    else:
        raise ExactError(f"expected a number (got {value!r})")
    return _fewest(units, places, value)


def _whole(digits: str, value: object) -> tuple[int, int]:
    """The digits of a number without zeros at its end, and how many those are: Python reads only so many at once.

    Raises:
        ExactError: It is longer than 100 digits.
    """
    kept = digits.strip("0")
    if len(kept) > NUMBER_DIGITS:
        raise ExactError(_too_long(value))
    return int(kept or "0"), len(digits) - len(digits.rstrip("0")) if kept else 0


def _exponent(text: str, value: object) -> int:
    """The exponent of a number.

    Raises:
        ExactError: It is beyond what any number of ours has.
    """
    if len(text.lstrip("+-0")) > len(str(NUMBER_DIGITS)) + 2:
        raise ExactError(_too_long(value))
    return int(text)


def _too_long(value: object) -> str:
    """What is said of a number that is too long, whose text may be too long for Python itself."""
    try:
        said = str(value)
    except ValueError:
        said = "one of very many"
    return f"expected a number of at most {NUMBER_DIGITS} digits (got {said if len(said) <= 40 else said[:40] + '...'})"


def _fewest(units: int, places: int, value: object) -> tuple[int, int]:
    """The same number with the fewest places, none of them negative."""
    if units == 0:
        return 0, 0
    if abs(units) >= 10**NUMBER_DIGITS or abs(places) > NUMBER_DIGITS:
        raise ExactError(_too_long(value))
    while places > 0 and units % 10 == 0:
        units, places = units // 10, places - 1
    return (units * 10**-places, 0) if places < 0 else (units, places)


def from_pairs(pairs: Sequence[tuple[int, int] | None]) -> Decimals:
    """A column out of (units, places) pairs; None is missing."""
    places = max((pair[1] for pair in pairs if pair is not None), default=0)
    units = [0 if pair is None else pair[0] * 10 ** (places - pair[1]) for pair in pairs]
    missing = np.fromiter((pair is None for pair in pairs), bool, len(pairs))
    return Decimals(whole(units), places, missing if missing.any() else None)


def decimals(values: Iterable[object]) -> Decimals:
    """A column out of text, ints, Decimals and None.

    Raises:
        ExactError: One of the values is not an exact number.
    """
    return from_pairs([None if value is None else parse(value) for value in values])


def from_fractions(values: Sequence[Fraction | None]) -> Number:
    """A column out of Python fractions; None is missing."""
    tops = whole([0 if value is None else value.numerator for value in values])
    bottoms = whole([1 if value is None else value.denominator for value in values])
    missing = np.fromiter((value is None for value in values), bool, len(values))
    gone = missing if missing.any() else None
    plain = np.fromiter((power_of_ten(each) is not None for each in bottoms.tolist()), bool, len(values))
    return Quotient(tops, measure(tops), bottoms, measure(bottoms), 0, gone, plain).simplified()


def decimal_of(units: int, places: int, least_places: int = 0) -> Decimal:
    """One number as `Decimal`, with the fewest places it needs, but at least the given ones."""
    while places > least_places and units % 10 == 0:
        units, places = units // 10, places - 1
    if places < least_places:
        units, places = units * 10 ** (least_places - places), least_places
    return Decimal(units).scaleb(-places, _WIDE)


def added(values: Iterable[Decimal]) -> Decimal:
    """The exact sum of some numbers, whatever the context of `decimal` is; with the most places one of them has."""
    with decimal.localcontext(_WIDE):
        return sum(values, Decimal(0))


def to_decimals(column: Decimals) -> list[Decimal | None]:
    """The values as `Decimal`, with the places of the column; None where missing."""
    unit = Decimal(1).scaleb(-column.places, _WIDE)
    with decimal.localcontext(_WIDE):  # a product takes a third of the time of a call with a context of its own
        zero = Decimal(0) * unit  # made once, because many columns are mostly zeros
        values: list[Decimal | None] = [Decimal(each) * unit if each else zero for each in column.units.tolist()]
    for at in [] if column.missing is None else np.flatnonzero(column.missing).tolist():
        values[at] = None
    return values


def from_floats(values: Sequence[float], places: int, mode: str = "half-up") -> Decimals:
    """A column out of binary floats, each read as the shortest decimal that names it, then rounded; NaN is missing.

    Only for fields that declare ``floats = "round"``.

    Raises:
        ExactError: A value is infinite.
    """
    pairs: list[tuple[int, int] | None] = []
    for value in values:
        if math.isnan(value):
            pairs.append(None)
        elif math.isinf(value):
            raise ExactError(f"expected a finite number (got {value})")
        else:
            # What a person typed as 2.675 means 2.675, not the binary fraction a little below it.
            exact = decimals([Decimal(repr(float(value)))]).round(places, mode)
            pairs.append((int(exact.units[0]), exact.places))
    return from_pairs(pairs)


def from_arrow(array: Any) -> Decimals:
    """A column out of an Arrow array of decimal128 or integers.

    Raises:
        ExactError: The array has another type.
    """
    import pyarrow as pa

    if isinstance(array, pa.ChunkedArray):
        array = array.combine_chunks()
    if pa.types.is_integer(array.type):
        if pa.types.is_uint64(array.type):
            return decimals(array.to_pylist())
        sign = "u" if pa.types.is_unsigned_integer(array.type) else "i"
        units = values_of(array, f"{sign}{array.type.bit_width // 8}").astype(np.int64)
        gone = nulls_of(array)
        units = units if gone is None else np.where(gone, 0, units)
        if len(units) and int(units.min()) < -LIMIT:
            units = widen(units)
        return Decimals(units, 0, gone)
    if not pa.types.is_decimal128(array.type):
        raise ExactError(f"expected an Arrow column of decimal128 or integers (got {array.type})")
    gone = nulls_of(array)
    halves = values_of(array, "2i8")
    low, high = (half if gone is None else np.where(gone, 0, half) for half in (halves[:, 0], halves[:, 1]))
    if ((low >> 63) == high).all() and (not low.size or int(low.min()) >= -LIMIT):
        units = low
    else:
        units = high.astype(object) * 2**64 + low.astype(np.uint64).astype(object)
    scale = array.type.scale
    if scale >= 0:
        return Decimals(units, scale, gone)
    units, bound = scaled(units, measure(units), -scale)
    return Decimals(units, 0, gone, bound)


def to_arrow(column: Decimals, places: int | None = None, name: str = "column") -> Any:
    """An Arrow decimal128 array of 38 digits with the column's places, or more.

    Raises:
        ExactError: A value needs more than 38 digits; the message names the column.
    """
    import pyarrow as pa

    column = column.at(max(column.places, places or 0))
    units = column.filled().units
    kind = pa.decimal128(ARROW_DIGITS, column.places) if column.places <= ARROW_DIGITS else None
    if kind is None or (units.dtype == object and any(abs(unit) >= 10**ARROW_DIGITS for unit in units.tolist())):
        raise ExactError(f"{name} has a value of more than {ARROW_DIGITS} digits, which Arrow decimals cannot hold")
    halves = np.zeros((len(units), 2), np.int64)
    if units.dtype == object:
        halves[:, 0] = np.array([unit & (2**64 - 1) for unit in units.tolist()], np.uint64).view(np.int64)
        halves[:, 1] = [unit >> 64 for unit in units.tolist()]
    else:
        halves[:, 0] = units
        if len(units) and units.min() < 0:
            halves[:, 1] = units >> 63
    return arrow_array(kind, halves, None if column.missing is None else some(column.is_missing()))


def text(value: tuple[int, int], least_places: int = 0) -> str:
    """Units and places as plain text, without an exponent: (4425, 2) is ``44.25``.

    Trailing zeros beyond ``least_places`` are left out; missing ones up to it are written.
    """
    units, places = value
    if places < least_places:
        units, places = units * 10 ** (least_places - places), least_places
    if not places:
        return str(units)
    digits = str(abs(units)).rjust(places + 1, "0")
    return f"{'-' if units < 0 else ''}{digits[:-places]}{_point(digits[-places:], least_places)}"


def _point(digits: str, least_places: int) -> str:
    """What stands behind a whole number, the point included."""
    kept = digits[:least_places] + digits[least_places:].rstrip("0")
    return f".{kept}" if kept else ""


class _Behind(dict[int, str]):
    """What stands behind a whole number, by the units of its part below 1; each made when it is first asked for."""

    def __init__(self, places: int, least_places: int) -> None:
        self._places = places
        self._least_places = least_places

    def __missing__(self, part: int) -> str:
        found = self[part] = _point(f"{part:0{self._places}d}", self._least_places)
        return found


_behind = lru_cache(maxsize=None)(_Behind)
"""One for each number of places, of which there are few: see `_COUNTED`."""


def texts(column: Decimals, least_places: int = 0) -> list[str | None]:
    """Every value as plain text, with the fewest places it needs but at least the given ones; None where missing."""
    if len(column.units) < MANY:
        return _one_by_one(column, least_places)
    found: list[str | None] = text_array(column, least_places).to_pylist()
    return found


def texts_with(column: Decimals, least_places: Sequence[int]) -> list[str | None]:
    """The same, each value with places of its own."""
    values: list[str | None] = [
        text((units, column.places), least) for units, least in zip(column.units.tolist(), least_places, strict=True)
    ]
    return values if column.missing is None else _blanked(values, column.missing)


def text_array(column: Decimals, least_places: int = 0) -> Any:
    """The same as `texts` gives, as an Arrow array of large strings, null where missing.

    Arrow writes numbers ten times as fast as Python, but with an exponent where there are many places.
    """
    import pyarrow as pa

    exact = column.compact()
    exact = exact.at(max(exact.places, least_places))
    if exact.units.dtype == object:
        return arrow_texts(_one_by_one(column, least_places), large=True)
    if exact.places <= least_places and exact.places <= PLAIN_PLACES:
        return to_arrow(exact).cast(pa.large_string())
    # Some need more places than others, or many. Few prices are all different, so each is written once.
    coded = arrow_array(pa.int64(), exact.units, column.missing).dictionary_encode()
    known = Decimals(values_of(coded.dictionary, np.int64), exact.places, None, exact.bound)
    return arrow_texts(_one_by_one(known, least_places), large=True).take(coded.indices)


def _one_by_one(column: Decimals, least_places: int) -> list[str | None]:
    """The same as `texts` gives, written by Python."""
    if column.places < least_places:
        column = column.at(least_places)
    units, places = column.units.tolist(), column.places
    found: list[Any]
    if not places:
        found = list(map(str, units))
    elif places > _COUNTED:
        found = [text((each, places), least_places) for each in units]
    else:
        behind, one = _behind(places, least_places), 10**places
        found = [
            f"{each // one}{behind[each % one]}" if each >= 0 else f"-{-each // one}{behind[-each % one]}"
            for each in units
        ]
    return found if column.missing is None else _blanked(found, column.missing)


def _blanked(texts: list[Any], missing: Mask) -> list[str | None]:
    return [None if gone else text for text, gone in zip(texts, missing.tolist(), strict=True)]
