"""Rounding: every mode of Python's `decimal`, as one integer division.

The names are those of the constants of the `decimal` module in lower case, with hyphens: ROUND_HALF_UP is "half-up".
"""

from __future__ import annotations

import decimal
from typing import Final

import numpy as np

from dokima.exact.integers import LIMIT, Integers, Mask

MODES: Final = {
    "half-up": decimal.ROUND_HALF_UP,
    "half-even": decimal.ROUND_HALF_EVEN,
    "half-down": decimal.ROUND_HALF_DOWN,
    "up": decimal.ROUND_UP,
    "down": decimal.ROUND_DOWN,
    "ceiling": decimal.ROUND_CEILING,
    "floor": decimal.ROUND_FLOOR,
}
"""Modes a rulebook may name, and the constants of `decimal` they stand for."""

STORING: Final = "05up"
"""ROUND_05UP, used only to keep a quotient: rounding the result again, in any mode, rounds as the exact value would."""

_FEW = 100
"""Numbers of which nobody asks whether one is negative."""


def divide(numerator: Integers, bound: int, denominator: Integers | int, mode: str) -> Integers:
    """Numerator over denominator, rounded to whole numbers in one integer division.

    Args:
        numerator: Whole numbers of any sign.
        bound: Largest magnitude of the numerator.
        denominator: Positive whole numbers, one or one per numerator.
        mode: A name in `MODES`, or `STORING`.
    """
    if isinstance(denominator, int) and denominator == 1:
        return numerator
    # Most money is not negative: then nothing has a sign to lose. To look takes longer than a few signs do.
    signed = len(numerator) < _FEW or numerator.min() < 0
    magnitude = np.abs(numerator) if signed else numerator
    if isinstance(denominator, int) and denominator > LIMIT:
        magnitude = magnitude.astype(object)
    if mode == "half-up" and isinstance(denominator, int) and bound + denominator // 2 <= LIMIT:
        quotient = (magnitude + denominator // 2) // denominator
    else:
        quotient = magnitude // denominator
        if mode != "down":
            rest = magnitude - quotient * denominator
            quotient = quotient + _goes_up(mode, numerator, quotient, rest, denominator)
    return np.where(numerator < 0, -quotient, quotient) if signed else quotient


def _goes_up(mode: str, numerator: Integers, quotient: Integers, rest: Integers, denominator: Integers | int) -> Mask:
    """Which magnitudes gain one unit. ``rest`` is below the denominator, so ``denominator - rest`` cannot overflow."""
    match mode:
        case "half-up":
            up = rest >= denominator - rest
        case "half-down":
            up = rest > denominator - rest
        case "half-even":
            other = denominator - rest
            up = (rest > other) | ((rest == other) & (quotient % 2 == 1))
        case "up":
            up = rest > 0
        case "ceiling":
            up = (rest > 0) & (numerator > 0)
        case "floor":
            up = (rest > 0) & (numerator < 0)
        case "05up":
            up = (rest > 0) & (quotient % 5 == 0)
        case _:
            raise ValueError(f"rounding mode must be one of {', '.join(MODES)} (got {mode!r})")
    return up.astype(bool)
