"""Tax in an export: which column is its rate, proved by amounts of tax or amounts with it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from fractions import Fraction

from dokima.inference.arithmetic import ENOUGH, Numbers, rounded

MOST_RATE = 50
"""No rate of tax is beyond it, in percent."""


@dataclass(frozen=True)
class TaxIdentity:
    """A rate of tax that columns obey.

    Attributes:
        rate: The heading of the rate in percent.
        proof: That of what proves it: tax of each line, or its amount with tax.
        is_gross: Whether that is the amount with tax.
        holds: On how many lines it holds.
        of: On how many lines all is known.
    """

    rate: str
    proof: str
    is_gross: bool
    holds: int
    of: int


def prove_tax(amount: Numbers, columns: Mapping[str, Numbers]) -> TaxIdentity | None:
    """The rate that is found in most lines of another column; None if none is.

    Args:
        amount: The amount of each line without tax.
        columns: The other columns of numbers by heading.
    """
    found = []
    for rate, values in columns.items():
        known = [value for value in values if value is not None]
        if not any(known) or any(not 0 <= value <= MOST_RATE for value in known):
            continue
        taxes = [_tax(*each) for each in zip(amount, values, strict=True)]
        for proof, stated in columns.items():
            for is_gross in (False, True) if proof != rate else ():
                meets = [
                    tax + (base or 0 if is_gross else 0) == value
                    for base, tax, value in zip(amount, taxes, stated, strict=True)
                    if tax is not None and value is not None and value
                ]
                if meets and sum(meets) >= ENOUGH * len(meets):
                    found.append(TaxIdentity(rate, proof, is_gross, sum(meets), len(meets)))
    return max(found, key=lambda each: (each.holds, not each.is_gross), default=None)


def _tax(amount: Decimal | None, rate: Decimal | None) -> Decimal | None:
    return None if amount is None or rate is None else rounded(Fraction(amount) * Fraction(rate) / 100, 2)


def taxes_of_orders(
    amount: Numbers, rates: Numbers, groups: Sequence[int], count: int
) -> dict[str, list[Decimal | None]]:
    """The tax of each order, rounded on each line, and rounded on the document for each rate."""
    by_rate: dict[tuple[int, Decimal], Fraction] = {}
    lines: list[Decimal | None] = [Decimal(0)] * count
    for group, value, rate in zip(groups, amount, rates, strict=True):
        tax, known = _tax(value, rate), lines[group]
        lines[group] = None if tax is None or known is None else known + tax
        if value is not None and rate is not None:
            by_rate[group, rate] = by_rate.get((group, rate), Fraction(0)) + Fraction(value)
    document: list[Decimal | None] = [None if each is None else Decimal(0) for each in lines]
    for (group, rate), base in by_rate.items():
        known = document[group]
        document[group] = None if known is None else known + rounded(base * Fraction(rate) / 100, 2)
    return {"line": lines, "document": document}


def one_rate(net: Numbers, taxes: Numbers) -> Decimal | None:
    """The percent that the taxes of nearly all orders are of their amounts, rounded to the cent; None if there is none.

    Args:
        net: The amount of each order.
        taxes: Its tax.
    """
    pairs = [(Fraction(a), b) for a, b in zip(net, taxes, strict=True) if a and b is not None]
    if not pairs:
        return None
    amount, tax = max(pairs, key=lambda pair: abs(pair[0]))  # the largest says the rate most exactly
    for places in (0, 1, 2):
        rate = rounded(Fraction(tax) * 100 / amount, places)
        if sum(1 for a, b in pairs if rounded(a * Fraction(rate) / 100, 2) == b) >= ENOUGH * len(pairs):
            return rate
    return None
