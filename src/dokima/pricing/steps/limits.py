"""Limits of discounts and charges: the most they may be, and what they must leave."""

from __future__ import annotations

from dokima.exact import Decimals, Number, choose, compare, magnitude, stored
from dokima.exact.integers import either


def capped(exact: Number, cap: Number) -> Number:
    """The value, its magnitude limited to that of the cap."""
    cap = magnitude(cap)
    over = compare(magnitude(exact), cap) > 0
    negative = compare(exact, Decimals.zeros(1)) < 0
    limited = choose(over, choose(negative, -cap, cap), exact)
    return limited.without(either(exact.missing, cap.missing))


def cut_to(figure: Decimals, most: Number, places: int) -> Decimals:
    """A discount that leaves at least what must be kept: cut to the most it may take, never turned into a charge.

    One that leaves enough stays as it is, whatever its places. Only what is cut is truncated: a cent above the floor is
    kept, a cent below never is.

    Args:
        figure: The discount.
        most: What it may take, exactly.
        places: Decimal places that a cut one has, those of the currency.
    """
    zero = Decimals.zeros(1)
    whole = most.round(places, "down")
    taken = choose(compare(most, zero) > 0, most, zero)
    mirrored = choose(compare(most, zero) < 0, most, zero)
    positive = choose(compare(figure, taken) > 0, choose(compare(whole, zero) > 0, whole, zero), figure)
    negative = choose(compare(figure, mirrored) < 0, choose(compare(whole, zero) < 0, whole, zero), figure)
    return stored(choose(compare(figure, zero) < 0, negative, positive)).without(either(figure.missing, most.missing))
